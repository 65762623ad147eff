import { basename } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Problem } from '../../problems/problem.ts';
import { buildThrowFailure } from '../../running/failures.ts';
import { type SerializedConfig, serializeConfig } from '../../suites/config.ts';
import { CompileCache } from '../loading/cache.ts';
import { HookedModules } from '../loading/hooked-modules.ts';
import { noLoaders } from '../loading/loaders.ts';
import { type Compile, compileFailure, type ModuleLoader } from '../loading/module-loader.ts';
import { canMakeModules, Modules } from '../loading/modules.ts';
import { mapStacks } from '../loading/stacks.ts';
import type { ToCoordinator } from '../protocol.ts';

/** Callbacks for sources that are being compiled, by key. */
export type PendingCompilations = Map<string, (error: { message: string; line: number; column: number } | undefined) => void>;

let hooked: HookedModules | undefined;

/**
 * Creates a module loader. The coordinator compiles sources that are not in the cache. Without the flags of a lane, modules are loaded by
 * hooks.
 */
export function createModuleLoader(cache: string, compiling: PendingCompilations, send: (message: ToCoordinator) => void, loaders = noLoaders): ModuleLoader {
  const compile: Compile = (path, _source, key) => {
    send({ from: 'lane', type: 'compile', key, path });
    return new Promise((resolve, reject) => {
      compiling.set(key, (error) => {
        compiling.delete(key);
        if (!error) resolve();
        else reject(compileFailure(path, error));
      });
    });
  };
  if (canMakeModules()) return new Modules(new CompileCache(cache), loaders, compile);
  hooked ??= new HookedModules(new CompileCache(cache), loaders, compile);
  hooked.loaders = loaders;
  return hooked;
}

/** Reads the project's configuration, as plain data. */
export async function readConfig(path: string, modules: ModuleLoader): Promise<{ config: SerializedConfig; problems: readonly Problem[] }> {
  mapStacks(modules.maps);
  try {
    const { default: given } = await modules.import(pathToFileURL(path).href);
    const { config, problems } = serializeConfig(given);
    return { config, problems: problems.map((problem) => ({ ...problem, at: { file: path, line: 1, column: 1 } })) };
  } catch (error) {
    const { message, location } = buildThrowFailure(error, 'throw', {});
    return { config: {}, problems: [{ code: 'load-failed', file: basename(path), cause: 'throw', reason: message, at: location }] };
  }
}
