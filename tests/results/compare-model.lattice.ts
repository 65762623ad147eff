import { range, suite, test } from 'red-lattice';
import { randomFrom } from '../../src/cases/random.ts';
import { type Change, changes, compare, hasNewFailure } from '../../src/results/compare.ts';
import type { JournalEntry } from '../../src/results/journal.ts';
import { nothingDone } from '../../src/running/outcome.ts';
import { type Status, statuses } from '../../src/running/result.ts';

const ended = (id: string, status: Status, body: number): JournalEntry => ({
  type: 'ended',
  result: { ...nothingDone, test: 0, ordinal: 0, id, title: id, row: {}, tags: [], attachments: [], status, times: { setup: 0, body, teardown: 0 } },
});

/** What becomes of a case, from a table: a row for its status before, a column for its status after. */
const table: Readonly<Record<'none' | 'fails' | 'passed' | 'excused', Readonly<Record<'none' | 'fails' | 'passed' | 'excused', Change | undefined>>>> = {
  none: { none: undefined, fails: 'new', passed: 'new', excused: 'new' },
  fails: { none: 'gone', fails: 'still failing', passed: 'fixed', excused: 'excused' },
  passed: { none: 'gone', fails: 'newly failing', passed: 'same', excused: 'excused' },
  excused: { none: 'gone', fails: 'newly failing', passed: 'same', excused: 'same' },
};
const kindOf = (status: Status | undefined) =>
  status === undefined ? 'none' : status === 'failed' || status === 'errored' ? 'fails' : status === 'passed' ? 'passed' : 'excused';

export const comparisons = suite('a comparison of two runs', [
  test('puts each case where its two statuses say: seed {seed}', { cases: range('seed', 1, 40) }, ({ row, check }) => {
    const random = randomFrom(`compare ${row.seed}`);
    const ids = Array.from({ length: 40 }, (_, i) => `a#${i}`);
    const side = (): Map<string, Status> => new Map(ids.flatMap((id) => (random.integer(0, 4) === 0 ? [] : [[id, random.pick(statuses)] as const])));
    const [before, after] = [side(), side()];
    const entries = (of: ReadonlyMap<string, Status>) => (): JournalEntry[] =>
      random.shuffle([...of]).map(([id, status]) => ended(id, status, random.real(0, 400)));
    const found = compare(entries(before), entries(after));
    const expected = new Map<Change, string[]>();
    for (const id of ids) {
      const change = table[kindOf(before.get(id))][kindOf(after.get(id))];
      if (change) expected.set(change, [...(expected.get(change) ?? []), id]);
    }
    for (const change of changes) {
      const wanted = expected.get(change) ?? [];
      // By its times, a case that stayed the same can be slower or faster.
      if (change === 'same') check.equal(found.same + found.cases.slower.length + found.cases.faster.length, wanted.length, change);
      else if (change !== 'slower' && change !== 'faster') check.equal(found.cases[change].map(({ id }) => id).sort(), wanted.sort(), change);
    }
    const isRed = ids.some((id) => kindOf(after.get(id)) === 'fails' && kindOf(before.get(id)) !== 'fails');
    check.equal(hasNewFailure(found), isRed, 'whether a case fails that did not');
  }),
]);
