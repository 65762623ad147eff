// Reads, types, names, runs and records a million CSV rows with an empty body, in one lane and in two, relative to reading them only; also
// the memory of each process, and for four million rows. Two lanes are also compared with two simultaneous runs of half the rows: if these
// gain no more, the machine has no more to give.
// usage: cases.mjs [rounds]
import { spawn } from 'node:child_process';
import { createWriteStream, mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { report, watchMemory } from './measure.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const command = join(root, 'dist', 'command.js');
const rounds = Number(process.argv[2] ?? 3);
const { NODE_EXTRA_CA_CERTS, ...env } = process.env;
const folder = mkdtempSync(join(tmpdir(), 'red-lattice-bench-'));
mkdirSync(join(folder, 'node_modules'));
for (const name of ['papaparse', 'csv-parse']) symlinkSync(join(root, 'node_modules', name), join(folder, 'node_modules', name));
symlinkSync(root, join(folder, 'node_modules', 'red-lattice'));
writeFileSync(join(folder, 'package.json'), '{"type":"module"}');

async function writeRows(name, rows) {
  const file = createWriteStream(join(folder, name));
  file.write('berth,loa,hull,nights,resident\n');
  for (let from = 0; from < rows; from += 10_000) {
    const lines = Array.from({ length: Math.min(10_000, rows - from) }, (_, i) => {
      const row = from + i;
      return `B${row},${6 + (row % 40) / 2},${['mono', 'cat', 'tri'][row % 3]},${1 + (row % 28)},${row % 2 ? 'yes' : 'no'}\n`;
    });
    if (!file.write(lines.join(''))) await new Promise((resolve) => file.once('drain', resolve));
  }
  await new Promise((resolve) => file.end(resolve));
}
const testOf = (name) => `import { cell, dataFile, test } from 'red-lattice';
export const stays = test('a stay', { cases: dataFile('${name}', { columns: {
  berth: cell.text, loa: cell.number, hull: cell.oneOf('mono', 'cat', 'tri'), nights: cell.integer, resident: cell.boolean,
} }) }, () => {});\n`;
for (const [name, rows] of [
  ['half', 500_000],
  ['million', 1_000_000],
  ['four', 4_000_000],
]) {
  await writeRows(`${name}.csv`, rows);
  writeFileSync(join(folder, `${name}.lattice.ts`), testOf(`${name}.csv`));
}
writeFileSync(
  join(folder, 'papaparse.mjs'),
  `import papa from 'papaparse'; import { createReadStream } from 'node:fs'; let rows = 0;
papa.parse(createReadStream('million.csv', 'utf8'), { header: true, step: () => { rows++; }, complete: () => { if (rows !== 1e6) process.exitCode = 1; } });`,
);
writeFileSync(
  join(folder, 'csv-parse.mjs'),
  `import { parse } from 'csv-parse'; import { createReadStream } from 'node:fs'; let rows = 0;
for await (const row of createReadStream('million.csv').pipe(parse({ columns: true }))) rows++;
if (rows !== 1e6) process.exitCode = 1;`,
);

function run(args) {
  return new Promise((resolve, reject) => {
    const begun = performance.now();
    const child = spawn(process.execPath, args, { cwd: folder, env, stdio: ['ignore', 'pipe', 'inherit'] });
    const memory = new Map();
    let firstOutput;
    const look = setInterval(() => watchMemory(child.pid, memory), 20);
    child.stdout.on('data', () => {
      firstOutput ??= performance.now() - begun;
    });
    child.on('close', (status) => {
      clearInterval(look);
      if (status !== 0) reject(new Error(`${args.join(' ')} ended with ${status}`));
      else resolve({ milliseconds: performance.now() - begun, megabytes: Math.max(...memory.values()), firstOutput });
    });
  });
}

const cases = (name, lanes, record) => [command, 'run', '--lanes', lanes, '--record', record, `${name}.lattice.ts`];
let records = 0;
const things = {
  'papaparse header: true': () => run(['papaparse.mjs']),
  'csv-parse columns: true': () => run(['csv-parse.mjs']),
  'a million rows as cases': () => run([command, 'run', '--lanes', '1', 'million.lattice.ts']),
  'the same in two lanes': () => run([command, 'run', '--lanes', '2', 'million.lattice.ts']),
  'two runs of half the rows at once': async () => {
    const both = [run(cases('half', '1', `half-${records++}`)), run(cases('half', '1', `half-${records++}`))];
    const milliseconds = (await Promise.all(both)).map((one) => one.milliseconds);
    return { milliseconds: Math.max(...milliseconds) };
  },
};
const found = Object.fromEntries(Object.keys(things).map((name) => [name, []]));
try {
  for (let round = 0; round < rounds; round++) for (const [name, measure] of Object.entries(things)) found[name].push(await measure());
  const middle = (name, what) => found[name].map((one) => one[what]).sort((a, b) => a - b)[rounds >> 1];
  const [papa, csvParse, ours, inTwo, halves] = Object.keys(things).map((name) => middle(name, 'milliseconds'));
  report([
    { what: 'papaparse header: true', measured: papa, floor: papa },
    { what: 'csv-parse columns: true', measured: csvParse, floor: papa },
    { what: 'a million rows as cases', measured: ours, floor: papa, limit: 2.2 },
    { what: 'the same, to csv-parse', measured: ours, floor: csvParse, limit: 0.6 },
    { what: 'two runs of half the rows at once, to one', measured: halves, floor: ours },
    { what: 'in two lanes, to one', measured: inTwo, floor: ours, limit: Math.max(0.77, (1.1 * halves) / ours) },
  ]);
  const one = middle('a million rows as cases', 'megabytes');
  const four = (await run([command, 'run', '--lanes', '1', 'four.lattice.ts'])).megabytes;
  console.log(
    `memory of the largest process: ${one.toFixed(0)} MB for a million (at most 120), ${four.toFixed(0)} MB for four (at most 1.1 x: ${(four / one).toFixed(2)})`,
  );
  if (one > 120 || four > one * 1.1) process.exitCode = 1;
} finally {
  rmSync(folder, { recursive: true, force: true });
}
