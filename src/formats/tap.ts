import { stringify } from 'yaml';
import { formatProblem } from '../problems/format-problem.ts';
import type { Problem } from '../problems/problem.ts';
import { formatLocation } from '../problems/source-location.ts';
import type { JournalEntry } from '../results/journal/entries.ts';
import { type TestResults, testsInOrder } from '../results/plan-order.ts';
import type { RecordedResult } from '../results/recorded-result.ts';
import type { FormatPath, ReadableRecord } from '../results/report.ts';
import { buildTeardownProblem } from '../results/teardown-failures.ts';
import type { Failure } from '../running/result.ts';
import { escapeToOneLine } from './style.ts';

/** A subtest that is being written: a file, a suite, or a test of several cases. */
interface SubtestFrame {
  readonly title: string;
  points: number;
  isWell: boolean;
}

/**
 * Formats a record as TAP version 14: files, suites and tests of several cases contain other test points, in the order of the plan. Each plan follows
 * its test points.
 */
export function* reportAsTap({ entries }: ReadableRecord, nameFile: FormatPath): Generator<string> {
  yield 'TAP version 14\n';
  const root: SubtestFrame = { title: '', points: 0, isWell: true };
  const open: SubtestFrame[] = [root];
  const indent = (): string => '    '.repeat(open.length - 1);
  const begin = (title: string): string => {
    const line = `${indent()}# Subtest: ${escapeDescription(title)}\n`;
    open.push({ title, points: 0, isWell: true });
    return line;
  };
  const add = (isWell: boolean): number => {
    const branch = open.at(-1) as SubtestFrame;
    branch.isWell &&= isWell;
    return ++branch.points;
  };
  const end = (): string => {
    const plan = `${indent()}1..${open.at(-1)?.points}\n`;
    const { title, isWell } = open.pop() as SubtestFrame;
    return `${plan}${indent()}${isWell ? 'ok' : 'not ok'} ${add(isWell)} - ${escapeDescription(title)}\n`;
  };
  for (const test of testsInOrder(entries)) {
    const path = [test.header.file, ...test.header.path.slice(0, -1)];
    while (open.length - 1 > path.length || open.some(({ title }, i) => i > 0 && title !== path[i - 1])) yield end();
    while (open.length - 1 < path.length) yield begin(path[open.length - 1] as string);
    const title = test.header.path.at(-1) ?? '';
    const isOne = test.count === 1 && test.header.source === undefined;
    if (!isOne) yield begin(title);
    for (const { result } of test.results()) yield* point(add(isGood(result)), isOne ? title : formatLeafTitle(test, result), result, indent(), nameFile);
    if (!isOne) yield end();
  }
  while (open.length > 1) yield end();
  const problems = [...new Set([...listProblems(entries())].map((problem) => formatTapProblem(problem, nameFile)))];
  for (const problem of problems) yield `# problem: ${problem}\n`;
  if (problems[0] === undefined) yield `1..${root.points}\n`;
  else yield `Bail out! ${problems[0]}\n`;
}

/** The problems outside the cases, for which TAP has no test point. */
function* listProblems(entries: Iterable<JournalEntry>): Generator<Problem> {
  for (const entry of entries) {
    if (entry.type === 'planned') yield* entry.problems;
    else if (entry.type === 'problem') yield entry.problem;
    else if (entry.type === 'teardown-failed') yield buildTeardownProblem(entry);
  }
}

const formatTapProblem = (problem: Problem, nameFile: FormatPath): string =>
  escapeToOneLine(`${problem.at ? `${formatLocation({ ...problem.at, file: nameFile(problem.at.file) })} ` : ''}${formatProblem(problem)}`);

/** A case's title without those of its suites, and without that of its test if anything follows. */
function formatLeafTitle({ header }: TestResults, { title }: RecordedResult): string {
  const [own = title, ...more] = title.split(' › ').slice(header.path.length - 1);
  return more.join(' › ') || own;
}

type Pointed = Pick<RecordedResult, 'status' | 'reason' | 'cause' | 'failures' | 'row' | 'output'> & { readonly location?: RecordedResult['location'] };

const isGood = ({ status }: Pick<Pointed, 'status'>): boolean =>
  status === 'passed' || status === 'skipped' || status === 'not-requested' || status === 'known-failure';

function* point(number: number, title: string, result: Pointed, indent: string, nameFile: FormatPath): Generator<string> {
  const { status, reason, failures } = result;
  const isSkipped = status === 'skipped' || status === 'not-requested';
  const directive = isSkipped
    ? ` # SKIP ${escapeDescription(reason ?? status)}`
    : status === 'known-failure'
      ? ` # TODO ${escapeDescription(reason ?? '')}`
      : '';
  yield `${indent}${status === 'passed' || isSkipped ? 'ok' : 'not ok'} ${number} - ${escapeDescription(title)}${directive}\n`;
  if (status !== 'passed' && failures.length > 0) yield* formatDiagnostics(result, `${indent}  `, nameFile);
}

function* formatDiagnostics({ status, cause, failures, row, location, output }: Pointed, indent: string, nameFile: FormatPath): Generator<string> {
  const details = {
    status,
    ...(cause && { cause }),
    ...(Object.keys(row).length > 0 && { row }),
    ...(location && { data: formatLocation({ ...location, file: nameFile(location.file) }) }),
    failures: failures.map((failure) => formatTapFailure(failure, nameFile)),
    ...(output.length > 0 && { output: output.join('') }),
  };
  yield `${indent}---\n`;
  for (const line of stringify(details, { lineWidth: 0, aliasDuplicateObjects: false }).trimEnd().split('\n')) yield `${indent}${line}\n`;
  yield `${indent}...\n`;
}

function formatTapFailure({ message, note, actual, expected, location, step, fixture, causes }: Failure, nameFile: FormatPath): object {
  const at = location && formatLocation({ ...location, file: nameFile(location.file) });
  return Object.fromEntries(Object.entries({ message, note, actual, expected, at, step, fixture, behind: causes }).filter(([, value]) => value !== undefined));
}

/** A description on one line. `#` starts a directive unless a backslash precedes it. */
const escapeDescription = (text: string): string => escapeToOneLine(text).replace(/[\\#]/g, '\\$&');
