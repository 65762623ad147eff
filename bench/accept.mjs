// Accepts 100,000 values in a CSV file, relative to parsing the results that request them. The run that creates the record is not measured.
// usage: accept.mjs [rounds]
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { alternate, environment, report, wall, watchMemory } from './measure.mjs';

const ROWS = 100_000;
const MAX_MEGABYTES = 300;
const MAX_MILLISECONDS = 3000;
const root = fileURLToPath(new URL('..', import.meta.url));
const command = join(root, 'dist', 'command.js');
const rounds = Number(process.argv[2] ?? 3);
const folder = mkdtempSync(join(tmpdir(), 'red-lattice-bench-'));
mkdirSync(join(folder, 'node_modules'));
symlinkSync(root, join(folder, 'node_modules', 'red-lattice'));
writeFileSync(join(folder, 'package.json'), '{"type":"module"}');
writeFileSync(
  join(folder, 'dues.csv'),
  `berth,loa,due,note\n${Array.from({ length: ROWS }, (_, i) => `berth ${i},${i % 40},${i % 7},"quay, ${i % 3 ? 'north' : 'south'}"\n`).join('')}`,
);
writeFileSync(
  join(folder, 'dues.lattice.mjs'),
  `import { cell, dataFile, test } from 'red-lattice';
export const dues = test('dues', { cases: dataFile('dues.csv', { columns: { berth: cell.text, loa: cell.number, due: cell.number, note: cell.text } }) },
  ({ row, check }) => void check.columns({ due: row.loa * 2 + 100 }));\n`,
);
writeFileSync(
  join(folder, 'floor.mjs'),
  `import { readFileSync } from 'node:fs';
for (const file of process.argv.slice(2)) for (const line of readFileSync(file, 'utf8').split('\\n')) if (line.startsWith('{"type":"ended"')) JSON.parse(line);\n`,
);
spawnSync(process.execPath, [command, 'run', '--record', 'record', '--show', 'summary'], { cwd: folder, env: environment });
const journals = readdirSync(join(folder, 'record'))
  .filter((name) => name.endsWith('.journal'))
  .map((name) => join('record', name));

const times = alternate(
  {
    floor: () => wall(['floor.mjs', ...journals], { cwd: folder }),
    accept: () => wall([command, 'accept', '--check', '--record', 'record'], { cwd: folder, status: 1 }),
  },
  rounds,
);
const seen = new Map();
const writing = spawn(process.execPath, [command, 'accept', '--yes', '--record', 'record'], { cwd: folder, env: environment, stdio: 'ignore' });
const watch = setInterval(() => watchMemory(writing.pid, seen), 20);
const status = await new Promise((resolve) => writing.once('close', resolve));
clearInterval(watch);
const written = readFileSync(join(folder, 'dues.csv'), 'utf8').split('\n');
if (status !== 0 || written[ROWS] !== `berth ${ROWS - 1},39,178,"quay, south"`) throw new Error(`accept ended with ${status}: ${written[ROWS]}`);
report([
  { what: 'parse the results', measured: times.floor, floor: times.floor },
  { what: `accept ${ROWS} values`, measured: times.accept, floor: times.floor, limit: 3 },
]);
const megabytes = Math.max(...seen.values());
if (megabytes > MAX_MEGABYTES) process.exitCode = 1;
console.log(`${(times.accept / 1000).toFixed(1)} s (wanted: ${MAX_MILLISECONDS / 1000} s); ${megabytes.toFixed(0)} MB (at most ${MAX_MEGABYTES} MB)`);
rmSync(folder, { recursive: true, force: true });
