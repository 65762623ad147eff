import { range, test } from 'red-lattice';
import { createRandom } from '../../src/cases/random.ts';
import { ResultDispatcher } from '../../src/running/result-dispatcher.ts';
import type { RunListener } from '../../src/running/run-options.ts';

/** The first cases of a test are announced one by one. After this many, a stream of trivial cases is announced only once. */
const casesBeforeStream = 64;

export const announced = test('every running case is covered by the last announcement, so that a crash can be attributed to it: seed {seed}', {
  cases: range('seed', 1, 20),
}, async ({ row, check, ensure }) => {
  const random = createRandom(`announced ${row.seed}`);
  let last: { readonly run?: object | undefined; readonly test?: object | undefined } = {};
  const reported: unknown[] = [];
  const listener = {
    announce({ kind, run, test }: { kind: string; run?: object; test?: object }) {
      last = kind === 'stream' ? { test } : { run };
    },
    passed: (run: unknown) => void reported.push(run),
  };
  const dispatcher = new ResultDispatcher(listener as unknown as RunListener, false, 0);
  const runs: object[] = [];
  let streamed = 0;
  for (let test = 0; test < 3; test++) {
    const planned = { test };
    dispatcher.resetForTest();
    // From time to time, the cases become slow or trivial.
    let body = 0.01;
    for (let n = 0; n < 600; n++) {
      if (random.integer(0, 99) === 0) body = random.pick([0.01, 0.01, 5]);
      const run = { setup: 0, body, teardown: 0, begun: 0 };
      dispatcher.announce(run as never, planned as never, 'body', 100);
      if (last.run !== run) {
        ensure.equal([last.test === planned, n >= casesBeforeStream], [true, true], `case ${n} of test ${test}`);
        streamed++;
      }
      dispatcher.ended(run as never, undefined);
      runs.push(run);
    }
  }
  await dispatcher.drained();
  const alone = { setup: 0, body: 0, teardown: 0, begun: 0 };
  dispatcher.ended(alone as never, undefined);
  runs.push(alone);
  await dispatcher.drained();
  check.holds(streamed > 0, 'some are not announced');
  check.holds(reported.length === runs.length && reported.every((run, i) => run === runs[i]), 'each is reported once, in order');
});
