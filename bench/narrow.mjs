// Plants causes in matrices and measures how often they are named, and how many extra cases that takes.
// usage: narrow.mjs [--seed 1] [--count 200] [--only abcdefg] [--show]   (seeds below 1000 are for tuning)
import { parseArgs } from 'node:util';
import { formatCondition, matrix, narrow, whereItFails } from 'red-lattice';

const { values: options } = parseArgs({
  options: {
    seed: { type: 'string', default: '1000' },
    count: { type: 'string', default: '200' },
    show: { type: 'boolean', default: false },
    only: { type: 'string', default: 'abcdefg' },
  },
});
const count = Number(options.count);

/** The same numbers for the same seed. */
function randomFrom(seed) {
  let state = Math.imul(seed + 1, 0x9e3779b1);
  const next = () => {
    state = (state + 0x9e3779b9) | 0;
    let mixed = Math.imul(state ^ (state >>> 16), 0x21f0aaad);
    mixed = Math.imul(mixed ^ (mixed >>> 15), 0x735a2d97);
    return ((mixed ^ (mixed >>> 15)) >>> 0) / 2 ** 32;
  };
  return { next, below: (n) => Math.floor(next() * n) };
}

function makeAxes(random, axisCount) {
  return Object.fromEntries(Array.from({ length: axisCount }, (_, i) => [`a${i}`, Array.from({ length: 2 + random.below(3) }, (_, v) => `${'abcd'[v]}${i}`)]));
}

function plantCause(random, axes, size) {
  const names = Object.keys(axes);
  const chosen = new Set();
  while (chosen.size < size) chosen.add(names[random.below(names.length)]);
  return Object.fromEntries([...chosen].sort().map((name) => [name, axes[name][random.below(axes[name].length)]]));
}

const meets = (row, cause) => Object.entries(cause).every(([name, value]) => row[name] === value);
const nameOf = (cause) =>
  Object.entries(cause)
    .map(([name, value]) => `${name}=${value}`)
    .sort()
    .join(' & ');
const conditionsOf = ({ conditions }) => conditions.map(formatCondition).sort().join(' & ');

async function rowsOf(source) {
  const rows = [];
  for await (const row of source) rows.push(row);
  return rows;
}

function search(rows, fails, settings) {
  const results = rows.map((row) => ({ row, failed: fails(row) }));
  const running = narrow(results, settings);
  let extra = 0;
  let step = running.next();
  for (; !step.done; extra++) step = running.next(fails(step.value));
  return { ...step.value, extra, results };
}

const median = (numbers) => [...numbers].sort((a, b) => a - b)[numbers.length >> 1];
const say = (what, n, of, goal, more = '') => {
  const rate = (100 * n) / of;
  const isMissed = rate < goal;
  if (isMissed) process.exitCode = 1;
  console.log(`${what.padEnd(58)} ${n} of ${of}  ${rate.toFixed(1)} % (at least ${goal} %)${isMissed ? '  MISSED' : ''}${more}`);
};

async function* situations(kind, causeCount = 1) {
  for (let i = 0; i < count; i++) {
    const seed = Number(options.seed) + i;
    const random = randomFrom(seed * 7 + kind.length);
    const axisCount = 5 + random.below(16);
    const axes = makeAxes(random, axisCount);
    const strength = 2 + random.below(2);
    const rows = await rowsOf(matrix(axes, { strength, seed: seed % 50 }));
    const causes = [];
    while (causes.length < causeCount) {
      const cause = plantCause(random, axes, 2 + random.below(2));
      // A cause must make a row fail, must not be part of another cause, and needs a row that fails for no other cause.
      const own = rows.filter((row) => meets(row, cause));
      const shares = causes.some(
        (other) =>
          Object.entries(cause).every(([name, value]) => other[name] === value) || Object.entries(other).every(([name, value]) => cause[name] === value),
      );
      const hasOwnRows = [...causes, cause].every((one) =>
        rows.some((row) => meets(row, one) && ![...causes, cause].some((other) => other !== one && meets(row, other))),
      );
      if (own.length > 0 && !shares && hasOwnRows) causes.push(cause);
    }
    yield { seed, random, axes, axisCount, strength, rows, causes };
  }
}

if (options.only.includes('a')) {
  let exact = 0;
  const excess = [];
  const bySize = new Map();
  for await (const { seed, axisCount, rows, causes } of situations('one')) {
    const { causes: found, extra } = search(rows, (row) => causes.some((cause) => meets(row, cause)), { seed });
    const isExact = found.length === 1 && conditionsOf(found[0]) === nameOf(causes[0]) && found[0].isProven;
    if (isExact) exact++;
    else if (options.show)
      console.log(`seed ${seed}: ${nameOf(causes[0])} found as ${found.map((one) => `${conditionsOf(one)}${one.isProven ? '' : ' (not proven)'}`).join('; ')}`);
    excess.push(extra - (2 + 2 * Math.log2(axisCount)));
    const key = axisCount < 10 ? '5 to 9 axes' : axisCount < 15 ? '10 to 14 axes' : '15 to 20 axes';
    bySize.set(key, [...(bySize.get(key) ?? []), extra]);
  }
  say('(a) one cause in a covering matrix: named exactly', exact, count, 99);
  for (const [key, extras] of [...bySize].sort()) console.log(`    ${key}: median ${median(extras)} extra cases`);
  console.log(`    median above 2 + 2 log2(axes): ${median(excess).toFixed(1)}${median(excess) > 0 ? '  OVER' : ''}`);
  if (median(excess) > 0) process.exitCode = 1;
}
if (options.only.includes('b')) {
  let exact = 0;
  const extras = [];
  for await (const { seed, rows, causes } of situations('two', 2)) {
    const { causes: found, unexplained, extra } = search(rows, (row) => causes.some((cause) => meets(row, cause)), { seed });
    const names = found.map(conditionsOf).sort().join('; ');
    if (names === causes.map(nameOf).sort().join('; ')) exact++;
    else if (options.show) console.log(`seed ${seed}: ${causes.map(nameOf).join('; ')} found as ${names}`, JSON.stringify(unexplained));
    extras.push(extra);
  }
  say('(b) two causes: both named exactly', exact, count, 95, `  median ${median(extras)} extra cases`);
}
if (options.only.includes('c')) {
  let named = 0;
  let tried = 0;
  let expected = 0;
  for await (const { seed, rows, causes } of situations('suspects')) {
    const results = rows.map((row) => ({ row, failed: meets(row, causes[0]) }));
    if (results.filter(({ failed }) => failed).length !== 1) continue;
    tried++;
    const { suspects, causes: found } = whereItFails(results);
    // Suspects with one failing row are equally likely: a chance above three in all is not possible.
    expected += Math.min(1, 3 / Math.max(1, found.length + (suspects?.combinations.length ?? 0)));
    const first = [...found, ...(suspects?.combinations ?? [])].slice(0, 3).map(conditionsOf);
    if (first.includes(nameOf(causes[0]))) named++;
    else if (options.show) console.log(`seed ${seed}: ${nameOf(causes[0])} not in ${first.join('; ')} of ${suspects?.combinations.length}`);
  }
  console.log(
    `(c) one failing row: the cause among the first three suspects ${named} of ${tried}  ${((100 * named) / tried).toFixed(1)} % (wanted: 90 %; by chance among equals ${((100 * expected) / tried).toFixed(1)} %)`,
  );
}
if (options.only.includes('d')) {
  let named = 0;
  const costs = [];
  for (let i = 0; i < count; i++) {
    const random = randomFrom(Number(options.seed) * 11 + i);
    const axes = makeAxes(random, 5 + random.below(16));
    const plain = await rowsOf(matrix(axes, { strength: 2, seed: i % 10 }));
    const rows = await rowsOf(matrix(axes, { strength: 2, seed: i % 10, locate: 1 }));
    costs.push(rows.length / plain.length);
    const cause = plantCause(random, axes, 1 + random.below(2));
    const { suspects, causes } = whereItFails(rows.map((row) => ({ row, failed: meets(row, cause) })));
    const [first] = [...causes, ...(suspects?.combinations ?? [])].map(conditionsOf);
    if (first === nameOf(cause)) named++;
    else if (options.show) console.log(`locating matrix ${i}: ${nameOf(cause)} found as ${first}`);
  }
  say('(d) a value or a pair in a matrix that locates: named first', named, count, 100, `  median ${median(costs).toFixed(2)} times the covering rows`);
}
if (options.only.includes('g')) {
  let named = 0;
  let tried = 0;
  const costs = [];
  for (let i = 0; tried < count; i++) {
    const random = randomFrom(Number(options.seed) * 17 + i);
    // The rows for two take seconds with many axes.
    const axes = makeAxes(random, 5 + random.below(6));
    const planted = [plantCause(random, axes, 1 + random.below(2)), plantCause(random, axes, 1 + random.below(2))];
    const rows = await rowsOf(matrix(axes, { strength: 2, seed: i % 10, locate: 2 }));
    const fails = (row) => planted.some((cause) => meets(row, cause));
    // Neither of the two may explain all failures.
    if (rows.every(fails) || planted.some((cause) => rows.every((row) => meets(row, cause) === fails(row)))) continue;
    tried++;
    costs.push(rows.length / (await rowsOf(matrix(axes, { strength: 2, seed: i % 10 }))).length);
    const { suspects, causes } = whereItFails(rows.map((row) => ({ row, failed: fails(row) })));
    const found = [...causes, ...(suspects?.combinations ?? [])].slice(0, 2).map(conditionsOf);
    // Conditions with the same rows in the whole matrix are equally right: of three values, `a!=1` means the same as `a=2` and `a=3`.
    const holds = (part, row) => (part.includes('!=') ? row[part.split('!=')[0]] !== part.split('!=')[1] : row[part.split('=')[0]] === part.split('=')[1]);
    const isNamed = rows.every((row) => found.some((name) => name.split(' & ').every((part) => holds(part, row))) === fails(row));
    if (isNamed) named++;
    else if (options.show) console.log(`matrix ${i} that locates two: ${planted.map(nameOf).sort().join('; ')} found as ${found.join('; ')}`);
  }
  say('(g) two of them in a matrix that locates two: named first', named, tried, 99, `  median ${median(costs).toFixed(2)} times the covering rows`);
}
if (options.only.includes('e')) {
  let named = 0;
  let tried = 0;
  for (let i = 0; tried < count; i++) {
    const random = randomFrom(Number(options.seed) * 13 + i);
    const axes = makeAxes(random, 3 + random.below(3));
    const rows = await rowsOf(matrix(axes));
    if (rows.length < 50 || rows.length > 200) continue;
    const cause = plantCause(random, axes, 2 + random.below(2));
    const results = rows.map((row) => ({ row, failed: meets(row, cause) }));
    if (results.filter(({ failed }) => failed).length !== 3) continue;
    tried++;
    if (whereItFails(results).causes.map(conditionsOf).join('; ') === nameOf(cause)) named++;
    else if (options.show)
      console.log(`full matrix ${i}, ${rows.length} rows: ${nameOf(cause)} found as ${whereItFails(results).causes.map(conditionsOf).join('; ')}`);
  }
  say('(e) three failing rows of a full matrix: the cause is named', named, tried, 90);
}
if (options.only.includes('f')) {
  let clean = 0;
  for await (const { seed, random, rows, causes } of situations('noise')) {
    const isPlanted = seed % 2 === 0;
    const { causes: found } = search(rows, (row) => random.next() < 0.1 || (isPlanted && meets(row, causes[0])), { seed });
    const wrong = found.filter((one) => one.isProven && !(isPlanted && conditionsOf(one) === nameOf(causes[0])));
    if (wrong.length === 0) clean++;
    else if (options.show) console.log(`seed ${seed}: ${isPlanted ? nameOf(causes[0]) : 'nothing'} proven as ${wrong.map(conditionsOf).join('; ')}`);
  }
  say('(f) 10 % random failures: nothing proven falsely', clean, count, 95);
}
