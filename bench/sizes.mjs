// The cost of oversized texts, values and floods of output: the memory of the largest process, the record, and the output.
// usage: sizes.mjs
import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { environment, watchMemory } from './measure.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const command = join(root, 'dist', 'command.js');
const days = 200_000;

/** Projects with their limits: megabytes of the coordinator, of the record and of the output, and seconds. */
const projects = [
  {
    name: 'texts of 200 MB: a message, a note, a reason, a title of a step',
    test: `const long = 'x'.repeat(200_000_000);
      export const throws = test('throws', () => { throw new Error(long); });
      export const note = test('note', ({ check }) => check.equal(1, 2, long));
      export const skips = test('skips', ({ skip }) => skip(long));
      export const step = test('step', ({ step, check }) => step(long, () => check.equal(long, long + 'y')));`,
    limits: { coordinator: 150, record: 1, output: 0.2, seconds: 20 },
  },
  {
    name: '100,000 late checks and lines',
    test: `export const late = test('late', ({ check, log }) => {
        setTimeout(() => { for (let i = 0; i < 100_000; i++) { check.equal(i, -1); log('a line', i); } }, 10);
        check.holds(true);
      });`,
    limits: { coordinator: 150, record: 1, output: 0.2, seconds: 20 },
  },
  {
    name: '100,000 failing checks in one case',
    test: `export const many = test('many', ({ check }) => { for (let i = 0; i < 100_000; i++) check.equal(i, -1); });`,
    limits: { coordinator: 150, record: 2, output: 0.2, seconds: 20 },
  },
  {
    name: 'byte arrays of 50 MB that are equal',
    test: `export const bytes = test('bytes', ({ check }) => check.equal(new Uint8Array(5e7), new Uint8Array(5e7)));`,
    limits: { coordinator: 150, record: 1, output: 0.1, seconds: 5 },
  },
  {
    name: `${days.toLocaleString('en')} rows with a date`,
    test: `export const stays = test('a stay', { cases: dataFile('stays.csv', { columns: { day: cell.date, nights: cell.integer } }) }, ({ row, check }) => check.holds(row.day instanceof Date));`,
    files: { 'stays.csv': `day,nights\n${Array.from({ length: days }, (_, i) => `2031-0${1 + (i % 9)}-1${i % 10},${i}\n`).join('')}` },
    limits: { coordinator: 150, record: 12, output: 0.1, seconds: 10 },
  },
];

const sizeOf = (path) => {
  const status = statSync(path);
  return status.isDirectory() ? readdirSync(path).reduce((sum, name) => sum + sizeOf(join(path, name)), 0) : status.size;
};

function measure({ test, files = {} }) {
  const folder = mkdtempSync(join(tmpdir(), 'red-lattice-bench-'));
  mkdirSync(join(folder, 'node_modules'));
  symlinkSync(root, join(folder, 'node_modules', 'red-lattice'));
  writeFileSync(join(folder, 'package.json'), '{"type":"module"}');
  writeFileSync(join(folder, 'a.lattice.mjs'), `import { cell, dataFile, test } from 'red-lattice';\n${test}\n`);
  for (const [name, text] of Object.entries(files)) writeFileSync(join(folder, name), text);
  return new Promise((resolve) => {
    const begun = performance.now();
    const child = spawn(process.execPath, [command, 'run', '--lanes', '1', '--record', 'record'], {
      cwd: folder,
      env: environment,
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    const memory = new Map();
    const look = setInterval(() => watchMemory(child.pid, memory), 20);
    let output = 0;
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (text) => (output += text.length));
    child.on('close', () => {
      clearInterval(look);
      const seconds = (performance.now() - begun) / 1000;
      resolve({ coordinator: memory.get(child.pid) ?? 0, record: sizeOf(join(folder, 'record')) / 1e6, output: output / 1e6, seconds });
      rmSync(folder, { recursive: true, force: true });
    });
  });
}

for (const project of projects) {
  const found = await measure(project);
  const figures = Object.entries(project.limits).map(([what, limit]) => {
    const isOver = found[what] > limit;
    if (isOver) process.exitCode = 1;
    return `${what} ${found[what].toFixed(1)} (at most ${limit}${isOver ? ', OVER' : ''})`;
  });
  console.log(`${project.name}\n  ${figures.join('  ')}`);
}
