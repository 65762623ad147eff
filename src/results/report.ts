import { type DiffLine, diffValues } from '../checks/difference.ts';
import type { Span } from '../fixtures/instance.ts';
import { formatProblem } from '../problems/format-problem.ts';
import { ignoreUnknown } from '../problems/never.ts';
import type { Problem } from '../problems/problem.ts';
import type { Frame, SourceLocation } from '../problems/source-location.ts';
import { EMPTY_OUTCOME } from '../running/outcome.ts';
import type { CaseResult, Failure } from '../running/result.ts';
import { JOURNAL_VERSION, type JournalEntry } from './journal/entries.ts';
import type { Leak } from './leaks.ts';
import { OverrideReports } from './override-reports.ts';
import type { RecordedResult, TestHeader, UsedFixture } from './recorded-result.ts';
import type { RunInfo } from './run-info.ts';
import { listLeaks } from './run-state.ts';
import { buildTeardownProblem } from './teardown-failures.ts';
import type { WhereItFails } from './where/causes.ts';
import { classifyStatus, whereTestsFail } from './where/tests.ts';

/**
 * The version of the published format, which `schema/report-2.json` describes. The first number changes when readers of the old format
 * would be wrong.
 */
export const reportVersion = '2.5';
export const reportFormat = 'red-lattice report';

/** A published run: the start of JSON and JSON Lines reports. Times are in milliseconds. */
export interface RunReport extends Omit<RunInfo, 'kind' | 'version' | 'root' | 'process' | 'times'> {
  readonly tests: readonly TestReport[];
  readonly problems: readonly ProblemReport[];
  /** The setups and teardowns of shared fixtures, and those of single cases if the run recorded them. */
  readonly spans: readonly (Span & { readonly lane: number })[];
  readonly leaks: readonly Leak[];
  /** Output that belongs to no case. */
  readonly output: readonly string[];
  /** When each lane started: the time that times of its cases and fixtures are relative to, in milliseconds since 1970. */
  readonly laneStarts: readonly { readonly lane: number; readonly at: number }[];
}

/** `test` is the number of the test in the plan. Ids are shared by the tests that a parameterized suite has once per row. */
export type TestReport = Omit<TestHeader, 'facts' | 'location' | 'data'> & {
  readonly location?: SourceLocation | undefined;
  readonly data?: string | undefined;
  /** Where it fails, or its suspects. */
  readonly where?: WhereItFails | undefined;
};

export interface ProblemReport {
  /** Errors make the run fail; warnings do not. */
  readonly severity: 'error' | 'warning';
  /** An error of the plan: no test ran. */
  readonly isOfPlan?: boolean | undefined;
  readonly message: string;
  readonly location?: SourceLocation | undefined;
  readonly problem: Problem;
}

/** The result of one case, or of the teardown of a shared fixture. */
export interface ResultReport extends Omit<CaseResult, 'attachments' | 'failures' | 'times'> {
  readonly kind: 'case' | 'teardown';
  readonly id: string;
  /** The number of its test in the plan. Absent for a teardown. */
  readonly test?: number | undefined;
  /** The number of its row in the test, from 0. */
  readonly ordinal?: number | undefined;
  readonly title: string;
  /** The titles of its suites and of its test, with placeholders. */
  readonly path: readonly string[];
  readonly location?: SourceLocation | undefined;
  readonly row: Readonly<Record<string, unknown>>;
  readonly tags: readonly string[];
  readonly lane: number;
  readonly milliseconds: { readonly setup: number; readonly body: number; readonly teardown: number };
  readonly failures: readonly FailureReport[];
  /** Files in the record's folder `attachments`. */
  readonly attachments: readonly { readonly name: string; readonly file: string }[];
  readonly fixtures?: readonly UsedFixture[] | undefined;
}

export interface FailureReport extends Failure {
  readonly difference?: readonly DiffLine[] | undefined;
}

/** A run record for reports. Each call of `entries` reads them again. */
export interface ReadableRecord {
  readonly info: RunInfo;
  entries(): Iterable<JournalEntry>;
}

export type FormatPath = (file: string) => string;

const nameFileOf = <T extends SourceLocation | Frame>(place: T | undefined, nameFile: FormatPath): T | undefined =>
  place && { ...place, file: nameFile(place.file) };

/** Creates the report of the run as a whole, from all entries except results. With `withWhere`, adds where its tests fail. */
export function buildRunReport({ info, entries }: ReadableRecord, nameFile: FormatPath, withWhere = false): RunReport {
  const tests = new Map<number, TestReport>();
  /** By message: each lane plans, and finds the same problems. */
  const problems = new Map<string, ProblemReport>();
  const spans: RunReport['spans'][number][] = [];
  const leaks: Leak[] = [];
  const locatedLeaks: Leak[] = [];
  const output: string[] = [];
  const laneStarts: { lane: number; at: number }[] = [];
  const overrides = new OverrideReports();
  const failing = new Set<number>();
  let lane = 0;
  const add = (severity: ProblemReport['severity'], all: readonly Problem[], isOfPlan?: true): void => {
    for (const problem of all) {
      const at = nameFileOf(problem.at, nameFile);
      const described: ProblemReport = { severity, isOfPlan, message: formatProblem(problem), location: at, problem: { ...problem, at } };
      problems.set(JSON.stringify(described), described);
    }
  };
  for (const entry of entries()) {
    switch (entry.type) {
      case 'header':
        lane = entry.lane;
        break;
      case 'running':
        laneStarts.push({ lane, at: entry.at });
        overrides.take(entry);
        break;
      case 'test':
        tests.set(entry.header.test, testReport(entry.header, tests.get(entry.header.test), nameFile));
        break;
      case 'planned':
        add('error', entry.problems, true);
        add('warning', entry.warnings);
        break;
      case 'problem':
        add('error', [entry.problem]);
        break;
      case 'teardown-failed':
        add('error', [buildTeardownProblem(entry)]);
        break;
      case 'warning':
        add('warning', [entry.problem]);
        break;
      case 'override-usage':
        add('warning', entry.warnings);
        overrides.take(entry);
        break;
      case 'span':
        spans.push({ lane, ...entry.span });
        break;
      case 'leaks':
        leaks.push(...entry.leaks);
        break;
      case 'located-leaks':
        locatedLeaks.push(
          ...entry.leaks.map((leak) => ({
            ...leak,
            location: nameFileOf(leak.location, nameFile),
            frames: leak.frames?.map((frame) => nameFileOf(frame, nameFile) as Frame),
          })),
        );
        break;
      case 'output':
        output.push(entry.text);
        break;
      case 'ended':
        if (classifyStatus(entry.result)) failing.add(entry.result.test);
        break;
      case 'activity':
      case 'expected-file':
      case 'loaded':
      case 'work-units':
      case 'exit-attributed':
      case 'idle':
      case 'listed':
      case 'started':
      case 'streaming':
      case 'passed':
      case 'test-ended':
      case 'explained':
      case 'finished':
        break;
      default:
        ignoreUnknown(entry);
    }
  }
  add('warning', overrides.unused);
  const { kind: _kind, version: _version, root: _root, process: _process, times: _times, ...rest } = info;
  if (withWhere) {
    for (const [number, where] of whereTestsFail(entries, failing)) {
      const test = tests.get(number);
      if (test) tests.set(number, { ...test, where });
    }
  }
  return {
    ...rest,
    tests: [...tests.values()].sort((a, b) => a.test - b.test),
    problems: [...problems.values()],
    spans,
    leaks: listLeaks({ leaks, locatedLeaks }),
    output,
    laneStarts,
  };
}

function testReport(header: TestHeader, known: TestReport | undefined, nameFile: FormatPath): TestReport {
  const { facts: _facts, location, data, fixtures, ...rest } = header;
  return {
    ...rest,
    location: nameFileOf(location, nameFile) ?? known?.location,
    data: (data && nameFile(data)) ?? known?.data,
    fixtures: fixtures?.map((fixture) => withNames(fixture, nameFile)) ?? known?.fixtures,
  };
}

const withNames = (fixture: UsedFixture, nameFile: FormatPath): UsedFixture => ({
  ...fixture,
  definedAt: nameFileOf(fixture.definedAt, nameFile),
  settings: fixture.settings.map((setting) => (setting.from ? { ...setting, from: { ...setting.from, at: nameFileOf(setting.from.at, nameFile) } } : setting)),
  replaced: fixture.replaced && { ...fixture.replaced, at: nameFileOf(fixture.replaced.at, nameFile) },
});

/** All results, in the order of the entries. */
export function* buildResultReports({ entries }: ReadableRecord, nameFile: FormatPath): Generator<ResultReport> {
  const headers = new Map<number, TestHeader>();
  let lane = 0;
  for (const entry of entries()) {
    if (entry.type === 'header') lane = entry.lane;
    else if (entry.type === 'test') headers.set(entry.header.test, entry.header);
    else if (entry.type === 'ended') yield buildCaseReport(entry.result, headers.get(entry.result.test), lane, nameFile);
    else if (entry.type === 'teardown-failed') {
      const { id, title, result } = entry;
      yield { kind: 'teardown', id, title, path: [title], row: {}, tags: [], lane, attachments: [], ...resultFields(result, nameFile) };
    }
  }
}

function buildCaseReport(result: RecordedResult, header: TestHeader | undefined, lane: number, nameFile: FormatPath): ResultReport {
  return {
    kind: 'case',
    id: result.id,
    test: result.test,
    ordinal: result.ordinal,
    title: result.title,
    path: header?.path ?? [],
    location: nameFileOf(result.location, nameFile),
    row: result.row,
    tags: result.tags,
    lane,
    ...resultFields(result, nameFile),
    attachments: result.attachments,
    fixtures: result.fixtures?.map((fixture) => withNames(fixture, nameFile)),
  };
}

type ReportedResult = Omit<CaseResult, 'attachments'>;

type ReportedOutcome = Pick<ReportedResult, 'status' | 'cause' | 'reason' | 'attempts' | 'start' | 'checks' | 'steps' | 'output'>;

/** The fields that results and reports share. */
const pickOutcome = ({ status, cause, reason, attempts, start, checks, steps, output }: ReportedOutcome): ReportedOutcome => ({
  status,
  cause,
  reason,
  attempts,
  start,
  checks,
  steps,
  output,
});

const resultFields = (result: ReportedResult, nameFile: FormatPath) => ({
  ...pickOutcome(result),
  milliseconds: result.times,
  failures: result.failures.map((failure) => failureReport(failure, nameFile)),
});

function failureReport(failure: Failure, nameFile: FormatPath): FailureReport {
  const { actual, expected, location, frames, tableRow, differingFile } = failure;
  return {
    ...failure,
    location: nameFileOf(location, nameFile),
    frames: frames?.map((frame) => nameFileOf(frame, nameFile) as Frame),
    ...(tableRow && { tableRow: { ...tableRow, location: nameFileOf(tableRow.location, nameFile) as SourceLocation } }),
    ...(differingFile && { differingFile: { ...differingFile, file: nameFile(differingFile.file) } }),
    difference: actual !== undefined && expected !== undefined && failure.expectedKind === undefined ? diffValues(actual, expected) : undefined,
  };
}

/** Converts a published report to journal entries, so that it can be used like a record. */
export function* convertToEntries(run: RunReport, results: Iterable<ResultReport>): Generator<JournalEntry> {
  // Where tests fail follows from the results.
  for (const { where: _where, ...header } of run.tests) yield { type: 'test', header };
  const problems = (isIncluded: (one: ProblemReport) => boolean): Problem[] => run.problems.filter(isIncluded).map(({ problem }) => problem);
  const files = new Set(run.tests.map(({ file }) => file));
  if (run.plan !== undefined)
    yield {
      ...{ type: 'planned', files: files.size, tests: run.tests.length, hash: run.plan },
      problems: problems(({ isOfPlan }) => isOfPlan === true),
      warnings: problems(({ severity }) => severity === 'warning'),
    };
  // Failed teardowns are listed among the results.
  for (const problem of problems(({ severity, isOfPlan }) => severity === 'error' && !isOfPlan))
    if (problem.code !== 'teardown-failed') yield { type: 'problem', problem };
  let lane: number | undefined;
  const inLane = function* (one: number): Generator<JournalEntry> {
    if (one !== lane) yield { type: 'header', version: JOURNAL_VERSION, lane: one };
    lane = one;
  };
  for (const { lane: at, ...start } of run.laneStarts) {
    yield* inLane(at);
    yield { type: 'running', ...start };
  }
  for (const { lane: at, ...span } of run.spans) {
    yield* inLane(at);
    yield { type: 'span', span };
  }
  for (const text of run.output) yield { type: 'output', text };
  if (run.leaks.length > 0) yield { type: run.leaks.some(({ location }) => location) ? 'located-leaks' : 'leaks', leaks: run.leaks };
  for (const result of results) {
    yield* inLane(result.lane);
    const { kind, id, title, row, tags, location } = result;
    const outcome = { ...EMPTY_OUTCOME, ...pickOutcome(result), times: result.milliseconds, failures: result.failures.map(withoutDifference) };
    if (kind === 'teardown') yield { type: 'teardown-failed', id, title, result: outcome };
    else {
      const { test = -1 } = result;
      yield {
        type: 'ended',
        result: {
          test,
          ordinal: result.ordinal ?? 0,
          id,
          title,
          row,
          tags,
          location,
          attachments: result.attachments,
          fixtures: result.fixtures,
          ...outcome,
        },
      };
    }
  }
}

const withoutDifference = ({ difference: _difference, ...failure }: FailureReport): Failure => failure;
