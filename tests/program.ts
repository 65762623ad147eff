import { execFile } from 'node:child_process';
import { fileURLToPath } from 'node:url';

/** The project's own folder. */
export const root = fileURLToPath(new URL('..', import.meta.url));

const examples = `${root}examples`;

/** The example's database is WebAssembly: the quick compiler is enough for it, at half the price. Elsewhere it makes starts slower. */
const flagsIn = (cwd: string): string[] => (cwd.startsWith(examples) ? ['--liftoff-only', '--wasm-lazy-compilation'] : []);

/** Runs a program of Node's to its end, without colours. */
export function runNode(
  args: readonly string[],
  cwd: string,
  more: Readonly<Record<string, string>> = {},
): Promise<{ status: number; out: string; output: string }> {
  const { FORCE_COLOR, GITHUB_ACTIONS, TF_BUILD, ...env } = process.env;
  return new Promise((resolve) => {
    execFile(process.execPath, [...flagsIn(cwd), ...args], { cwd, env: { ...env, NO_COLOR: '1', ...more }, maxBuffer: 1 << 26 }, (error, out, err) =>
      resolve({ status: error ? Number(error.code ?? 1) : 0, out, output: out + err }),
    );
  });
}

/** Runs the built command. */
export const runCommand = (args: readonly string[], cwd: string, more?: Readonly<Record<string, string>>): ReturnType<typeof runNode> =>
  runNode([`${root}/dist/command.js`, ...args], cwd, more);
