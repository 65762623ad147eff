// Copies of the project in which something is changed, and programs run in them.
import { spawn } from 'node:child_process';
import { cpSync, mkdirSync, readdirSync, rmSync, symlinkSync } from 'node:fs';
import { join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = fileURLToPath(new URL('..', import.meta.url));
export const workshop = join(root, '.red-lattice', 'faults');

/** The TypeScript files below a folder of the project, from its root. */
export const sourceFiles = (folder) =>
  readdirSync(join(root, folder), { withFileTypes: true, recursive: true })
    .filter((entry) => entry.isFile() && /(?<!\.d)\.ts$/.test(entry.name))
    .map((entry) => relative(root, join(entry.parentPath ?? entry.path, entry.name)))
    .filter((file) => !file.includes('node_modules'));

const copied = [
  'src',
  'tests',
  'scripts',
  'schema',
  'docs',
  'examples',
  'page',
  'package.json',
  'package-lock.json',
  'tsconfig.json',
  'README.md',
  'LICENSE',
  'CHANGELOG.md',
  'bench',
  'faults',
  'biome.json',
  'CONTRIBUTING.md',
  'SECURITY.md',
];

/** A whole copy of the project, with the packages of this one. */
export function makeCopy(folder) {
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  const skips = /[/\\](?:node_modules|\.red-lattice)(?:[/\\]|$)/;
  for (const name of copied)
    cpSync(join(root, name), join(folder, name), { recursive: true, filter: (path) => !skips.test(relative(root, path).padStart(1, '/')) });
  mkdirSync(join(folder, 'node_modules'));
  for (const name of readdirSync(join(root, 'node_modules')))
    if (name !== 'red-lattice') symlinkSync(join(root, 'node_modules', name), join(folder, 'node_modules', name));
  symlinkSync(folder, join(folder, 'node_modules', 'red-lattice'));
}

export const removeCopy = (folder) => rmSync(folder, { recursive: true, force: true });

/** The environment of programs in copies: Node would read additional certificates at each start. */
const { NODE_EXTRA_CA_CERTS, ...own } = process.env;
export const environment = { ...own, NO_COLOR: '1' };

/** Runs a program for up to `limit` milliseconds. Returns its status, or 'hang', and the end of its output. */
export function runNode(args, cwd, limit, env = {}, runtime = process.execPath) {
  return new Promise((done) => {
    const child = spawn(runtime, args, { cwd, env: { ...environment, ...env }, stdio: ['ignore', 'pipe', 'pipe'], detached: true });
    let output = '';
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (text) => (output = (output + text).slice(-200_000)));
    const timer = setTimeout(() => {
      output += '\nhang';
      process.kill(-child.pid, 'SIGKILL');
    }, limit);
    child.on('exit', (status, signal) => {
      clearTimeout(timer);
      setTimeout(() => done({ status: signal === 'SIGKILL' ? 'hang' : (status ?? 1), output }), 50);
    });
  });
}
