import { countEqualProblems } from '../problems/equal-problems.ts';
import { formatProblem } from '../problems/format-problem.ts';
import { formatThousands } from '../problems/format-thousands.ts';
import type { Problem } from '../problems/problem.ts';
import { formatLocation } from '../problems/source-location.ts';
import type { RecordedResult } from '../results/recorded-result.ts';
import type { FormatPath } from '../results/report.ts';
import type { RerunSelections } from '../results/rerun-selection.ts';
import type { RunInfo } from '../results/run-info.ts';
import type { RunState, TestState } from '../results/run-state.ts';
import { buildTeardownProblem } from '../results/teardown-failures.ts';
import type { WhereItFails } from '../results/where/causes.ts';
import { formatCondition } from '../results/where/condition.ts';
import type { Status } from '../running/result.ts';
import { formatAcceptCommand } from './accept-command.ts';
import { formatCode } from './markdown-text.ts';
import { renderUnrun } from './not-run.ts';
import { formatRerunCommand, formatRerunOfId } from './rerun-command.ts';
import { groupSimilarFailures } from './similar-failures.ts';
import { escapeControls, escapeToOneLine, formatCount, formatDuration, formatStatus } from './style.ts';
import { describeOutsideCases, formatSummaryLine } from './summary-line.ts';
import { describeSuspects } from './suspects.ts';

/** Below the limit of common hosts of merge requests. */
const MAX_MARKDOWN_BYTES = 60_000;
const MAX_VALUE_LENGTH = 1_500;
const MAX_TABLE_ROWS = 50;

/** Formats a run's summary for a merge request: what failed and where, what is excused and why. Always under 60 kB. */
export function reportAsMarkdown(
  state: RunState,
  info: RunInfo,
  where: ReadonlyMap<number, WhereItFails>,
  reruns: RerunSelections,
  nameFile: FormatPath,
): string {
  const writer = new SizeLimitedWriter(MAX_MARKDOWN_BYTES);
  const { counts } = state;
  const failed = counts.failed + counts.errored;
  const outsideCases = describeOutsideCases(state, info.strictWarnings);
  const isRed = (info.exitStatus ?? 1) !== 0;
  writer.add(`## ${isRed ? '✗' : '✓'} ${formatSummaryLine(state)}\n`);
  if (outsideCases !== undefined) writer.add(`${outsideCases}\n`);
  const time = info.milliseconds === undefined ? 'incomplete' : `${formatDuration(info.milliseconds)} (cases ${formatDuration(state.totalCaseMs)})`;
  writer.add(`${time} · seed ${info.seed} · Red Lattice ${info.tool}, Node ${info.node}\n`);
  for (const { problem, count } of countEqualProblems([
    ...state.loadFailures,
    ...state.planProblems,
    ...state.tornDown.map(buildTeardownProblem),
    ...state.runProblems,
  ]))
    writer.add(`- **!** ${renderProblem(problem, nameFile)}${count > 1 ? ` (${count} times)` : ''}\n`);

  const red = [...state.tests.values()].filter((test) => test.counts.failed + test.counts.errored > 0);
  if (red.length > 0) {
    writer.add('| test | failed | of | time |\n| --- | ---: | ---: | ---: |');
    for (const test of red.slice(0, MAX_TABLE_ROWS)) writer.add(renderTest(test));
    if (red.length > MAX_TABLE_ROWS) writer.add(`| … and ${formatCount(red.length - MAX_TABLE_ROWS, 'more test')} | | | |`);
    writer.add('');
  }
  for (const [number, found] of where) {
    const test = state.tests.get(number);
    if (test) writer.add(renderWhere(test, found));
  }
  const groups = groupSimilarFailures([...state.failures].sort((a, b) => a.test - b.test || a.ordinal - b.ordinal));
  for (const [i, group] of groups.entries()) {
    if (writer.add(renderFailure(group, reruns, nameFile))) continue;
    writer.forceAppend(
      `… and ${formatCount(
        groups.slice(i).reduce((sum, one) => sum + one.length, 0),
        'more failing case',
      )}, omitted for length.\n`,
    );
    break;
  }
  if (failed === 0 && !isRed) writer.add('All cases that ran passed.\n');
  writer.add(renderExcused(state));
  if (state.notRun) writer.add(`- ${renderUnrun(state.notRun)}\n`);
  return writer.text;
}

/** Collects text up to a number of bytes. */
class SizeLimitedWriter {
  readonly #maxBytes: number;
  readonly #room = 300;
  readonly #encoder = new TextEncoder();
  #bytes = 0;
  text = '';

  constructor(maxBytes: number) {
    this.#maxBytes = maxBytes;
  }

  /** Adds lines if there is room for them. Returns whether there was. */
  add(lines: string): boolean {
    const size = this.#encoder.encode(lines).length + 1;
    if (this.#bytes + size > this.#maxBytes - this.#room) return false;
    this.#bytes += size;
    this.text += `${lines}\n`;
    return true;
  }

  /** Adds a line even if that exceeds the size limit. */
  forceAppend(line: string): void {
    this.text += `${line}\n`;
  }
}

const inTable = (text: string): string => text.replaceAll('|', '\\|');

function fenced(text: string, language = ''): string {
  const clipped = escapeControls(text.length > MAX_VALUE_LENGTH ? `${text.slice(0, MAX_VALUE_LENGTH)}\n… (truncated)` : text);
  const fence = '`'.repeat(Math.max(2, ...[...clipped.matchAll(/`+/g)].map(([run]) => run.length)) + 1);
  return `${fence}${language}\n${clipped}\n${fence}\n`;
}

function renderProblem(problem: Problem, nameFile: FormatPath): string {
  const place = problem.at ? `${formatCode(formatLocation({ ...problem.at, file: nameFile(problem.at.file) }))} ` : '';
  return `${place}${formatCode(formatProblem(problem))}`;
}

const cases = ({ counts }: TestState): number => Object.values(counts).reduce((sum, n) => sum + n, 0);

const renderTest = (test: TestState): string =>
  `| ${inTable(formatCode([test.header.file, ...test.header.path].join(' › ')))} | ${test.counts.failed + test.counts.errored} | ${cases(test)} | ${formatDuration(test.milliseconds)} |`;

function renderWhere(test: TestState, { causes, elsewhere, suspects }: WhereItFails): string {
  if (causes.length === 0) {
    if (!suspects) return '';
    const { label, combinations, more, cleared } = describeSuspects(suspects);
    const title = label === 'suspects' ? 'Suspects' : 'Likely cause';
    return `**${title}:** ${formatCode(test.header.path.join(' › '))}\n\n${combinations.map((text) => `- ${formatCode(text)}`).join('\n')}\n${more > 0 ? `- and ${more} more\n` : ''}\n${cleared}\n`;
  }
  const lines = causes.map(({ conditions, failing, cases }) => `- ${formatCode(conditions.map(formatCondition).join(' & '))}: ${failing} of ${cases} fail`);
  return `**Where it fails:** ${formatCode(test.header.path.join(' › '))}\n\n${lines.join('\n')}\n- elsewhere ${elsewhere.failing} of ${elsewhere.cases}\n`;
}

function renderFailure(group: readonly RecordedResult[], reruns: RerunSelections, nameFile: FormatPath): string {
  const [first, ...others] = group as [RecordedResult, ...RecordedResult[]];
  const lines = [
    `<details><summary>${escaped(escapeToOneLine(first.title).slice(0, 300))}${others.length > 0 ? ` and ${formatCount(others.length, 'more case')} failing the same way` : ''}</summary>\n`,
  ];
  for (const failure of first.failures.slice(0, 5)) {
    const at = failure.location ? ` at ${formatCode(formatLocation({ ...failure.location, file: nameFile(failure.location.file) }))}` : '';
    lines.push(`${failure.note ? `${formatCode(failure.note)}: ` : ''}${formatCode(failure.message)}${at}\n`);
    if (failure.actual !== undefined) lines.push(`actual\n\n${fenced(failure.actual)}`);
    if (failure.expected !== undefined) lines.push(`expected\n\n${fenced(failure.expected)}`);
  }
  if (first.failures.length > 5) lines.push(`… and ${formatCount(first.failures.length - 5, 'more failure')}\n`);
  const selection = reruns.find(first);
  lines.push('Again:\n', fenced(selection ? formatRerunCommand(selection, nameFile) : formatRerunOfId(first.id), 'sh'));
  const accept = formatAcceptCommand(first, nameFile);
  if (accept !== undefined) lines.push('To accept the computed values:\n', fenced(accept, 'sh'));
  lines.push('</details>\n');
  return lines.join('\n');
}

/** Escapes text as HTML, so that nothing is markup, a name or a reference of the host. */
const escaped = (text: string): string => text.replace(/[&<>"'`*_[\]()#@!~|\\:/-]/g, (character) => `&#${character.charCodeAt(0)};`);

function renderExcused({ skippedOrExpected }: RunState): string {
  const reasons = new Map<string, number>();
  const key = (status: Status, reason: string): string => `${formatStatus(status)}: ${reason}`;
  for (const { status, reason = '' } of skippedOrExpected) reasons.set(key(status, reason), (reasons.get(key(status, reason)) ?? 0) + 1);
  return [...reasons]
    .slice(0, MAX_TABLE_ROWS)
    .map(([reason, times]) => `- ${formatThousands(times)} ${formatCode(reason)}`)
    .join('\n');
}
