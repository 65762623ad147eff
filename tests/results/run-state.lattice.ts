import { namedRows, type Problem, range, table, test } from 'red-lattice';
import { createRandom } from '../../src/cases/random.ts';
import type { JournalEntry } from '../../src/results/journal/entries.ts';
import type { PassBlock } from '../../src/results/journal/pass-block.ts';
import { buildRunReport } from '../../src/results/report.ts';
import type { RunInfo } from '../../src/results/run-info.ts';
import { estimateTime } from '../../src/results/run-progress.ts';
import {
  applyEntry,
  buildRunState,
  countResults,
  createRunState,
  exitStatus,
  failingTests,
  isKnownLoadFailure,
  isOfAnotherPlan,
  type RunState,
  setNotRun,
  warningsIn,
} from '../../src/results/run-state.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import type { Status } from '../../src/running/result.ts';

const planned = (problems: readonly Problem[] = []): JournalEntry => ({ type: 'planned', files: 1, tests: 1, problems, warnings: [], hash: 'h' });
const header: JournalEntry = { type: 'test', header: { test: 4, id: 'a#t', file: 'a', path: ['t'], tags: [], columns: [] } };
const ended = (status: Status, more: object = {}): JournalEntry => ({
  type: 'ended',
  result: { ...EMPTY_OUTCOME, test: 4, ordinal: 0, id: 'a#t', title: status, row: {}, tags: [], attachments: [], status, ...more },
});
const tornDown: JournalEntry = { type: 'teardown-failed', id: 'a', title: 'a', result: { ...EMPTY_OUTCOME, status: 'errored' } };
const problem = (code: string, more: object = {}): JournalEntry => ({
  type: 'problem',
  problem: { code, file: 'a', reason: '', ...more } as unknown as Problem,
});

function apply(entries: readonly JournalEntry[]): RunState {
  const state = createRunState();
  for (const entry of entries) applyEntry(state, entry);
  return state;
}

export const exits = test(
  'a run with {what} exits with {exit}',
  {
    cases: namedRows<{ what: string; entries: readonly JournalEntry[]; exit: number }>({
      passed: { what: 'a passed case', entries: [planned(), header, ended('passed')], exit: 0 },
      skipped: { what: 'a skipped case', entries: [planned(), header, ended('skipped')], exit: 0 },
      failed: { what: 'a failed case', entries: [planned(), header, ended('passed'), ended('failed')], exit: 1 },
      errored: { what: 'an errored case', entries: [planned(), header, ended('errored')], exit: 1 },
      teardown: { what: 'a failed teardown', entries: [planned(), header, ended('passed'), tornDown], exit: 1 },
      problem: { what: 'a problem', entries: [planned(), header, ended('passed'), problem('unhandled-error')], exit: 1 },
      file: { what: 'a file that does not load', entries: [planned(), header, ended('failed'), problem('load-failed')], exit: 2 },
      plan: { what: 'a problem of the plan', entries: [planned([{ code: 'no-feasible-combination' }]), header, ended('failed')], exit: 2 },
      unplanned: { what: 'no plan', entries: [header, ended('passed')], exit: 2 },
      nothing: { what: 'no case', entries: [planned(), header], exit: 3 },
    }),
  },
  ({ row: { entries, exit }, check }) => check.equal<number>(exitStatus(apply(entries)), exit),
);

export const estimates = test('the time of a run is estimated if each test has one: {times} ms, of which {ran} ms of the first have run', {
  cases: table(
    ['times', 'ran', 'isOver', 'expected'],
    [
      [[30, 20], 10, false, { whole: 50, done: 10 }],
      [[30, 20], 40, false, { whole: 50, done: 30 }],
      [[30, 20], 10, true, { whole: 50, done: 30 }],
      [[0.5, 0.25], 0, false, { whole: 0.75, done: 0 }],
      [[30], 10, true, undefined],
      [[0, 0], 0, true, undefined],
    ],
  ),
}, ({ row: { times, ran, isOver, expected }, check }) => {
  const state = apply([
    planned(),
    header,
    ended('passed', { times: { setup: 0, body: ran, teardown: 0 } }),
    ...(isOver ? [{ type: 'test-ended', test: 4 } as const] : []),
  ]);
  check.equal(estimateTime(['a#t', 'a#u'], new Map(times.map((time, i) => [i === 0 ? 'a#t' : 'a#u', time])), state), expected);
});

/** A block of passes, of which some check nothing. */
function block(unchecked: readonly boolean[]): JournalEntry {
  const results = unchecked.map((isUnchecked, i) => ({
    title: `pass ${i + 1}`,
    checks: { passed: isUnchecked ? 0 : 1, failed: 0 },
    times: EMPTY_OUTCOME.times,
  }));
  const count = unchecked.filter(Boolean).length;
  const ordinals = (): Int32Array => Int32Array.from(unchecked, (_, i) => i);
  const sums = { test: 4, passes: unchecked.length, milliseconds: 5, longest: 2, unchecked: count };
  return { type: 'passed', block: { ...sums, ordinals, results: () => results } as unknown as PassBlock };
}

export const blocks = test('of passes read together, those without a check are named: {unchecked}', {
  cases: table(
    ['unchecked', 'titles'],
    [
      [[false, false], []],
      [[false, true], ['pass 2']],
      [
        [true, false, true],
        ['pass 1', 'pass 3'],
      ],
      [Array.from({ length: 60 }, () => true), undefined],
    ],
  ),
}, ({ row: { unchecked, titles }, check }) => {
  const state = apply([planned(), header, block(unchecked), block(unchecked)]);
  const count = unchecked.filter(Boolean).length;
  check.equal([state.counts.passed, state.tests.get(4)?.counts.passed, state.totalCaseMs], [2 * unchecked.length, 2 * unchecked.length, 10]);
  check.equal(state.unchecked.cases, 2 * count);
  check.equal(warningsIn(state), 2 * count);
  if (titles) check.equal(state.unchecked.titles, [...titles, ...titles]);
  // Only some are named.
  else check.holds(state.unchecked.titles.length < 60 && state.unchecked.titles[0] === 'pass 1');
});

export const warned = test('a warning that several lanes report counts once', ({ check }) => {
  const [one, other] = [
    { code: 'unused-column', name: 'a' },
    { code: 'unused-column', name: 'b' },
  ] as unknown as [Problem, Problem];
  const usage: JournalEntry = { type: 'override-usage', uses: [], warnings: [one, other] };
  const state = apply([planned(), { type: 'warning', problem: one }, { type: 'warning', problem: one }, usage, usage, planned()]);
  check.equal(state.warnings, [one, other]);
  check.equal(warningsIn(apply([planned(), header, ended('passed', { attempts: 2, checks: { passed: 1, failed: 0 } })])), 1, 'a flaky case');
});

export const states = test('of a run, files, plans and failing tests are known', ({ check }) => {
  const loadFailure = { code: 'load-failed', file: 'a', reason: 'x' } as unknown as Problem;
  const state = apply([planned([{ code: 'plan-mismatch' } as never]), header, ended('failed'), ended('passed'), problem('load-failed')]);
  check.equal(
    [isOfAnotherPlan(state), isOfAnotherPlan(apply([planned([{ code: 'no-feasible-combination' }])])), isOfAnotherPlan(apply([planned()]))],
    [true, false, false],
  );
  check.equal([isKnownLoadFailure(state, loadFailure), isKnownLoadFailure(state, { ...loadFailure, file: 'b' } as never)], [true, false]);
  check.equal(isKnownLoadFailure(state, { code: 'empty-suite', file: 'a' } as never), false);
  check.equal([...failingTests(state)], [4]);
  check.equal(failingTests(apply([planned(), header, ended('skipped'), ended('passed')])).size, 0);
  check.equal(countResults(state), 3);
  setNotRun(state, { cases: 5, isMore: false, reason: 'stopped' });
  check.equal([state.counts['not-run'], countResults(state)], [5, 8]);
});

export const overrides = test('overrides without effect are known if no lane died: seed {seed}', { cases: range('seed', 1, 30) }, ({ row, check }) => {
  const random = createRandom(`overrides ${row.seed}`);
  const lanes = Array.from({ length: random.integer(1, 3) }, () => ({
    died: random.integer(0, 5) === 0,
    // Whether each override that it saw had an effect.
    uses: random
      .shuffle([0, 1, 2, 3])
      .slice(random.integer(0, 4))
      .map((number) => [number, random.integer(0, 1) === 1] as const),
  }));
  const reasonOf = (number: number): Problem => ({ code: 'unused-override', fixture: `crane ${number}`, owner: 'suite "quay"', hidden: false });
  const entries = lanes.flatMap(({ died, uses }, lane): JournalEntry[] => [
    { type: 'header', version: 6, lane },
    { type: 'running', at: 0 },
    ...(died
      ? []
      : [{ type: 'override-usage' as const, warnings: [], uses: uses.map(([number, has]) => ({ number, ...(!has && { unusedReason: reasonOf(number) }) })) }]),
  ]);
  const all = lanes.flatMap(({ uses }) => uses);
  const unused = [0, 1, 2, 3].filter((number) => all.some(([one]) => one === number) && !all.some(([one, has]) => one === number && has));
  const expected = lanes.some(({ died }) => died) ? [] : unused.map((number) => `crane ${number}`);
  const info = { kind: 'red-lattice run record', command: ['run'] } as unknown as RunInfo;
  const named = (problems: readonly Problem[]): string[] => problems.map((problem) => (problem as { fixture: string }).fixture).sort();
  check.equal(named(buildRunState({ info, entries: () => entries }).warnings), expected);
  check.equal(named(buildRunReport({ info, entries: () => entries }, (file) => file).problems.map(({ problem }) => problem)), expected);
});
