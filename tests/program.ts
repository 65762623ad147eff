import { type ChildProcess, execFile, type SpawnOptions, spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';

/** The folder of this project. */
export const root = fileURLToPath(new URL('..', import.meta.url));

/** The built command. */
export const command = `${root}dist/command.js`;

const examples = `${root}examples`;

/** The example's database is WebAssembly. The baseline compiler suffices for it, in half the time; elsewhere it makes starts slower. */
const flagsIn = (cwd: string): string[] => (cwd.startsWith(examples) ? ['--liftoff-only', '--wasm-lazy-compilation'] : []);

/**
 * Returns the environment for programs that tests start: without CI and colours, and without additional certificates, which Node reads at
 * each start.
 */
export function plainEnvironment(): NodeJS.ProcessEnv {
  const { CI, FORCE_COLOR, GITHUB_ACTIONS, NODE_EXTRA_CA_CERTS, NO_COLOR, TF_BUILD, ...env } = process.env;
  return env;
}

/** Runs a program in Node to its end, without colours. */
export function runNode(
  args: readonly string[],
  cwd: string,
  more: Readonly<Record<string, string>> = {},
): Promise<{ status: number; out: string; output: string }> {
  const env = { ...plainEnvironment(), NO_COLOR: '1', ...more };
  return new Promise((resolve) => {
    execFile(process.execPath, [...flagsIn(cwd), ...args], { cwd, env, maxBuffer: 1 << 26 }, (error, out, err) =>
      resolve({ status: error ? Number(error.code ?? 1) : 0, out, output: out + err }),
    );
  });
}

/** Runs the built command to its end. */
export const runCommand = (args: readonly string[], cwd: string, more?: Readonly<Record<string, string>>): ReturnType<typeof runNode> =>
  runNode([command, ...args], cwd, more);

/** Starts the built command. */
export const startCommand = (args: readonly string[], cwd: string, options: SpawnOptions = {}): ChildProcess =>
  spawn(process.execPath, [command, ...args], { cwd, env: plainEnvironment(), ...options });
