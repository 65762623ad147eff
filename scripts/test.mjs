// The project's own tests: first the ground, then all else by Red Lattice itself.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { command, makeReady, must, root } from './steps.mjs';

makeReady();
must(process.execPath, [join(root, 'tests', 'root', 'run.mjs')]);
const { status } = spawnSync(process.execPath, [command, 'run', 'tests', 'examples', ...process.argv.slice(2)], { cwd: root, stdio: 'inherit' });
process.exit(status ?? 1);
