import { countEqualProblems } from '../../problems/equal-problems.ts';
import { formatProblem } from '../../problems/format-problem.ts';
import { formatThousands } from '../../problems/format-thousands.ts';
import type { Problem } from '../../problems/problem.ts';
import { formatLocation, type SourceLocation } from '../../problems/source-location.ts';
import type { RecordedResult } from '../../results/recorded-result.ts';
import { endedAtOnce } from '../../results/run-info.ts';
import type { RunState, TestState } from '../../results/run-state.ts';
import { worstFirst } from '../../results/status-strip.ts';
import type { WhereItFails } from '../../results/where/causes.ts';
import { type Status, statuses } from '../../running/result.ts';
import { measureWidth } from '../columns.ts';
import { renderUnrun } from '../not-run.ts';
import { groupSimilarFailures } from '../similar-failures.ts';
import { escapeControls, escapeToOneLine, formatCount, formatDuration, formatStatus, plainStyle, type Style, statusSymbols } from '../style.ts';
import { describeOutsideCases } from '../summary-line.ts';
import { type Formatting, renderAlike, renderFailure, renderFrameOnce } from './failure.ts';
import { renderWhere } from './where.ts';

export const paintOf = (status: Status, style: Style): ((text: string) => string) =>
  status === 'failed' || status === 'errored' ? style.red : status === 'passed' ? style.green : style.yellow;

/** Renders the counts that are not zero, the worst status first. */
export function renderCounts(counts: Readonly<Record<Status, number>>, style: Style): string {
  const order: readonly Status[] = ['failed', 'errored', 'known-failure', 'skipped', 'not-requested', 'not-run', 'passed'];
  const formatted = order
    .filter((status) => counts[status] > 0)
    .map((status) => paintOf(status, style)(`${formatThousands(counts[status])} ${formatStatus(status)}`));
  return formatted.length ? formatted.join(', ') : style.dim('no cases');
}

const worst = (counts: Readonly<Record<Status, number>>): Status => worstFirst.find((status) => counts[status] > 0) ?? 'passed';

const MAX_STRIP_WIDTH = 96;
/** In columns. A shorter strip next to the counts is not informative, and gets its own line. */
const MIN_STRIP_WIDTH = 40;

/** Renders one symbol per case, or per several adjacent cases, if not all have the same status. */
function renderStrip({ counts, strip }: TestState, width: number, style: Style): string {
  if (statuses.filter((status) => counts[status] > 0).length < 2) return '';
  return strip
    .downsample(Math.min(width, MAX_STRIP_WIDTH))
    .map(({ status, isMixed }) => paintOf(status, style)(isMixed && statusSymbols[status] !== statusSymbols.passed ? '▚' : statusSymbols[status]))
    .join('');
}

/** The maximum number of tests with a line of their own. Failures of the other tests are printed, too. */
export const MAX_LISTED_TESTS = 500;

export const renderMoreTests = (tests: number, style: Style): string[] =>
  tests > MAX_LISTED_TESTS ? ['', style.dim(`… and ${formatCount(tests - MAX_LISTED_TESTS, 'more test')}; --show cases lists every case`)] : [];

/** Renders a test: symbol, title, counts, time and a strip of its cases. `Headings` prints its file and suites before it. */
export function renderTest(test: TestState, style: Style, depth: number, width: number, title = test.header.path.at(-1) ?? ''): string[] {
  const { counts, milliseconds } = test;
  const status = worst(counts);
  const cases = statuses.reduce((sum, one) => sum + counts[one], 0);
  const time = milliseconds > 0 ? formatDuration(milliseconds) : '';
  const formatted = `${'  '.repeat(depth)}${statusSymbols[status]} ${escapeToOneLine(title)}`;
  const isSeveral = cases > 1 || status !== 'passed';
  const left = width - 2 - measureWidth([formatted, isSeveral && renderCounts(counts, plainStyle), time].filter(Boolean).join('  '));
  const line = [
    formatted.replace(statusSymbols[status], paintOf(status, style)(statusSymbols[status])),
    isSeveral && renderCounts(counts, style),
    time && style.dim(time),
  ];
  if (left >= Math.min(MIN_STRIP_WIDTH, cases)) return [[...line, renderStrip(test, left, style)].filter(Boolean).join('  ')];
  const indent = '  '.repeat(depth + 1);
  const strip = renderStrip(test, width - indent.length, style);
  return [line.filter(Boolean).join('  '), ...(strip ? [indent + strip] : [])];
}

export function renderCase(result: Pick<RecordedResult, 'status' | 'title' | 'times' | 'reason'>, style: Style): string {
  const time = result.times.setup + result.times.body + result.times.teardown;
  return `${paintOf(result.status, style)(statusSymbols[result.status])} ${escapeToOneLine(result.title)}${result.reason ? style.yellow(`  ${result.status}: ${escapeToOneLine(result.reason)}`) : ''}  ${style.dim(formatDuration(time))}`;
}

/** Renders the output of a case, line by line. */
export const renderOutput = ({ output }: Pick<RecordedResult, 'output'>, style: Style): string[] =>
  output.length === 0
    ? []
    : escapeControls(output.join(''))
        .replace(/\n$/, '')
        .split('\n')
        .map((line) => `  ${style.dim('│')} ${line}`);

/** Prints the headings of a test's line: its file and suites, unless the previous line has the same. */
export class Headings {
  #last: readonly string[] = [];

  of({ header }: TestState, style: Style): { lines: string[]; depth: number } {
    const path = [header.file, ...header.path.slice(0, -1)];
    let same = 0;
    while (same < path.length && path[same] === this.#last[same]) same++;
    this.#last = path;
    const lines = path
      .slice(same)
      .map((title, i) => (same + i === 0 ? `${style.bold(escapeToOneLine(title))}` : `${'  '.repeat(same + i)}${escapeToOneLine(title)}`));
    return { lines: same === 0 ? ['', ...lines] : lines, depth: path.length };
  }
}

export function renderProblem(problem: Problem, formatting: Formatting, paint: (text: string) => string): string[] {
  const { style } = formatting;
  const place: SourceLocation | undefined = problem.at && { ...problem.at, file: formatting.nameFile(problem.at.file) };
  const frame = problem.at ? renderFrameOnce(problem.at, formatting) : [];
  const [first, ...more] = escapeControls(formatProblem(problem)).split('\n');
  return [
    `${paint('!')} ${place ? `${style.cyan(formatLocation(place))}  ` : ''}${first}`,
    ...more.map((line) => `  ${line}`),
    ...frame.map((line) => `  ${line}`),
  ];
}

/** The number of failures printed in full, and the number printed at all. */
const MAX_WHOLE_FAILURES = 50;
const MAX_BRIEF_FAILURES = 250;

function renderBriefly(alike: readonly RecordedResult[], number: number, style: Style): string {
  const [first] = alike as [RecordedResult];
  const more = alike.length > 1 ? style.dim(`  and ${formatCount(alike.length - 1, 'more case')}`) : '';
  return `${style.red(statusSymbols[first.status])} ${number}. ${escapeToOneLine(first.title)}${more}  ${style.dim(escapeToOneLine(first.failures[0]?.message ?? ''))}`;
}

/** Renders all failures and errors in the order of the plan: similar failures of one test together, and where the test fails. */
export function renderFailures(state: RunState, where: ReadonlyMap<number, WhereItFails>, formatting: Formatting): string[] {
  const lines: string[] = [];
  let number = 1;
  const groups = groupSimilarFailures([...state.failures].sort((a, b) => a.test - b.test || a.ordinal - b.ordinal));
  for (const [i, alike] of groups.entries()) {
    const [first, ...others] = alike as [RecordedResult, ...RecordedResult[]];
    if (i >= MAX_WHOLE_FAILURES) {
      if (i === MAX_WHOLE_FAILURES) lines.push('');
      if (i < MAX_BRIEF_FAILURES) lines.push(renderBriefly(alike, number, formatting.style));
      number += alike.length;
      continue;
    }
    const fixtures = first.fixtures ?? state.tests.get(first.test)?.header.fixtures;
    lines.push('', ...renderFailure({ ...first, fixtures }, number, formatting));
    if (others.length > 0) lines.push('', ...renderAlike(others, number + 1, formatting));
    number += alike.length;
    const found = groups[i + 1]?.[0]?.test === first.test ? undefined : where.get(first.test);
    if (found) lines.push('', ...renderWhere(found, (conditions) => formatting.reruns?.findCases(first.test, conditions), formatting));
  }
  const omitted = groups.slice(MAX_BRIEF_FAILURES).reduce((sum, alike) => sum + alike.length, 0);
  if (omitted > 0) lines.push(formatting.style.dim(`… and ${formatCount(omitted, 'more failure')}; red-lattice view shows all of them`));
  for (const { id, title, result } of state.tornDown)
    lines.push('', ...renderFailure({ kind: 'teardown', id, title, row: {}, ...result }, number++, formatting));
  for (const problem of state.runProblems) lines.push('', ...renderProblem(problem, formatting, formatting.style.red));
  return lines;
}

export function renderPlanProblems(state: RunState, formatting: Formatting): string[] {
  const lines: string[] = [];
  for (const { problem, count } of countEqualProblems([...state.loadFailures, ...state.planProblems])) {
    lines.push('', ...renderProblem(problem, formatting, formatting.style.red));
    if (count > 1) lines.push(formatting.style.dim(`  in ${count} tests or suites`));
  }
  return lines;
}

export interface SummaryInput {
  /** Undefined for a run that has not ended. */
  readonly milliseconds: number | undefined;
  readonly lanes: number;
  readonly seed: number;
  readonly record: string;
  readonly interrupted: boolean;
  /** `--resume` can continue the run, if it ended early. */
  readonly resumes: boolean;
  /** The number of warnings that make the run fail. */
  readonly strict: number;
}

/** A run that takes less than this needs no advice about slow cases. */
const QUICK_RUN_MS = 2_000;
/** Anything below this share of the time does not make a run slow. */
const NOTABLE_COST_SHARE = 0.1;

/** The elapsed time, and the total time of cases. */
const renderTime = ({ totalCaseMs }: RunState, { milliseconds, lanes }: SummaryInput): string =>
  milliseconds === undefined
    ? `cases ${formatDuration(totalCaseMs)}`
    : `${formatDuration(milliseconds)} (cases ${formatDuration(totalCaseMs)}${lanes > 1 && totalCaseMs > milliseconds ? ` in ${lanes} lanes` : ''})`;

/** Renders the slowest cases and the most expensive shared fixtures, unless the run was quick. */
function renderCosts({ slowest, fixtures, totalCaseMs }: RunState, { milliseconds: wall = 0 }: SummaryInput, style: Style): string[] {
  if (wall < QUICK_RUN_MS) return [];
  const isNotable = ({ milliseconds }: { milliseconds: number }): boolean => milliseconds > NOTABLE_COST_SHARE * Math.max(wall, totalCaseMs);
  const shared = fixtures.all.map(({ name, setup, teardown }) => ({ title: `fixture "${name}"`, milliseconds: setup + teardown }));
  const expensive = [...slowest.items, ...shared].filter(isNotable).sort((a, b) => b.milliseconds - a.milliseconds);
  return expensive.slice(0, 4).map(({ title, milliseconds }) => style.dim(`slow: ${formatDuration(milliseconds).padStart(7)}  ${escapeToOneLine(title)}`));
}

/** Lists cases: their number and the first titles. */
function renderSome(label: string, { cases, titles }: RunState['unchecked'], paint: (text: string) => string): string[] {
  if (cases === 0) return [];
  const more = cases - titles.length;
  return [
    `${formatCount(cases, 'case')} ${label}:`,
    ...titles.map((title) => `  ${escapeToOneLine(title)}`),
    ...(more > 0 ? [`  … and ${formatThousands(more)} more`] : []),
  ].map(paint);
}

/** Whether the teardowns of an interrupted run have run. */
function renderTornDown({ notRun, runProblems }: RunState): string {
  if (notRun?.reason === endedAtOnce) return 'nothing was torn down';
  return runProblems.some(({ code }) => code === 'teardown-lost' || code === 'run-fixtures-lost')
    ? 'not everything was torn down, see above'
    : 'everything set up was torn down';
}

/** The line above the last one, if there are errored cases or problems. */
export function renderOutsideCases(state: RunState, strictWarnings: number, style: Style): string[] {
  const outsideCases = describeOutsideCases(state, strictWarnings);
  return outsideCases === undefined ? [] : [style.red(outsideCases)];
}

/** Renders the end of a run: excused cases with reasons, notes, times, and the counts last. */
export function renderSummary(state: RunState, closing: SummaryInput, formatting: Formatting): string[] {
  const { style } = formatting;
  const lines: string[] = [];
  for (const problem of state.warnings) lines.push(...renderProblem(problem, formatting, style.yellow));
  lines.push(
    ...renderSome('passed without a check', state.unchecked, style.dim),
    ...renderSome('passed only after a retry (flaky)', state.flaky, style.yellow),
  );
  if (closing.interrupted) lines.push(style.yellow(`interrupted: ${renderTornDown(state)}`));
  lines.push(...renderCosts(state, closing, style));
  lines.push(style.dim(`${renderTime(state, closing)} · seed ${closing.seed} · record ${closing.record}`));
  for (const status of ['known-failure', 'skipped', 'not-requested'] as const) {
    const reasons = new Map<string, number>();
    for (const result of state.skippedOrExpected) if (result.status === status) reasons.set(result.reason ?? '', (reasons.get(result.reason ?? '') ?? 0) + 1);
    for (const [reason, times] of reasons)
      lines.push(style.yellow(`${statusSymbols[status]} ${formatThousands(times)} ${formatStatus(status)}: ${escapeToOneLine(reason)}`));
  }
  if (state.notRun) lines.push(style.yellow(`${statusSymbols['not-run']} ${renderUnrun(state.notRun)}${closing.resumes ? '; --resume continues' : ''}`));
  return [...lines, ...renderOutsideCases(state, closing.strict, style)];
}
