import { type CaseSource, range, rows, test, values } from 'red-lattice';
import { createRandom, type Random } from '../../src/cases/random.ts';

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
    () => rows(list),
    () => rows(() => list[Symbol.iterator]()),
    () =>
      values(
        column,
        list.map((row) => row[column] as number),
      ) as CaseSource<Row>,
  ]);
  if (random.integer(0, 3) > 0) return { source: made(), list };
  const [from, size] = [random.integer(-2, 2), random.integer(0, 3)];
  return { source: range(column, from, from + size) as CaseSource<Row>, list: Array.from({ length: size + 1 }, (_, i) => ({ [column]: from + i })) };
}

/** A random composition, computed on both sides. */
function compose(random: Random, depth: number, names: string[]): Pair {
  const fresh = (): string => `c${names.push('') - 1}`;
  if (depth === 0) return leaf(random, fresh());
  const inner = (): Pair => compose(random, depth - 1, names);
  const one = inner();
  switch (random.integer(0, 7)) {
    case 0: {
      const two = inner();
      return { source: one.source.cross(two.source as never), list: one.list.flatMap((a) => two.list.map((b) => ({ ...a, ...b }))) };
    }
    case 1: {
      const two = inner();
      const size = Math.min(one.list.length, two.list.length);
      const cut = ({ source }: Pair): CaseSource<Row> => {
        const all = source;
        return rows(async function* () {
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
      const keep = (row: Row): boolean => Object.values(row).reduce((sum, value) => sum + value, 0) % 2 === 0;
      return { source: one.source.filter(keep), list: one.list.filter(keep) };
    }
    case 4: {
      const column = random.pick([...keysOf(one), fresh()]);
      const more = (row: Row): Row => ({ [column]: Object.keys(row).length });
      return { source: one.source.derive(more) as CaseSource<Row>, list: one.list.map((row) => ({ ...row, ...more(row) })) };
    }
    case 5: {
      const column = fresh();
      const more = (row: Row): Row[] => Array.from({ length: Math.abs(Object.values(row)[0] ?? 0) % 3 }, (_, i) => ({ [column]: i }));
      const given = random.integer(0, 1) ? more : (row: Row) => rows(more(row));
      return { source: one.source.expand(given) as CaseSource<Row>, list: one.list.flatMap((row) => more(row).map((other) => ({ ...row, ...other }))) };
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
  const { source, list } = compose(createRandom(`algebra ${row.seed}`), 1 + (row.seed % 4), []);
  check.equal(await collect(source), [...list]);
  check.equal(await collect(source), [...list], 'asked again');
});
