import { createHash } from 'node:crypto';
import { cell, dataFile, type MatrixOptions, matrix, planSuites, test } from 'red-lattice';
import { createRandom } from '../../src/cases/random.ts';

type Row = Record<string, number>;
type Search = { axes: Record<string, number[]>; options: MatrixOptions<Row> };

const equalAxes = (count: number, levels: number): Record<string, number[]> =>
  Object.fromEntries(Array.from({ length: count }, (_, axis) => [`a${axis}`, Array.from({ length: levels }, (_, level) => level)]));

/** Axes of different sizes, with combinations that cannot occur, from a seed. */
function mixed(seed: number, strength: number): Search {
  const random = createRandom(`same rows ${seed}`);
  const sizes = Array.from({ length: random.integer(3, 7) }, () => random.integer(2, 5));
  const axes = Object.fromEntries(sizes.map((size, axis) => [`a${axis}`, Array.from({ length: size }, (_, level) => level)]));
  const names = Object.keys(axes);
  const value = (name: string): number => random.pick(axes[name] as number[]);
  const forbidden = Array.from({ length: random.integer(0, 3) }, () => {
    const [one, other] = random.shuffle(names) as [string, string];
    return { [one]: value(one), [other]: [value(other), value(other)] };
  });
  const [read, alsoRead] = random.shuffle(names) as [string, string];
  const options: MatrixOptions<Row> = {
    strength,
    seed,
    exclude: (never) => [...forbidden, never([read, alsoRead], (row) => (row[read] as number) + (row[alsoRead] as number) === 6)],
  };
  return { axes, options };
}

const searches: Record<string, (seed: number) => Search> = {
  pairs: (seed) => mixed(seed, 2),
  triples: (seed) => mixed(seed, 3),
  thorough: (seed) => {
    const { axes, options } = mixed(seed, 2);
    return { axes, options: { ...options, effort: 'thorough' } };
  },
  'with a stronger part': (seed) => {
    const { axes, options } = mixed(seed, 2);
    return { axes, options: { ...options, mixedStrength: [{ axes: Object.keys(axes).slice(0, 3), strength: 3 }], include: [{ a0: 1, a2: 1 }, { a1: 0 }] } };
  },
  'locating one': (seed) => {
    const { axes, options } = mixed(seed, seed % 3 === 0 ? 1 : 2);
    return { axes, options: { ...options, locate: 1 } };
  },
  'locating one in threes': (seed) => {
    const { axes, options } = mixed(seed, 3);
    return { axes, options: { ...options, locate: 1 } };
  },
  'locating two': (seed) => {
    const { axes, options } = mixed(seed, 1);
    return { axes, options: { ...options, locate: 2 } };
  },
  'equal axes': (seed) => ({ axes: equalAxes(Math.floor(seed / 10), seed % 10), options: { strength: 2 } }),
  'equal axes in threes': (seed) => ({ axes: equalAxes(Math.floor(seed / 10), seed % 10), options: { strength: 3 } }),
};

/** The rows of a test's cases. Suites within tests do not use cached rows. */
async function listRows({ axes, options }: Search): Promise<Row[]> {
  const all: Row[] = [];
  for await (const { row } of planSuites([test('t', { cases: matrix(axes, options) }, () => {})])) all.push(row as Row);
  return all;
}

/** A change of the search that gives other rows changes this file, and needs a new version of cached rows. */
export const sameRows = test('the same seed gives the same rows as ever: {search}, seed {seed}', {
  timeout: 60_000,
  cases: dataFile('same-rows.csv', {
    columns: { search: cell.oneOf(...(Object.keys(searches) as [string, ...string[]])), seed: cell.integer, rows: cell.integer, hash: cell.text },
  }),
}, async ({ row: { search, seed }, check }) => {
  const rows = await listRows((searches[search] as (seed: number) => Search)(seed));
  const hash = createHash('sha256').update(JSON.stringify(rows)).digest('hex').slice(0, 8);
  check.columns({ rows: rows.length, hash });
});
