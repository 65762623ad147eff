import { basename } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Problem } from '../../problems/problem.ts';
import { buildThrowFailure } from '../../running/failures.ts';
import { type SerializedConfig, serializeConfig } from '../../suites/config.ts';
import { CompileCache } from '../loading/cache.ts';
import { noLoaders } from '../loading/loaders.ts';
import { Modules } from '../loading/modules.ts';
import { mapStacks } from '../loading/stacks.ts';
import type { ToCoordinator } from '../protocol.ts';

/** Who waits for a source to be compiled, by its key. */
export type PendingCompilations = Map<string, (error: { message: string; line: number; column: number } | undefined) => void>;

/** Loads modules; what is not in the cache is compiled by the coordinator. */
export const modulesIn = (cache: string, compiling: PendingCompilations, say: (message: ToCoordinator) => void, loaders = noLoaders): Modules =>
  new Modules(new CompileCache(cache), loaders, (path, _source, key) => {
    say({ from: 'lane', type: 'compile', key, path });
    return new Promise((resolve, reject) => {
      compiling.set(key, (error) => {
        compiling.delete(key);
        if (!error) resolve();
        else
          reject(
            Object.assign(new SyntaxError(error.message), { stack: `SyntaxError: ${error.message}\n    at file://${path}:${error.line}:${error.column}` }),
          );
      });
    });
  });

/** Reads the project's configuration, as plain data. */
export async function readConfig(path: string, modules: Modules): Promise<{ config: SerializedConfig; problems: readonly Problem[] }> {
  mapStacks(modules.maps);
  try {
    const { default: given } = await modules.import(pathToFileURL(path).href);
    const { config, problems } = serializeConfig(given);
    return { config, problems: problems.map((problem) => ({ ...problem, at: { file: path, line: 1, column: 1 } })) };
  } catch (error) {
    const { message, location: place } = buildThrowFailure(error, 'throw', {});
    return { config: {}, problems: [{ code: 'load-failed', file: basename(path), cause: 'throw', reason: message, at: place }] };
  }
}
