import { type CaseSource, namedRows, ProblemError, range, rows, suite, table, test, values } from 'red-lattice';
import { runInside } from '../inner.ts';

async function collect<Row extends object>(source: CaseSource<Row>): Promise<Row[]> {
  const all: Row[] = [];
  for await (const row of source) all.push(row);
  return all;
}

const hulls = values('hull', ['mono', 'cat']);
const nights = range('nights', 1, 3);

/** Two rows, the first of which has no valid name. */
const unnamed = values('berth', ['N4', 'S1']).nameBy(({ berth }) => (berth === 'N4' ? '' : berth));
const unnamedToo = values('quay', [1, 2]).nameBy(({ quay }) => (quay === 1 ? '' : 'two'));

export const sources = suite('sources', [
  test('{what}', {
    cases: namedRows<{ what: string; source: CaseSource<any>; rows: unknown[] }>({
      range: { what: 'count', source: range('x', 0.1, 0.5, 0.1), rows: [{ x: 0.1 }, { x: 0.2 }, { x: 0.3 }, { x: 0.4 }, { x: 0.5 }] },
      down: { what: 'count down', source: range('x', 3, 1, -1), rows: [{ x: 3 }, { x: 2 }, { x: 1 }] },
      cross: {
        what: 'are multiplied',
        source: hulls.cross(range('n', 1, 2)),
        rows: [
          { hull: 'mono', n: 1 },
          { hull: 'mono', n: 2 },
          { hull: 'cat', n: 1 },
          { hull: 'cat', n: 2 },
        ],
      },
      zip: {
        what: 'go side by side',
        source: hulls.zip(range('n', 1, 2)),
        rows: [
          { hull: 'mono', n: 1 },
          { hull: 'cat', n: 2 },
        ],
      },
      'asynchronous rows': {
        what: 'arrive later',
        source: rows({
          async *[Symbol.asyncIterator]() {
            yield { n: 1 };
            yield { n: 2 };
          },
        }),
        rows: [{ n: 1 }, { n: 2 }],
      },
      concat: { what: 'follow each other', source: hulls.concat(values('n', [1])), rows: [{ hull: 'mono' }, { hull: 'cat' }, { n: 1 }] },
      where: { what: 'are sifted', source: nights.filter((row) => row.nights !== 2), rows: [{ nights: 1 }, { nights: 3 }] },
      derive: { what: 'get columns', source: nights.derive((row) => ({ due: row.nights * 2 })).filter((row) => row.due > 4), rows: [{ nights: 3, due: 6 }] },
      expand: {
        what: 'branch',
        source: hulls.expand((row) => rows<{ berth: string }>(row.hull === 'cat' ? [{ berth: 'visitor' }] : [{ berth: 'north' }, { berth: 'south' }])),
        rows: [
          { hull: 'mono', berth: 'north' },
          { hull: 'mono', berth: 'south' },
          { hull: 'cat', berth: 'visitor' },
        ],
      },
    }),
  }, async ({ row, check }) => {
    check.equal(await collect(row.source), row.rows);
    check.equal(await collect(row.source), row.rows, 'the second time');
  }),

  test('sample repeatably, in their order', async ({ check }) => {
    const whole = await collect(range('n', 1, 2500));
    check.equal([whole.length, whole.findIndex(({ n }, i) => n !== i + 1)], [2500, -1]);
    const sample = range('n', 1, 1000).sample(20, 7);
    const [first, again, other] = [await collect(sample), await collect(sample), await collect(range('n', 1, 1000).sample(20, 8))];
    check.equal(first, again);
    check.notEqual(first, other);
    check.equal(first.length, 20);
    check.equal(
      first,
      [...first].sort((a, b) => a.n - b.n),
    );
  }),

  test('are lazy: an endless source is read only as far as needed', async ({ check, ensure }) => {
    let made = 0;
    const endless = rows(function* () {
      for (;;) yield { n: made++ };
    });
    for await (const row of endless.filter(({ n }) => n % 2 === 1)) if (row.n > 9) break;
    ensure.holds(made < 200, `${made} rows were made`);
    check.holds(made >= 11);
  }),

  test('keep the invalid rows of both sides: {how}', {
    cases: namedRows<{ how: string; source: CaseSource<any>; statuses: readonly string[] }>({
      left: { how: 'on the left', source: unnamed.cross(nights), statuses: ['errored/data', 'errored/data', 'errored/data', 'passed', 'passed', 'passed'] },
      right: { how: 'on the right', source: hulls.cross(unnamed), statuses: ['errored/data', 'passed', 'errored/data', 'passed'] },
      zip: { how: 'side by side', source: hulls.zip(unnamed), statuses: ['errored/data', 'passed'] },
      both: { how: 'on both sides', source: unnamed.zip(unnamedToo), statuses: ['errored/data', 'passed'] },
    }),
  }, async ({ row, check }) => {
    const { seen } = await runInside([test('t', { cases: row.source }, () => {})]);
    check.equal(
      seen.map(({ status }) => status),
      [...row.statuses],
    );
  }),

  test('reject {what}', {
    cases: namedRows<{ what: string; source: CaseSource<any>; says: string }>({
      'unequal lengths': { what: 'a zip of unequal lengths', source: hulls.zip(nights as never), says: 'zip: one side has 2 rows, the other 3.' },
      'a shared column': { what: 'a column from both sides', source: hulls.cross(values('hull', [1]) as never), says: 'both sides have `hull`' },
      'a shared column of a zip': {
        what: 'a column from both sides of a zip',
        source: hulls.zip(values('hull', [1, 2]) as never),
        says: 'zip: both sides have `hull`',
      },
      'a hidden shared column': {
        what: 'one that shows only in the rows',
        source: hulls.derive(() => ({ n: 1 })).cross(values('n', [1]) as never),
        says: 'both sides have `n`',
      },
      'no row': { what: 'an invalid row', source: rows([7 as never]), says: 'row 1 is 7; expected an object with columns' },
      'a range without end': { what: 'a range that never ends', source: range('n', 1, 5, -1), says: '1 to 5 by -1 is not a finite range' },
      'a range without steps': { what: 'a range that does not move', source: range('n', 1, 5, 0), says: '1 to 5 by 0 is not a finite range' },
      'an endless range': { what: 'an endless range', source: range('n', 1, Number.POSITIVE_INFINITY), says: '1 to Infinity by 1 is not a finite range' },
      'a row that throws': {
        what: 'a row for which a function throws',
        source: nights.derive(() => {
          throw new Error('no tide');
        }),
        says: 'no tide',
      },
      'a ragged table': { what: 'a ragged table', source: table(['a', 'b'], [[1] as never]), says: 'row 1 has 1 value for 2 columns (a, b)' },
    }),
  }, async ({ row, check }) => {
    const error = await check.throws(() => collect(row.source), ProblemError);
    check.includes((error as Error | undefined)?.message, row.says);
  }),
]);
