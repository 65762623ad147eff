import { ignoreUnknown } from '../problems/never.ts';
import type { Problem } from '../problems/problem.ts';
import { type Status, statuses } from '../running/result.ts';
import { FixtureCosts } from './fixture-costs.ts';
import type { JournalEntry } from './journal/entries.ts';
import type { PassBlock } from './journal/pass-block.ts';
import type { Leak } from './leaks.ts';
import { OverrideReports } from './override-reports.ts';
import type { RecordedResult, TestHeader } from './recorded-result.ts';
import type { NotRun, RunInfo } from './run-info.ts';
import { Slowest } from './slowest.ts';
import { StatusStrip } from './status-strip.ts';

/** The state of one test while its results arrive. */
export interface TestState {
  readonly header: TestHeader;
  readonly counts: Record<Status, number>;
  readonly strip: StatusStrip;
  milliseconds: number;
  ended: boolean;
}

export type TornDown = Extract<JournalEntry, { type: 'teardown-failed' }>;

/** The number of cases, and the titles of the first ones. */
export interface Some {
  cases: number;
  readonly titles: string[];
}

const MAX_TITLES = 10;

function addTo(some: Some, title: string): void {
  some.cases++;
  if (some.titles.length < MAX_TITLES) some.titles.push(title);
}

/** The state of a run, reduced from its journals. Keeps whole results only of cases that did not simply pass. */
export interface RunState {
  readonly tests: Map<number, TestState>;
  readonly counts: Record<Status, number>;
  /** Results that are neither passed nor skipped, with all details. */
  readonly failures: RecordedResult[];
  /** Skipped, not requested and known to fail: reported by reason. */
  readonly skippedOrExpected: RecordedResult[];
  readonly tornDown: TornDown[];
  readonly planProblems: Problem[];
  readonly warnings: Problem[];
  /** What the lanes report about overrides. */
  readonly overrides: OverrideReports;
  /** Problems of the run that belong to no case. */
  readonly runProblems: Problem[];
  /** The machine names of lanes on other machines, by lane. */
  readonly machines: Map<number, string>;
  readonly loadFailures: Problem[];
  readonly leaks: Leak[];
  /** The same with their places, if these were searched. */
  readonly locatedLeaks: Leak[];
  /** The files that each test file reads, including data files: URLs, by the test file's path from the root. */
  readonly reads: Map<string, Set<string>>;
  /** Passed cases without a check. */
  readonly unchecked: Some;
  /** Cases that passed after a retry. */
  readonly flaky: Some;
  planned: { files: number; tests: number; hash: string; suggestions: readonly string[] } | undefined;
  totalCaseMs: number;
  readonly slowest: Slowest;
  readonly fixtures: FixtureCosts;
  notRun: NotRun | undefined;
  /** The number of selected cases of a shard's run that belong to other shards. */
  inOtherShards: number;
  /** Why the record can no longer be written. */
  unwritable: string | undefined;
}

export const createRunState = (): RunState => ({
  tests: new Map(),
  counts: noCounts(),
  failures: [],
  skippedOrExpected: [],
  tornDown: [],
  planProblems: [],
  warnings: [],
  overrides: new OverrideReports(),
  runProblems: [],
  machines: new Map(),
  loadFailures: [],
  leaks: [],
  locatedLeaks: [],
  reads: new Map(),
  unchecked: { cases: 0, titles: [] },
  flaky: { cases: 0, titles: [] },
  planned: undefined,
  totalCaseMs: 0,
  slowest: new Slowest(3),
  fixtures: new FixtureCosts(),
  notRun: undefined,
  inOtherShards: 0,
  unwritable: undefined,
});

const noCounts = (): Record<Status, number> => Object.fromEntries(statuses.map((status) => [status, 0])) as Record<Status, number>;

/** Applies one entry. No case is counted twice: a new process of a lane leaves out recorded cases. */
export function applyEntry(state: RunState, entry: JournalEntry): void {
  switch (entry.type) {
    case 'loaded':
      state.reads.set(entry.file, new Set([...(state.reads.get(entry.file) ?? []), ...entry.reads]));
      break;
    case 'expected-file':
      state.reads.get(entry.reader)?.add(entry.file);
      break;
    case 'test':
      if (entry.header.data !== undefined) state.reads.get(entry.header.file)?.add(entry.header.data);
      // A header is repeated when more is known about its test.
      state.tests.set(entry.header.test, {
        counts: noCounts(),
        strip: new StatusStrip(),
        milliseconds: 0,
        ended: false,
        ...state.tests.get(entry.header.test),
        header: { ...state.tests.get(entry.header.test)?.header, ...entry.header },
      });
      break;
    case 'planned':
      // A new process plans again, with the same result.
      if (!state.planned) {
        state.planProblems.push(...entry.problems);
        state.warnings.push(...entry.warnings);
      }
      state.planned = { files: entry.files, tests: entry.tests, hash: entry.hash, suggestions: entry.suggestions ?? [] };
      break;
    case 'ended':
      takeResult(state, entry.result);
      break;
    case 'passed':
      takeBlock(state, entry.block);
      break;
    case 'warning':
      // Two tests can read the same file.
      addWarning(state, entry.problem);
      break;
    case 'teardown-failed':
      state.tornDown.push(entry);
      break;
    case 'test-ended': {
      const test = state.tests.get(entry.test);
      if (test) test.ended = true;
      break;
    }
    case 'span':
      state.fixtures.take(entry.span);
      break;
    case 'leaks':
      state.leaks.push(...entry.leaks);
      break;
    case 'located-leaks':
      state.locatedLeaks.push(...entry.leaks);
      break;
    case 'override-usage':
      // Lanes that used the same fixture report the same warning.
      for (const problem of entry.warnings) addWarning(state, problem);
      state.overrides.take(entry);
      break;
    case 'running':
      state.overrides.take(entry);
      break;
    case 'problem':
      (entry.problem.code === 'load-failed' ? state.loadFailures : state.runProblems).push(entry.problem);
      break;
    case 'header':
    case 'activity':
    case 'work-units':
    case 'exit-attributed':
    case 'idle':
    case 'listed':
    case 'started':
    case 'streaming':
    case 'explained':
    case 'output':
      break;
    case 'finished':
      state.inOtherShards += entry.inOtherShards ?? 0;
      break;
    default:
      ignoreUnknown(entry);
  }
}

function takeResult(state: RunState, result: RecordedResult): void {
  const { status, checks } = result;
  const milliseconds = timeOf(result);
  state.counts[status]++;
  state.totalCaseMs += milliseconds;
  state.slowest.take(result, milliseconds);
  const test = state.tests.get(result.test);
  if (test) {
    test.counts[status]++;
    test.strip.set(result.ordinal, status);
    test.milliseconds += milliseconds;
  }
  if (status === 'passed') {
    if (checks.passed === 0) addTo(state.unchecked, result.title);
    if (result.attempts > 1) addTo(state.flaky, result.title);
  } else if (status === 'failed' || status === 'errored') state.failures.push(result);
  else state.skippedOrExpected.push(result);
}

function takeBlock(state: RunState, block: PassBlock): void {
  const { test: number, passes, milliseconds, unchecked } = block;
  state.counts.passed += passes;
  state.totalCaseMs += milliseconds;
  if (unchecked > 0) takeUnchecked(state.unchecked, block);
  state.slowest.takeBlock({ longest: block.longest, all: () => timesOf(block) });
  const test = state.tests.get(number);
  if (!test) return;
  test.counts.passed += passes;
  test.milliseconds += milliseconds;
  test.strip.setAll(block.ordinals(), 'passed');
}

function takeUnchecked(some: Some, block: PassBlock): void {
  const before = some.titles.length;
  if (before < MAX_TITLES)
    for (const { checks, title } of block.results()) {
      if (checks.passed === 0) some.titles.push(title);
      if (some.titles.length === MAX_TITLES) break;
    }
  some.cases += block.unchecked;
}

function* timesOf(block: PassBlock): Generator<readonly [RecordedResult, number]> {
  for (const result of block.results()) yield [result, timeOf(result)];
}

const timeOf = ({ times }: RecordedResult): number => times.setup + times.body + times.teardown;

/** The number of warnings, which make a strict run fail. */
export const warningsIn = ({ warnings, unchecked, flaky }: RunState): number => warnings.length + unchecked.cases + flaky.cases;

/** The exit status of a run. */
export function exitStatus(state: RunState): 0 | 1 | 2 | 3 {
  if (state.unwritable !== undefined || state.planProblems.length > 0 || state.loadFailures.length > 0 || !state.planned) return 2;
  if (state.counts.failed + state.counts.errored + state.tornDown.length + state.runProblems.length > 0) return 1;
  return statuses.every((status) => state.counts[status] === 0) ? 3 : 0;
}

/** Applies the cases that a run did not reach. They are in no journal, since a resumed run can still run them. */
export function setNotRun(state: RunState, notRun: NotRun | undefined): void {
  state.notRun = notRun;
  state.counts['not-run'] = notRun?.cases ?? 0;
}

function addWarning({ warnings }: RunState, problem: Problem): void {
  const text = JSON.stringify(problem);
  if (!warnings.some((known) => JSON.stringify(known) === text)) warnings.push(problem);
}

/** Adds the warnings of overrides without effect, when all lanes have ended. */
export function addUnusedOverrides(state: RunState): void {
  for (const problem of state.overrides.unused) addWarning(state, problem);
}

/** The state of a complete record. */
export function buildRunState({ info, entries }: { readonly info: RunInfo; entries(): Iterable<JournalEntry> }): RunState {
  const state = createRunState();
  for (const entry of entries()) applyEntry(state, entry);
  addUnusedOverrides(state);
  setNotRun(state, info.notRun);
  return state;
}

/** What cases left open, with places if these were searched. */
export const listLeaks = ({ leaks, locatedLeaks }: Pick<RunState, 'leaks' | 'locatedLeaks'>): readonly Leak[] =>
  locatedLeaks.length > 0 ? locatedLeaks : leaks;

/** The numbers of the tests with failed cases. */
export const failingTests = (state: RunState): Set<number> =>
  new Set([...state.tests].filter(([, { counts }]) => counts.failed + counts.errored > 0).map(([number]) => number));

/** Counts the cases with a result and the files that do not load. */
export const countResults = ({ counts, loadFailures }: RunState): number => Object.values(counts).reduce((sum, count) => sum + count, 0) + loadFailures.length;

/** Whether the tests differ from those of the run to resume. */
export const isOfAnotherPlan = ({ planProblems }: RunState): boolean => planProblems.some(({ code }) => code === 'plan-mismatch');

/** Whether another lane has already reported that a file does not load. */
export const isKnownLoadFailure = ({ loadFailures }: RunState, problem: Problem): boolean =>
  problem.code === 'load-failed' && loadFailures.some((known) => known.code === 'load-failed' && known.file === problem.file);
