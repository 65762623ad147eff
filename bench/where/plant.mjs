// Creates tables and matrices from a seed, with or without a planted cause of failure.

/** A generator of numbers in [0, 1): mulberry, 32 bits. */
function randomOf(seed) {
  let state = Math.imul(seed + 1, 0x9e3779b1);
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}

/** The minimum number of rows of a cause, and of rows that only one of its parts excludes: with fewer, chance decides. */
const leastRows = { clean: 5, flipped: 14 };
const leastWithout = { clean: 4, flipped: 10 };

export const kinds = ['value', 'pair', 'triple', 'range', 'two'];

/**
 * A test's rows with their statuses. `causes` are the planted ones: each a list of { column, holds(value) }; if several are planted, a row
 * that meets any of them fails. In a fifth of the tests, a tenth of the statuses are flipped.
 */
export function plant(seed, kind = kinds[seed % kinds.length]) {
  const random = randomOf(seed);
  const integer = (from, to) => from + Math.floor(random() * (to - from + 1));
  const pick = (items) => items[integer(0, items.length - 1)];
  const isFlipped = Math.floor(seed / kinds.length) % 5 === 0;
  for (;;) {
    const columns = Object.fromEntries(Array.from({ length: integer(3, 8) }, (_, i) => [`c${i}`, columnOf(pick, integer)]));
    const rows = random() < 0.5 ? tableOf(columns, integer(80, 600), random, pick) : matrixOf(columns, integer(80, 600), random);
    const causes = [];
    for (const parts of { value: [1], pair: [2], triple: [3], range: ['range'], two: [integer(1, 2), integer(1, 2)], none: [] }[kind]) {
      // Causes are independent: they use different columns.
      const names = Object.keys(columns).filter((name) => causes.every((cause) => cause.every(({ column }) => column !== name)));
      if (parts === 'range') causes.push(rangeCause(columns, rows, random, pick));
      else if (names.length >= parts) causes.push(valuesCause(columns, names, parts, pick));
    }
    if (kind === 'two' && causes.length < 2) continue;
    const met = causes.map((cause) => rows.filter((row) => cause.every(({ column, holds }) => holds(row[column]))).length);
    const least = isFlipped ? leastRows.flipped : leastRows.clean;
    const without = isFlipped ? leastWithout.flipped : leastWithout.clean;
    const isIdle = (cause, part) =>
      rows.filter(
        (row) =>
          !meets(row, cause) &&
          meets(
            row,
            cause.filter((one) => one !== part),
          ),
      ).length < without;
    if (causes.some((cause) => cause.some((part) => isIdle(cause, part)))) continue;
    const alone = causes.map((cause, i) => rows.filter((row) => meets(row, cause) && causes.every((other, j) => j === i || !meets(row, other))).length);
    if (met.some((n) => n < least || n > rows.length * 0.6) || alone.some((n) => n < least)) continue;
    const rate = 0.03 + random() * 0.4;
    const failed = rows.map((row) => (kind === 'none' ? random() < rate : causes.some((cause) => meets(row, cause)) !== (isFlipped && random() < 0.1)));
    return { rows, failed, causes, isFlipped: kind !== 'none' && isFlipped, kind };
  }
}

export const meets = (row, cause) => cause.every(({ column, holds }) => holds(row[column]));

/** A column: words, integers, fractions, dates, booleans. */
function columnOf(pick, integer) {
  const kind = pick(['words', 'words', 'few', 'whole', 'fraction', 'date', 'truth']);
  const size = integer(2, 6);
  if (kind === 'words') return { values: ['mono', 'cat', 'tri', 'barge', 'tug', 'punt'].slice(0, size) };
  if (kind === 'few') return { values: [6, 8, 9, 12, 15, 18].slice(0, size), isOrdered: true };
  if (kind === 'truth') return { values: [true, false] };
  if (kind === 'whole') return { make: (random) => Math.floor(random() * 60), isOrdered: true, values: [0, 10, 20, 30] };
  if (kind === 'fraction') return { make: (random) => Math.round(random() * 4000) / 100, isOrdered: true, values: [0.5, 2.5, 7.25] };
  return {
    make: (random) => new Date(Date.UTC(2031, 0, 1 + Math.floor(random() * 365))).toISOString().slice(0, 10),
    isOrdered: true,
    values: ['2031-01-01', '2031-04-01', '2031-10-31'],
  };
}

const tableOf = (columns, size, random, pick) =>
  Array.from({ length: size }, () => Object.fromEntries(Object.entries(columns).map(([name, { make, values }]) => [name, make ? make(random) : pick(values)])));

/** All combinations of the columns' values, or up to `most` of them. */
function matrixOf(columns, most, random) {
  let rows = [{}];
  for (const [name, { values }] of Object.entries(columns)) {
    rows = rows.flatMap((row) => values.map((value) => ({ ...row, [name]: value })));
    if (rows.length > 20_000) break;
  }
  const keep = most / rows.length;
  return keep >= 1 ? rows : rows.filter(() => random() < keep);
}

/** `parts` columns with one value each. */
function valuesCause(columns, names, parts, pick) {
  const chosen = new Set();
  while (chosen.size < parts) chosen.add(pick(names));
  return [...chosen].map((column) => {
    const { make, values, isOrdered } = columns[column];
    const value = pick(values);
    // In a column where nearly each row has a different value, the upper half represents a value.
    return make ? { column, holds: (one) => one >= values[1], isRange: isOrdered } : { column, value, holds: (one) => one === value };
  });
}

/** A range of an ordered column that contains a tenth to a half of the rows, sometimes with another column's value. */
function rangeCause(columns, rows, random, pick) {
  const ordered = Object.keys(columns).filter((name) => columns[name].isOrdered && name in (rows[0] ?? {}));
  if (ordered.length === 0) return [{ column: 'c0', holds: () => false }];
  const column = pick(ordered);
  const sorted = rows.map((row) => row[column]).sort((a, b) => (a < b ? -1 : a > b ? 1 : 0));
  const width = Math.floor(sorted.length * (0.1 + random() * 0.4));
  const at = Math.floor(random() * (sorted.length - width));
  const [from, to] = [sorted[at], sorted[at + width - 1]];
  const range = { column, holds: (one) => one >= from && one <= to, isRange: true };
  const words = Object.keys(columns).filter((name) => name !== column && !columns[name].isOrdered);
  if (random() < 0.6 || words.length === 0) return [range];
  const [other] = [pick(words)];
  const value = pick(columns[other].values);
  return [range, { column: other, value, holds: (one) => one === value }];
}
