// The number of rows of covering matrices, relative to published figures; each array is verified. The median of five seeds must be within
// one row of the figure, or equal it if that is a proven optimum (*), in half a second, or ten seconds with --thorough; slow machines get
// half as much more. Exit status 1 if a limit is exceeded.
// usage: matrix.mjs [--thorough] [part of a model]
// Limits of the constrained model: a quick set of rows in the same time, and within 10 % of the result of the other effort.
import { matrix, verifyCoverage } from 'red-lattice';

const models = [
  // model, strength, published, default, thorough, proven
  ['3^4', 2, '9 to 11', 9, 9, true],
  ['3^13', 2, '15 to 20', 15, 15],
  ['4^15 3^17 2^29', 2, '28 to 41', 29, 27],
  ['4^1 3^39 2^35', 2, '20 to 30', 22, 21],
  ['2^100', 2, '10 to 16', 10, 10, true],
  ['10^20', 2, '155 to 231', 190, 168],
  ['4^100', 2, '', 48, 44],
  ['4^200', 2, '', 58, 51],
  ['2^11', 3, '12 to 20', 12, 12, true],
  ['3^6', 3, '33 to 48', 33, 33],
  ['4^6', 3, '64 to 116', 64, 64, true],
  ['5^2 4^2 3^2', 3, '100 to 124', 100, 100, true],
  ['10^1 6^2 4^3 3^1', 3, '360 to 381', 360, 360, true],
  ['2^30', 3, '24 to 37', 26, 24],
  ['4^40', 3, '', 290, 263],
];

const axesOf = (model) =>
  Object.fromEntries(
    model.split(' ').flatMap((part, group) => {
      const [values, count] = part.split('^').map(Number);
      return Array.from({ length: count }, (_, i) => [`${group}.${i}`, Array.from({ length: values }, (_, value) => value)]);
    }),
  );

const thorough = process.argv.includes('--thorough');
const part = process.argv.slice(2).find((argument) => !argument.startsWith('--'));
const mostSeconds = { quick: 0.75, thorough: 15 };
const middle = (list) => list.sort((a, b) => a - b)[list.length >> 1];
console.log(`${'model'.padEnd(20)}t  ${'published'.padEnd(12)}figure  rows (five seeds)         seconds`);
for (const [model, cover, published, quick, deep, proven] of models) {
  if (part && !model.includes(part)) continue;
  const axes = axesOf(model);
  const [sizes, times] = [[], []];
  for (let seed = 1; seed <= 5; seed++) {
    const rows = [];
    const begun = performance.now();
    for await (const row of matrix(axes, { strength: cover, seed, effort: thorough ? 'thorough' : 'quick' })) rows.push(row);
    times.push((performance.now() - begun) / 1000);
    sizes.push(rows.length);
    if (seed === 1 && verifyCoverage(axes, rows, { strength: cover }).missing.length > 0) throw new Error(`${model}: not covered`);
  }
  const figure = thorough ? deep : quick;
  const listed = sizes.join(' ');
  const over = middle(sizes) > figure + (proven ? 0 : 1) || middle(times) > mostSeconds[thorough ? 'thorough' : 'quick'];
  if (over) process.exitCode = 1;
  console.log(
    `${model.padEnd(20)}${cover}  ${published.padEnd(12)}${String(figure).padStart(5)}${proven ? '*' : ' '}  ${listed.padEnd(24)}  ${middle(times).toFixed(2)}${over ? '  OVER' : ''}`,
  );
}

if (!part || 'constrained'.includes(part)) {
  const axes = axesOf('4^6 3^6 2^8');
  const names = Object.keys(axes);
  const pair = (i) => ({ [names[i]]: i % 2, [names[(i * 7 + 3) % 20]]: 1 });
  const triple = (i) => ({ [names[i]]: 0, [names[i + 6]]: 1, [names[i + 12]]: 0 });
  const exclude = (never) => [
    ...Array.from({ length: 10 }, (_, i) => pair(i)),
    ...[0, 1, 2].map(triple),
    // If the first is 2, the second must not be 0.
    ...[0, 2, 4].map((i) => never([names[i], names[i + 7]], (row) => row[names[i]] === 2 && row[names[i + 7]] === 0)),
  ];
  const counts = {};
  for (const effort of ['quick', 'thorough']) {
    const rows = [];
    const begun = performance.now();
    for await (const row of matrix(axes, { strength: 2, exclude, effort })) rows.push(row);
    const seconds = (performance.now() - begun) / 1000;
    const { missing, wrong } = verifyCoverage(axes, rows, { strength: 2, exclude });
    if (missing.length + wrong.length > 0) throw new Error('constrained: not covered');
    counts[effort] = rows.length;
    if (seconds > mostSeconds[effort]) process.exitCode = 1;
    console.log(`constrained, ${effort.padEnd(10)} ${rows.length} rows  ${seconds.toFixed(2)} s`);
  }
  if (counts.quick > counts.thorough * 1.1) process.exitCode = 1;
}
