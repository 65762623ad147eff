import { dataFile, suite, test } from 'red-lattice';
import { type Change, type Comparison, compare } from '../../src/results/compare.ts';
import type { JournalEntry } from '../../src/results/journal/entries.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import type { Status } from '../../src/running/result.ts';

/** A record of one test: the statuses and durations of its cases. */
type Made = Readonly<Record<string, readonly [status: Status, milliseconds?: number]>>;

function* entries(made: Made, suiteTitle = 'stays'): Generator<JournalEntry> {
  const id = `a.lattice.ts#${suiteTitle}/a-stay`;
  yield { type: 'test', header: { test: 0, id, file: 'a.lattice.ts', path: [suiteTitle, 'a stay'], tags: [], columns: [] } };
  for (const [ordinal, [name, [status, milliseconds = 1]]] of Object.entries(made).entries()) {
    const times = { setup: 500 * ordinal, body: milliseconds, teardown: 0 };
    yield {
      type: 'ended',
      result: {
        ...EMPTY_OUTCOME,
        test: 0,
        ordinal,
        id: `${id}/${name}`,
        title: `${suiteTitle} › a stay › ${name}`,
        row: {},
        tags: [],
        attachments: [],
        status,
        times,
      },
    };
  }
}

const changesIn = ({ cases }: Comparison): Record<string, Change> =>
  Object.fromEntries(Object.entries(cases).flatMap(([change, all]) => all.map(({ title }) => [title.split(' › ').at(-1), change])));

/** Many cases with similar durations in both, so that a spread is known. */
const many = (factor: number, more: Made = {}): Made => ({
  ...Object.fromEntries(Array.from({ length: 40 }, (_, i) => [`n${i}`, ['passed', (100 + i) * factor * (1 + ((i * 7) % 11) / 100)]] as const)),
  ...more,
});

interface Compared {
  readonly before: Made;
  readonly after: Made;
  readonly factors?: readonly [number, number];
  readonly changes: Readonly<Record<string, Change>>;
  readonly same: number;
}

export const comparison = suite('a comparison of records', [
  test('compares case by case: {what}', {
    cases: dataFile('compared.yaml'),
  }, ({ row, check }) => {
    const { before, after, factors, changes, same } = row as unknown as Compared;
    const [first, second] = factors ? [many(factors[0], before), many(factors[1], after)] : [before, after];
    const found = compare(
      () => entries(first),
      () => entries(second),
    );
    check.equal([changesIn(found), found.same], [changes, same]);
  }),

  test('has no pace if no case passed in both', ({ check }) => {
    const record = (status: Status) => () => entries({ a: [status] });
    check.equal([compare(record('failed'), record('passed')).pace, compare(record('failed'), record('failed')).pace], [1, 1]);
  }),

  test('takes a slower machine into account', ({ check }) => {
    check.closeTo(
      compare(
        () => entries(many(1)),
        () => entries(many(3)),
      ).pace,
      3,
      { relative: 0.01 },
    );
  }),

  test('matches the cases of two variants by what they share', ({ check }) => {
    const both = function* (): Generator<JournalEntry> {
      yield* entries({ a: ['passed'], b: ['passed'] }, 'this-year');
      yield* entries({ a: ['failed'], b: ['passed'], c: ['passed'] }, 'next-year');
      // It belongs to both.
      yield { type: 'teardown-failed', id: 'teardown', title: 'teardown of the quay', result: { ...EMPTY_OUTCOME, status: 'errored' } };
    };
    const found = compare(both, both, { before: 'this year', after: 'next year' });
    check.equal([changesIn(found), found.same], [{ a: 'newly failing', c: 'new' }, 1]);
  }),
]);
