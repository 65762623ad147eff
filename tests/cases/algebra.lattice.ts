import { type CaseSource, namedRows, ProblemError, range, rows, table, test, values } from 'red-lattice';
import { createRandom, type Random } from '../../src/cases/random.ts';
import { CaseSourceImpl } from '../../src/cases/source.ts';
import * as sources from '../../src/index.ts';
import { runInside } from '../inner.ts';

type Row = Record<string, number>;

/** A source, and the rows that it must produce as a plain list. */
interface Pair {
  readonly source: CaseSource<Row>;
  readonly list: readonly Row[];
}

const keysOf = ({ list }: Pair): Set<string> => new Set(list.flatMap((row) => Object.keys(row)));

function leaf(random: Random, column: string): Pair {
  const list = Array.from({ length: random.integer(0, 4) }, () => ({ [column]: random.integer(0, 3) }));
  const made = random.pick<() => CaseSource<Row>>([
    () => sources.rows(list),
    () => sources.rows(() => list[Symbol.iterator]()),
    () =>
      sources.values(
        column,
        list.map((row) => row[column] as number),
      ) as CaseSource<Row>,
  ]);
  if (random.integer(0, 3) > 0) return { source: made(), list };
  const [from, size] = [random.integer(-2, 2), random.integer(0, 3)];
  return { source: sources.range(column, from, from + size) as CaseSource<Row>, list: Array.from({ length: size + 1 }, (_, i) => ({ [column]: from + i })) };
}

/** A random composition, computed on both sides. */
function compose(random: Random, depth: number, names: string[], overwritten: Set<string>): Pair {
  const fresh = (): string => `c${names.push('') - 1}`;
  if (depth === 0) return leaf(random, fresh());
  const inner = (): Pair => compose(random, depth - 1, names, overwritten);
  const one = inner();
  switch (random.integer(0, 9)) {
    case 0: {
      const two = inner();
      return { source: one.source.cross(two.source as never), list: one.list.flatMap((a) => two.list.map((b) => ({ ...a, ...b }))) };
    }
    case 1: {
      const two = inner();
      const size = Math.min(one.list.length, two.list.length);
      const cut = ({ source }: Pair): CaseSource<Row> => {
        const all = source;
        return sources.rows(async function* () {
          let taken = 0;
          for await (const row of all) if (taken++ < size) yield row;
        });
      };
      return { source: cut(one).zip(cut(two) as never), list: one.list.slice(0, size).map((row, i) => ({ ...row, ...two.list[i] })) };
    }
    case 2: {
      const two = inner();
      return { source: one.source.concat(two.source) as CaseSource<Row>, list: [...one.list, ...two.list] };
    }
    case 3: {
      const column = random.pick([...keysOf(one), fresh()]);
      const keep = (row: Row): boolean => (row[column] ?? 0) % 2 === 0;
      return { source: one.source.filter(keep), list: one.list.filter(keep) };
    }
    case 4: {
      const [from = ''] = keysOf(one);
      const column = random.pick([...keysOf(one), fresh()]);
      if (keysOf(one).has(column)) overwritten.add(column);
      const more = (row: Row): Row => ({ [column]: (row[from] ?? 0) + 1 });
      return { source: one.source.derive(more) as CaseSource<Row>, list: one.list.map((row) => ({ ...row, ...more(row) })) };
    }
    case 5: {
      const column = fresh();
      const more = (row: Row): Row[] => Array.from({ length: Math.abs(Object.values(row)[0] ?? 0) % 3 }, (_, i) => ({ [column]: i }));
      const given = random.integer(0, 1) ? more : (row: Row) => sources.rows(more(row));
      return { source: one.source.expand(given) as CaseSource<Row>, list: one.list.flatMap((row) => more(row).map((other) => ({ ...row, ...other }))) };
    }
    case 7: {
      const columns = [...keysOf(one)].filter(() => random.integer(0, 2) > 0);
      const select = (row: Row): Row => Object.fromEntries(Object.entries(row).filter(([column]) => columns.includes(column)));
      return { source: one.source.select(...(columns as never[])) as CaseSource<Row>, list: one.list.map(select) };
    }
    case 8: {
      const names = Object.fromEntries([...keysOf(one)].filter(() => random.integer(0, 1)).map((column) => [column, fresh()]));
      const rename = (row: Row): Row => Object.fromEntries(Object.entries(row).map(([column, value]) => [names[column] ?? column, value]));
      return { source: one.source.rename(names as never) as unknown as CaseSource<Row>, list: one.list.map(rename) };
    }
    case 6:
      return { source: one.source.nameBy((row) => JSON.stringify(row)).annotate(() => ({ tags: ['made-up'] })), list: one.list };
    default:
      return { source: one.source.sample(100), list: one.list };
  }
}

async function collect(source: CaseSource<Row>): Promise<Row[]> {
  const all: Row[] = [];
  for await (const row of source) all.push(row);
  return all;
}

export const algebra = test('compositions of sources have the same rows as lists: seed {seed}', { cases: range('seed', 1, 300) }, async ({ row, check }) => {
  const overwritten = new Set<string>();
  const { source, list } = compose(createRandom(`algebra ${row.seed}`), 1 + (row.seed % 4), [], overwritten);
  check.equal(await collect(source), [...list]);
  check.equal(await collect(source), [...list], 'asked again');
  const { rebuild } = CaseSourceImpl.partsOf(source);
  // What was computed from a value that was replaced later cannot be computed again.
  if (rebuild && overwritten.size === 0) for (const one of list) check.equal(rebuild({ row: one })?.row, one, 'a row that is rebuilt from its values');
});

const fourth = rows<{ a: number }>(() => [{ a: 1 }, 5 as never, { a: 3 }, { a: 4 }]);
const no = (what: string) => (row: { a: number }) => {
  if (row.a === 3) throw new RangeError(`no ${what}`);
  return row.a === 4 ? undefined : row;
};

export const broken = test('an invalid row, and one for which a function throws, fail their own cases only', {
  cases: namedRows<{ source: CaseSource<any>; says: string }>({
    select: { source: fourth.select('a'), says: 'a=1; row 2 is 5; a=3; a=4' },
    rename: { source: fourth.rename({ a: 'b' }), says: 'b=1; row 2 is 5; b=3; b=4' },
    sample: { source: fourth.sample(4), says: 'a=1; row 2 is 5; a=3; a=4' },
    filter: { source: fourth.filter((row) => no('tide')(row) !== undefined), says: 'a=1; row 2 is 5; RangeError: no tide' },
    derive: { source: fourth.derive((row) => no('tide')(row) ?? {}), says: 'a=1; row 2 is 5; RangeError: no tide; a=4' },
    nameBy: { source: fourth.nameBy((row) => String(no('tide')(row)?.a ?? '')), says: '1; row 2 is 5; RangeError: no tide; nameBy, row 4' },
    annotate: { source: fourth.annotate((row) => void no('tide')(row)), says: 'a=1; row 2 is 5; RangeError: no tide; a=4' },
    'a refused annotation': { source: fourth.annotate(() => ({ skip: 5 as never })), says: 'annotate; row 2 is 5; annotate; annotate' },
    expand: { source: fourth.expand((row) => [{ b: no('tide')(row)?.a }]), says: 'a=1, b=1; row 2 is 5; RangeError: no tide; a=4, b=undefined' },
    cross: { source: fourth.cross(values('b', [7, 8])), says: 'a=1, b=7; a=1, b=8; row 2 is 5; row 2 is 5; a=3, b=7; a=3, b=8; a=4, b=7; a=4, b=8' },
    'the other side of cross': { source: values('b', [7]).cross(fourth), says: 'b=7, a=1; row 2 is 5; b=7, a=3; b=7, a=4' },
    'both sides of cross': {
      source: fourth.filter((row) => row.a === 1).cross(fourth.rename({ a: 'b' })),
      says: 'a=1, b=1; row 2 is 5; a=1, b=3; a=1, b=4; row 2 is 5; row 2 is 5; row 2 is 5; row 2 is 5',
    },
    zip: { source: fourth.zip(values('b', [1, 2, 3, 4])), says: 'a=1, b=1; row 2 is 5; a=3, b=3; a=4, b=4' },
    'errors as plan errors': {
      source: fourth.derive((row) => {
        if (row.a === 3) throw new ProblemError([{ code: 'empty-axis', axis: 'a' }]);
        return {};
      }),
      says: 'a=1; row 2 is 5; axis "a" has no values; a=4',
    },
  }),
}, async ({ row, check }) => {
  const { seen } = await runInside([test('t', { cases: row.source }, () => {})]);
  const said = seen.map(({ title, result }) =>
    result.failures[0]
      ? /^.*?(?:row \d is 5|annotate|nameBy, row \d|RangeError: no tide|axis "a" has no values)/
          .exec(result.failures[0].message)?.[0]
          .replace(/.*threw for this row of [^:]*: /, '')
      : title.replace(/^t › /, ''),
  );
  check.equal(said.join('; '), row.says);
});

const listOf = (column: string, length: number) =>
  values(
    column,
    Array.from({ length }, (_, i) => i),
  );

export const unequal = test('sources of {left} and {right} rows are zipped: {says}', {
  cases: table(['left', 'right', 'says'], [
    [2, 2, 'nothing refused'],
    [2, 3, 'zip: one side has 2 rows, the other 3. Both sides need the same number of rows.'],
    [3, 2, 'zip: one side has 3 rows, the other 2. Both sides need the same number of rows.'],
    [0, 2, 'zip: one side has 0 rows, the other 2. Both sides need the same number of rows.'],
  ] as const),
}, async ({ row, check }) => {
  const zipped = listOf('a', row.left).zip(listOf('b', row.right) as never);
  let said = 'nothing refused';
  try {
    await collect(zipped as never);
  } catch (error) {
    said = (error as Error).message;
  }
  check.equal(said, row.says);
});

export const selected = test('a row of some columns is rebuilt as it is, and one of all columns by its source', ({ check }) => {
  const axes = sources.matrix({ a: [1, 2], b: [1, 2] }, { exclude: [{ a: 2, b: 2 }] });
  const rebuild = (source: unknown, row: object) => {
    const parts = CaseSourceImpl.partsOf(source as never);
    return parts.rebuild ? parts.rebuild({ row })?.row : row;
  };
  check.equal(rebuild(axes.select('b', 'a'), { a: 1, b: 2 }), { a: 1, b: 2 });
  check.equal(rebuild(axes.select('b', 'a'), { a: 2, b: 2 }), undefined);
  check.equal(rebuild(axes.select('b'), { b: 2 }), { b: 2 });
  check.equal(rebuild(axes.derive(({ a }) => ({ double: 2 * a })).select('double'), { double: 3 }), { double: 3 });
});

export const annotated = test('annotations of both sides of a cross add up', async ({ check }) => {
  const left = values('a', [1, 2]).annotate((row) => ({ tags: [`a${row.a}`] }));
  const right = values('b', [1, 2]).annotate((row) => (row.b === 2 ? { skip: 'closed', tags: ['b2'] } : undefined));
  const { seen } = await runInside([test('t', { cases: left.cross(right) }, () => {})]);
  check.equal(
    seen.map(({ tags, result }) => `${tags.join()} ${result.reason ?? 'ran'}`),
    ['a1 ran', 'a1,b2 closed', 'a2 ran', 'a2,b2 closed'],
  );
});
