import type { ChildProcess } from 'node:child_process';
import { existsSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import type { Problem } from '../problems/problem.ts';
import type { SerializedConfig } from '../suites/config.ts';
import type { CompileService } from './compile-service.ts';
import { answerCompiling } from './lane-process.ts';
import { isToCoordinator, type ToLane } from './protocol.ts';

export interface Configuration {
  readonly config: SerializedConfig;
  readonly problems: readonly Problem[];
}

const names = ['ts', 'mts', 'js', 'mjs'].map((ending) => `red-lattice.config.${ending}`);

/** The time limit for loading a configuration, in milliseconds. */
const MAX_LOAD_MS = 30_000;

/** The path of the configuration in a folder, if there is one. */
export const findConfigurationIn = (folder: string): string | undefined => names.map((name) => join(folder, name)).find((path) => existsSync(path));

/** Finds the configuration of a project: its own, or that of the nearest package around it in the same repository, as for a workspace. */
export function findConfiguration(root: string): string | undefined {
  for (let at = root; ; at = dirname(at)) {
    const found = findConfigurationIn(at);
    if (found !== undefined && (at === root || existsSync(join(at, 'package.json')))) return found;
    if (at === dirname(at) || existsSync(join(at, '.git'))) return undefined;
  }
}

/** Loads the configuration in a lane, since it is the user's code. The lane can get its job afterwards. */
export function readConfiguration(path: string, cache: string, lane: ChildProcess, compiler: CompileService): Promise<Configuration> {
  return new Promise((resolve) => {
    const failed = (cause: 'exit' | 'timeout', reason: string): void =>
      done({ config: {}, problems: [{ code: 'load-failed', file: basename(path), cause, reason }] });
    const done = (configuration: Configuration): void => {
      clearTimeout(timer);
      lane.off('message', handleMessage);
      lane.off('exit', ended);
      resolve(configuration);
    };
    const timer = setTimeout(() => {
      failed('timeout', `not loaded within ${MAX_LOAD_MS} ms`);
      lane.kill('SIGKILL');
    }, MAX_LOAD_MS);
    const send = (message: ToLane): void => void (lane.connected && lane.send(message, () => undefined));
    const handleMessage = (message: unknown): void => {
      if (!isToCoordinator(message)) return;
      if (message.type === 'configured') done({ config: message.config, problems: message.problems });
      else if (message.type === 'compile') answerCompiling(message, compiler, send);
    };
    const ended = (code: number | null): void => failed('exit', `the process ended with exit status ${code}`);
    lane.on('message', handleMessage);
    lane.on('exit', ended);
    send({ to: 'lane', type: 'configure', path, cache });
  });
}
