import { matrix, range, suite, table, test, values } from 'red-lattice';
import { evaluateAnnotations } from '../../src/cases/annotations.ts';
import { createRandom } from '../../src/cases/random.ts';
import { describeOutsideCases, formatSummaryLine } from '../../src/formats/summary-line.ts';
import { createRunState, exitStatus, type RunState, warningsIn } from '../../src/results/run-state.ts';
import { buildThrowFailure } from '../../src/running/failures.ts';
import type { Cause } from '../../src/running/result.ts';
import { statuses } from '../../src/running/result.ts';
import { decideVerdict } from '../../src/running/verdict.ts';

const ofTest: readonly Cause[] = ['check', 'throw', 'timeout'];
const outside: readonly Cause[] = ['setup', 'teardown', 'data', 'crash', 'record'];

export const verdicts = suite('the status of a case', [
  test('with {first} and {second}, skipped: {skipped}, known: {known}', {
    cases: matrix({
      first: ['nothing', ...ofTest, ...outside],
      second: ['nothing', 'check', 'teardown'],
      skipped: [true, false],
      known: [true, false],
    }),
  }, ({ row, check }) => {
    const causes = [row.first, row.second].filter((cause): cause is Cause => cause !== 'nothing');
    const found = decideVerdict(
      { failures: causes.map((cause) => ({ cause, message: cause })), skipped: row.skipped ? 'no tide' : undefined },
      row.known ? 'the meter runs fast' : undefined,
    );
    const failed = causes.find((cause) => ofTest.includes(cause));
    const errored = causes.find((cause) => outside.includes(cause));
    // Failed over errored over known failure over skipped over passed. A known failure excuses failures, not errors.
    const expected =
      failed && !row.known
        ? { status: 'failed', cause: failed }
        : errored
          ? { status: 'errored', cause: errored }
          : failed
            ? { status: 'known-failure', cause: failed, reason: 'the meter runs fast' }
            : row.skipped
              ? { status: 'skipped', reason: 'no tide' }
              : row.known
                ? { status: 'failed', cause: 'unexpected-pass', reason: 'the meter runs fast' }
                : { status: 'passed' };
    check.equal({ ...found }, expected as never);
  }),

  test('a {kind} until {until} on {day}', {
    cases: values('kind', ['skip', 'knownFailure'] as const)
      .cross(values('until', [undefined, '2031-04-30']))
      .cross(
        table(
          ['day', 'isPast'],
          [
            ['2031-04-29', false],
            ['2031-04-30', true],
            ['2031-05-01', true],
            ['2030-12-31', false],
          ],
        ),
      ),
  }, ({ row, check }) => {
    const mark = row.until === undefined ? 'rain' : { reason: 'rain', until: row.until };
    const isOver = row.until !== undefined && row.isPast;
    check.equal(evaluateAnnotations({ [row.kind]: mark }, row.day), {
      skip: row.kind === 'skip' && !isOver ? 'rain' : undefined,
      expired: row.kind === 'skip' && isOver ? 'rain (skipped until 2031-04-30)' : undefined,
      notRequested: undefined,
      knownFailure: row.kind === 'knownFailure' && !isOver ? 'rain' : undefined,
    });
  }),
]);

/** A state with a few of everything that counts. */
function stateFrom(seed: number): RunState {
  const random = createRandom(`ending ${seed}`);
  const some = (): number => (random.integer(0, 2) === 0 ? random.integer(1, 3) : 0);
  const problems = (): any[] => Array.from({ length: some() }, () => ({ code: 'no-header' }));
  const state = createRunState();
  for (const status of statuses) state.counts[status] = some();
  state.tornDown.push(...(problems() as never[]));
  state.runProblems.push(...problems());
  if (random.integer(0, 2) === 0) state.planProblems.push(...problems());
  if (random.integer(0, 2) === 0) state.loadFailures.push(...problems());
  state.warnings.push(...problems());
  state.unchecked.cases = some();
  state.flaky.cases = some();
  if (random.integer(0, 9) > 0) state.planned = { files: 1, tests: 1, hash: '', suggestions: [] };
  if (random.integer(0, 9) === 0) state.unwritable = 'the disk is full';
  return state;
}

export const endings = suite('the end of a run', [
  test('has the exit status and the last lines of its state: seed {seed}', { cases: range('seed', 1, 120) }, ({ row, check }) => {
    const state = stateFrom(row.seed);
    const { counts, tornDown, runProblems, planProblems, loadFailures } = state;
    const failed = counts.failed + counts.errored;
    const total = statuses.reduce((sum, status) => sum + counts[status], 0);
    const isBroken = state.unwritable !== undefined || planProblems.length > 0 || loadFailures.length > 0 || state.planned === undefined;
    check.equal(exitStatus(state), isBroken ? 2 : failed + tornDown.length + runProblems.length > 0 ? 1 : total === 0 ? 3 : 0);
    check.equal(formatSummaryLine(state), `${counts.passed} passed, ${failed} failed${counts.skipped > 0 ? `, ${counts.skipped} skipped` : ''}`);
    check.equal(warningsIn(state), state.warnings.length + state.unchecked.cases + state.flaky.cases);
    const plural = (n: number, one: string, many = `${one}s`): string => `${n} ${n === 1 ? one : many}`;
    const parts = [
      counts.errored > 0 ? `${counts.errored} of ${plural(failed, 'failed case')} errored` : '',
      tornDown.length > 0 ? `${plural(tornDown.length, 'shared teardown')} failed` : '',
      runProblems.length > 0 ? plural(runProblems.length, 'problem outside the cases', 'problems outside the cases') : '',
      planProblems.length > 0 ? plural(planProblems.length, 'plan error') : '',
      loadFailures.length > 0 ? `${plural(loadFailures.length, 'file')} did not load` : '',
    ].filter(Boolean);
    check.equal(describeOutsideCases(state), parts.length === 0 ? undefined : `${total === 0 ? 'nothing ran: ' : ''}${parts.join(', ')}`);
  }),
]);

export const frames = test('the frames of a failure repeat no place of a recursion', ({ check }) => {
  const error = new Error('aground');
  const places = ['tide.ts:3:5', 'tide.ts:3:5', 'tide.ts:3:9', 'tide.ts:4:9', 'berth.ts:4:9', 'tide.ts:3:5'];
  error.stack = `Error: aground\n${places.map((place) => `    at sound (/office/${place})`).join('\n')}`;
  const { location, frames = [] } = buildThrowFailure(error, 'throw', {});
  check.equal(location, { file: '/office/tide.ts', line: 3, column: 5 });
  check.equal(
    frames.map(({ file, line, column }) => `${file.slice(8)}:${line}:${column}`),
    places.slice(1),
  );
});
