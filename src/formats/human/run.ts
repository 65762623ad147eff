import { type Place, writePlace } from '../../problems/place.ts';
import type { Problem } from '../../problems/problem.ts';
import { wording } from '../../problems/wording.ts';
import type { RecordedResult } from '../../results/journal.ts';
import type { RunState, TestState } from '../../results/run-state.ts';
import { type Status, statuses } from '../../running/result.ts';
import { count, duration, oneLine, type Style, visible } from '../style.ts';
import { likeness, type Telling, tellAlike, tellFailure } from './failure.ts';
import { codeFrame } from './frame.ts';

const signs: Readonly<Record<Status, string>> = { passed: '▪', failed: '✗', errored: '!', skipped: '▫', held: '◦', known: '≈', unrun: '?' };

const paintOf = (status: Status, style: Style): ((text: string) => string) =>
  status === 'failed' || status === 'errored' ? style.red : status === 'passed' ? style.green : style.yellow;

/** The counts that are not zero, worst first. */
export function tellCounts(counts: Readonly<Record<Status, number>>, style: Style): string {
  const order: readonly Status[] = ['failed', 'errored', 'known', 'skipped', 'held', 'unrun', 'passed'];
  const told = order.filter((status) => counts[status] > 0).map((status) => paintOf(status, style)(`${counts[status].toLocaleString('en')} ${status}`));
  return told.length ? told.join(', ') : style.dim('no cases');
}

const worst = (counts: Readonly<Record<Status, number>>): Status =>
  (['errored', 'failed', 'known', 'passed', 'skipped', 'held', 'unrun'] as const).find((status) => counts[status] > 0) ?? 'passed';

/** A line for a test: sign, title, counts, time. Under the heading of its file and suites, which `Headings` tells. */
export function tellTest({ header, counts, milliseconds }: TestState, style: Style, depth: number): string {
  const status = worst(counts);
  const title = oneLine(header.path.at(-1) ?? '');
  const several = statuses.reduce((sum, one) => sum + counts[one], 0) > 1 || status !== 'passed';
  return `${'  '.repeat(depth)}${paintOf(status, style)(signs[status])} ${title}  ${several ? tellCounts(counts, style) : ''}${milliseconds > 0 ? `${several ? '  ' : ''}${style.dim(duration(milliseconds))}` : ''}`;
}

export function tellCase(result: Pick<RecordedResult, 'status' | 'title' | 'times' | 'reason'>, style: Style): string {
  const time = result.times.setup + result.times.body + result.times.teardown;
  return `${paintOf(result.status, style)(signs[result.status])} ${oneLine(result.title)}${result.reason ? style.yellow(`  ${result.status}: ${oneLine(result.reason)}`) : ''}  ${style.dim(duration(time))}`;
}

/** What a case wrote, line by line. */
export const tellOutput = ({ output }: Pick<RecordedResult, 'output'>, style: Style): string[] =>
  output.length === 0
    ? []
    : visible(output.join(''))
        .replace(/\n$/, '')
        .split('\n')
        .map((line) => `  ${style.dim('│')} ${line}`);

/** The headings that a test's line needs: its file and suites, as far as they are not those of the line before. */
export class Headings {
  #last: readonly string[] = [];

  of({ header }: TestState, style: Style): { lines: string[]; depth: number } {
    const path = [header.file, ...header.path.slice(0, -1)];
    let same = 0;
    while (same < path.length && path[same] === this.#last[same]) same++;
    this.#last = path;
    const lines = path.slice(same).map((title, i) => (same + i === 0 ? `${style.bold(oneLine(title))}` : `${'  '.repeat(same + i)}${oneLine(title)}`));
    return { lines: same === 0 ? ['', ...lines] : lines, depth: path.length };
  }
}

export function tellProblem(problem: Problem, telling: Telling, paint: (text: string) => string): string[] {
  const { style } = telling;
  const place: Place | undefined = problem.at && { ...problem.at, file: telling.nameFile(problem.at.file) };
  const frame = problem.at ? codeFrame(problem.at, telling.source, style) : [];
  const [first, ...more] = visible(wording(problem)).split('\n');
  return [
    `${paint('!')} ${place ? `${style.cyan(writePlace(place))}  ` : ''}${first}`,
    ...more.map((line) => `  ${line}`),
    ...frame.map((line) => `  ${line}`),
  ];
}

/** All that failed or errored: each whole, but cases of one test that failed alike together. */
export function tellFailures(state: RunState, telling: Telling): string[] {
  const lines: string[] = [];
  let number = 1;
  for (const alike of grouped(state.notable, likeness)) {
    const [first, ...others] = alike as [RecordedResult, ...RecordedResult[]];
    lines.push('', ...tellFailure(first, number, telling));
    if (others.length > 0) lines.push('', ...tellAlike(others, number + 1, telling));
    number += alike.length;
  }
  for (const { id, title, result } of state.tornDown) lines.push('', ...tellFailure({ id, title, row: {}, ...result }, number++, telling));
  for (const problem of state.told) lines.push('', ...tellProblem(problem, telling, telling.style.red));
  return lines;
}

function grouped<T>(items: readonly T[], keyOf: (item: T) => string): T[][] {
  const groups = new Map<string, T[]>();
  for (const item of items) {
    const key = keyOf(item);
    const group = groups.get(key);
    if (group) group.push(item);
    else groups.set(key, [item]);
  }
  return [...groups.values()];
}

export function tellPlanProblems(state: RunState, telling: Telling): string[] {
  const lines: string[] = [];
  for (const problem of [...state.loadFailures, ...state.planProblems]) lines.push('', ...tellProblem(problem, telling, telling.style.red));
  return lines;
}

export interface Closing {
  readonly wall: number;
  readonly seed: number;
  readonly record: string;
  readonly interrupted: boolean;
}

/** The end of a run: what is excused and why, notes, times, and last the counts. */
export function tellSummary(state: RunState, closing: Closing, telling: Telling): string[] {
  const { style } = telling;
  const lines: string[] = [];
  for (const problem of state.warnings) lines.push(...tellProblem(problem, telling, style.yellow));
  if (state.unchecked) lines.push(style.dim(`${count(state.unchecked, 'case')} passed without a check`));
  if (state.unsteady) lines.push(style.yellow(`${count(state.unsteady, 'case')} passed only after another attempt: unsteady`));
  if (closing.interrupted) lines.push(style.yellow('interrupted: what had begun was torn down'));
  lines.push(style.dim(`${duration(closing.wall)} (cases ${duration(state.summed)}) · seed ${closing.seed} · record ${closing.record}`));
  for (const status of ['known', 'skipped', 'held'] as const) {
    const reasons = new Map<string, number>();
    for (const result of state.excused) if (result.status === status) reasons.set(result.reason ?? '', (reasons.get(result.reason ?? '') ?? 0) + 1);
    for (const [reason, times] of reasons) lines.push(style.yellow(`${signs[status]} ${times.toLocaleString('en')} ${status}: ${oneLine(reason)}`));
  }
  return lines;
}

/** `412 passed, 2 failed, 3 skipped`: alone on the last line of every run. */
export const lastLine = ({ counts }: RunState): string =>
  `${counts.passed} passed, ${counts.failed + counts.errored} failed${counts.skipped ? `, ${counts.skipped} skipped` : ''}`;
