import { matrix, test } from 'red-lattice';
import { LeftOut } from '../../src/node/left-out.ts';
import { createRunState } from '../../src/results/run-state.ts';

export const counted = test('cases are left out for a reason, and if there are any: {own}, {stop}, {lanes}', {
  cases: matrix({
    own: [undefined, 'the run was interrupted'],
    stop: [undefined, 'the run stopped after 1 failed'],
    lanes: ['none', 'all ran', 'some left', 'unknown'],
    died: [false, true],
    hasMore: [false, true],
  }),
}, ({ row: { own, stop, lanes, died, hasMore }, check }) => {
  const left = new LeftOut();
  left.reason = own;
  const finished = { type: 'finished', selected: 9, isStuck: false } as const;
  if (lanes !== 'none') {
    left.count(finished);
    for (const cases of lanes === 'some left' ? [2, 3] : [0]) left.count({ ...finished, notRun: { cases, isMore: lanes === 'unknown' } });
  }
  if (died) left.markUncounted();
  const state = createRunState();
  left.apply(state, stop, hasMore);
  const cases = lanes === 'some left' ? 5 : 0;
  const isMore = lanes === 'unknown' || died || hasMore;
  const reason = own ?? stop;
  check.equal(state.notRun, reason !== undefined && (cases > 0 || isMore) ? { cases, isMore, reason } : undefined);
  check.equal(state.counts['not-run'], state.notRun?.cases ?? 0);
});
