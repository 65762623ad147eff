// The project's own tests: first the trusted base, then all others with Red Lattice itself. With arguments, only what they select:
// usage: test.mjs [where…] [options of red-lattice run]
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { command, laneOptions, makeReady, must, root } from './steps.mjs';

const args = process.argv.slice(2);
const isPlace = (argument) => !argument.startsWith('-') && (/[*?]/.test(argument) || existsSync(join(root, argument.replace(/:\d+$/, ''))));

makeReady();
if (args.length === 0) must(process.execPath, [join(root, 'tests', 'root', 'run.mjs')]);
const where = args.some(isPlace) ? [] : ['tests', 'examples'];
// The example's database is WebAssembly. The baseline compiler suffices for it, in half the time.
const quickly = ['--liftoff-only', '--wasm-lazy-compilation'];
const { status } = spawnSync(process.execPath, [...quickly, command, 'run', ...where, ...(args.includes('--lanes') ? [] : laneOptions), ...args], {
  cwd: root,
  stdio: 'inherit',
});
process.exit(status ?? 1);
