import { formatValuesName } from '../cases/ids.ts';
import { formatThousands } from '../problems/format-thousands.ts';
import { type Change, type Compared, type Comparison, hasNewFailure } from '../results/compare.ts';
import { findDifferingFiles, type RunInfo } from '../results/run-info.ts';
import { measureWidth } from './columns.ts';
import { layOutRows } from './human/row-table.ts';
import { formatCode } from './markdown-text.ts';
import { renderUnrun } from './not-run.ts';
import { escapeToOneLine, formatCount, formatDuration, formatStatus, type Style } from './style.ts';

/** A compared record, with its label. */
export interface ComparedRun {
  readonly name: string;
  readonly info: RunInfo;
}

type Told = Exclude<Change, 'same'>;
const reportedChanges: readonly Told[] = ['newly failing', 'fixed', 'still failing', 'new', 'gone', 'excused', 'slower', 'faster'];
/** The kinds of changes that are reported. */
export const changeLabels: Readonly<Record<Told, string>> = {
  'newly failing': 'newly failing',
  fixed: 'fixed',
  'still failing': 'still failing',
  new: 'not in the earlier run',
  gone: 'not in the later run',
  excused: 'not failing because skipped, not requested or a known failure',
  slower: 'slower',
  faster: 'faster',
};
/** The maximum number of cases that are named for one test and one change. It is lower for cases in one record only. */
const MAX_NAMED_CASES = 8;
const MAX_NAMED_PER_SIDE = 3;
/** The maximum number of changed files that are named. */
const MAX_NAMED_FILES = 8;
/** The maximum number of tests that are listed for one kind of change. */
const MAX_NAMED_TESTS = 20;

interface NamedCase {
  readonly name: string;
  readonly detail: string;
  readonly row: Compared['row'];
}

/** The cases of one change and one test: the named ones, and the number of others. */
interface OfTest {
  readonly path: readonly string[];
  readonly named: readonly NamedCase[];
  readonly more: number;
}

/** The cases of one change under their tests, in order. */
function groupByTest(change: Told, cases: readonly Compared[]): { tests: OfTest[]; more: number } {
  const tests = new Map<string, Compared[]>();
  for (const one of cases) {
    const key = JSON.stringify(one.path);
    const test = tests.get(key);
    if (test) test.push(one);
    else tests.set(key, [one]);
  }
  const isOneSided = change === 'new' || change === 'gone';
  const listed = [...tests.values()].slice(0, MAX_NAMED_TESTS).map((all): OfTest => {
    const path = all[0]?.path ?? [];
    const failing = all.filter(({ after }) => after?.status === 'failed' || after?.status === 'errored');
    const named = isOneSided && all.length > MAX_NAMED_PER_SIDE ? failing.slice(0, MAX_NAMED_PER_SIDE) : all.slice(0, MAX_NAMED_CASES);
    return {
      path,
      named: named.map((one) => ({ name: formatNameIn(path, one.title), detail: formatDetail(change, one), row: one.row })),
      more: all.length - named.length,
    };
  });
  return { tests: listed, more: tests.size - listed.length };
}

/** A case's title without those of its suites, and without that of its test if anything follows. */
function formatNameIn(path: readonly string[], title: string): string {
  const [own = title, ...more] = title.split(' › ').slice(Math.max(0, path.length - 2));
  return more.join(' › ') || own;
}

const formatMore = ({ named, more }: OfTest): string | undefined =>
  more === 0 ? undefined : named.length > 0 ? `… and ${formatCount(more, 'more case')}` : formatCount(more, 'case');

const ratio = (before: number, after: number): string =>
  after > before ? `${(after / Math.max(before, 0.1)).toFixed(1)} × as long` : `${(before / Math.max(after, 0.1)).toFixed(1)} × as fast`;

const times = ({ before, after }: Compared): string =>
  before && after ? `${formatDuration(before.milliseconds)} → ${formatDuration(after.milliseconds)}, ${ratio(before.milliseconds, after.milliseconds)}` : '';

function formatDetail(change: Told, one: Compared): string {
  if (change === 'slower' || change === 'faster') return times(one);
  if (change === 'newly failing') return `${one.before ? `was ${formatStatus(one.before.status)}: ` : ''}${one.after?.message ?? one.after?.status ?? ''}`;
  if (change === 'still failing')
    return one.before?.message === one.after?.message ? (one.after?.message ?? '') : `${one.after?.message ?? ''} (was: ${one.before?.message ?? ''})`;
  if (change === 'excused') return `${one.after && formatStatus(one.after.status)}, was ${one.before && formatStatus(one.before.status)}`;
  return change === 'new' && one.after ? [formatStatus(one.after.status), one.after.message].filter(Boolean).join(': ') : '';
}

const renderRun = ({ name, info }: ComparedRun): string => {
  const { counts = {} } = info;
  const failed = (counts['failed'] ?? 0) + (counts['errored'] ?? 0);
  return `${name}  ${info.started.slice(0, 16).replace('T', ' ')} UTC  ${formatThousands(counts['passed'] ?? 0)} passed, ${formatThousands(failed)} failed${info.milliseconds === undefined ? '' : `, ${formatDuration(info.milliseconds)}`}${info.notRun ? `; ${renderUnrun(info.notRun)}` : ''}`;
};

const closing = ({ cases, same }: Comparison): string =>
  [
    ...reportedChanges.filter((change) => cases[change].length > 0).map((change) => `${formatThousands(cases[change].length)} ${changeLabels[change]}`),
    `${formatThousands(same)} the same`,
  ].join(', ');

const formatPace = ({ pace }: Comparison): string | undefined =>
  pace > 1.25 || pace < 0.8 ? `the median case took ${pace.toFixed(1)} × as long as before; slower and faster are relative to that` : undefined;

/** Describes why the later run is incomplete. Returns undefined if it is complete. */
export function explainPartial({ info }: ComparedRun): string | undefined {
  if (info.milliseconds === undefined) return 'the later run did not finish';
  if ((info.exitStatus ?? 0) >= 128) return 'the later run was interrupted';
  if (info.exitStatus === 2) return 'the later run could not load or plan everything';
  if (info.exitStatus === 3) return 'the later run selected nothing';
  return info.notRun && `the later run did not run everything: ${renderUnrun(info.notRun)}`;
}

/** The test files, modules and data files that differ between two runs. */
const changedFiles = (before: ComparedRun, after: ComparedRun): string[] => [
  ...findDifferingFiles(before.info.files, after.info.files, true),
  ...findDifferingFiles(before.info.reads, after.info.reads, true),
];

/** The changed files in one line. Undefined if no file is known to have changed. */
function describeChangedFiles(before: ComparedRun, after: ComparedRun): string | undefined {
  const files = changedFiles(before, after);
  const more = files.length > MAX_NAMED_FILES ? `, … and ${formatCount(files.length - MAX_NAMED_FILES, 'more file')}` : '';
  return files.length === 0 ? undefined : `changed between the runs: ${files.slice(0, MAX_NAMED_FILES).join(', ')}${more}`;
}

/** Renders a comparison as text. `width` is that of the terminal, in columns. */
export function renderComparison(comparison: Comparison, before: ComparedRun, after: ComparedRun, style: Style, width: number): string[] {
  const chooseColor: Readonly<Record<Told, Style['red']>> = {
    'newly failing': style.red,
    fixed: style.green,
    'still failing': style.red,
    new: style.cyan,
    gone: style.yellow,
    excused: style.yellow,
    slower: style.yellow,
    faster: style.green,
  };
  const lines = [style.dim(`before  ${escapeToOneLine(renderRun(before))}`), style.dim(`after   ${escapeToOneLine(renderRun(after))}`)];
  for (const change of reportedChanges) {
    const cases = comparison.cases[change];
    if (cases.length === 0) continue;
    lines.push('', chooseColor[change](style.bold(`${changeLabels[change]}: ${formatThousands(cases.length)}`)));
    const { tests, more } = groupByTest(change, cases);
    for (const test of tests) {
      const formatDetail = (name: string, detail: string): string => `${escapeToOneLine(name)}${detail ? style.dim(`  ${escapeToOneLine(detail)}`) : ''}`;
      const [only, ...others] = test.named;
      const path = test.path.join(' › ');
      // The test's line names the only case of a test without rows.
      if (only && others.length === 0 && test.more === 0 && only.name === (test.path.at(-1) ?? only.name))
        lines.push(`  ${formatDetail(path || only.name, only.detail)}`);
      else {
        lines.push(`  ${formatDetail(path, test.named.length > 0 ? '' : (formatMore(test) ?? ''))}`);
        lines.push(...renderNamed(test.named, formatDetail, style, width));
        if (test.named.length > 0 && test.more > 0) lines.push(style.dim(`    ${formatMore(test)}`));
      }
    }
    if (more > 0) lines.push(style.dim(`  … in ${formatCount(more, 'more test')}`));
  }
  const pace = formatPace(comparison);
  const partial = explainPartial(after);
  const changed = describeChangedFiles(before, after);
  lines.push(
    '',
    ...(changed ? [style.dim(escapeToOneLine(changed))] : []),
    ...(pace ? [style.dim(pace)] : []),
    ...(partial ? [style.red(partial)] : []),
    closing(comparison),
  );
  return lines;
}

/** Renders the cases of a test: as a table if their rows are their names and the table fits. */
function renderNamed(named: readonly NamedCase[], formatDetail: (name: string, detail: string) => string, style: Style, width: number): string[] {
  const rows = named.flatMap(({ name, row }) => (row && name === formatValuesName(row) ? [row] : []));
  const details = Math.max(...named.map(({ detail }) => measureWidth(escapeToOneLine(detail))));
  const table = rows.length === named.length ? layOutRows(rows, width - details - 4) : undefined;
  if (!table) return named.map(({ name, detail }) => `    ${formatDetail(name, detail)}`);
  const head = `    ${style.dim(table.head)}${table.same ? style.dim(`    all: ${table.same}`) : ''}`;
  return [head, ...named.map(({ detail }, i) => `    ${table.lines[i]}${detail ? style.dim(`  ${escapeToOneLine(detail)}`) : ''}`.trimEnd())];
}

const MAX_MARKDOWN_BYTES = 60_000;

/** Formats a comparison for a merge request, in less than 60 kB. */
export function comparisonAsMarkdown(comparison: Comparison, before: ComparedRun, after: ComparedRun): string {
  let text = `## ${hasNewFailure(comparison) || explainPartial(after) ? '✗' : '✓'} ${closing(comparison)}\n\n- before: ${formatCode(renderRun(before))}\n- after: ${formatCode(renderRun(after))}\n`;
  const pace = formatPace(comparison);
  const changed = describeChangedFiles(before, after);
  if (changed) text += `- ${formatCode(escapeToOneLine(changed))}\n`;
  if (pace) text += `- ${pace}\n`;
  const partial = explainPartial(after);
  if (partial) text += `- **${partial}**\n`;
  const encoder = new TextEncoder();
  let bytes = encoder.encode(text).length;
  for (const change of reportedChanges) {
    const cases = comparison.cases[change];
    if (cases.length === 0) continue;
    const lines = [`\n### ${changeLabels[change]}: ${formatThousands(cases.length)}\n`];
    const { tests, more } = groupByTest(change, cases);
    for (const test of tests) {
      lines.push(`- ${formatCode(test.path.join(' › '))}`);
      for (const { name, detail } of test.named) lines.push(`  - ${formatCode(name)}${detail ? ` ${formatCode(detail)}` : ''}`);
      if (test.more > 0) lines.push(`  - ${formatMore(test)}`);
    }
    if (more > 0) lines.push(`- … in ${formatCount(more, 'more test')}`);
    for (const line of lines) {
      bytes += encoder.encode(line).length + 1;
      if (bytes > MAX_MARKDOWN_BYTES - 200) return `${text}\n… the rest was omitted.\n`;
      text += `${line}\n`;
    }
  }
  return text;
}

/** Formats a comparison as JSON. Unchanged cases are only counted. */
export const comparisonAsJson = ({ cases, same, pace }: Comparison, before: ComparedRun, after: ComparedRun): string => {
  const run = ({ name, info: { started, seed, milliseconds, counts, notRun, exitStatus } }: ComparedRun) => ({
    name,
    started,
    seed,
    milliseconds,
    counts,
    notRun,
    exitStatus,
  });
  const all = reportedChanges.flatMap((change) => cases[change].map(({ row: _row, ...one }) => ({ change, ...one })));
  return `${JSON.stringify({ format: 'red-lattice comparison', version: '1.1', before: run(before), after: run(after), changedFiles: changedFiles(before, after), pace, same, cases: all }, null, 1)}\n`;
};
