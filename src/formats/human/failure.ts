import { formatValuesName } from '../../cases/ids.ts';
import { type DiffLine, diffValues, measureDistance, parseShownText } from '../../checks/difference.ts';
import { formatThousands } from '../../problems/format-thousands.ts';
import { formatLocation, type SourceLocation } from '../../problems/source-location.ts';
import type { RecordedResult, UsedFixture } from '../../results/recorded-result.ts';
import type { RerunSelections } from '../../results/rerun-selection.ts';
import type { Failure } from '../../running/result.ts';
import { formatAcceptCommand } from '../accept-command.ts';
import { measureWidth } from '../columns.ts';
import { formatRerunCommand, formatRerunOfId } from '../rerun-command.ts';
import { escapeControls, escapeToOneLine, type Style } from '../style.ts';
import { type CodeFrameOptions, renderCodeFrame } from './frame.ts';
import { layOutRows } from './row-table.ts';

export interface Formatting extends CodeFrameOptions {
  /** Returns the name of a file for people: its path from the project's root. */
  readonly nameFile: (file: string) => string;
  /** The locations whose source lines have been printed. */
  readonly shown: Set<string>;
  /** Finds the selections for the `rerun` lines. Default: each case is selected by its id. */
  readonly reruns?: RerunSelections | undefined;
}

type Failed = Pick<RecordedResult, 'title' | 'row' | 'failures' | 'output' | 'steps' | 'status' | 'id' | 'fixtures'> & {
  readonly test?: number;
  readonly location?: SourceLocation | undefined;
  /** A shared teardown cannot be run again by itself. */
  readonly kind?: 'teardown';
};

const indent = (lines: readonly string[], by = '  '): string[] => lines.map((line) => (line === '' ? '' : by + line));
const MAX_OUTPUT_LINES = 20;

/** Renders a failed or errored case: title, row, each failure and output. */
export function renderFailure(result: Failed, number: number, formatting: Formatting): string[] {
  const { style } = formatting;
  const title = formatWithoutRow(result);
  const head = `${style.red(result.status === 'errored' ? '!' : '✗')} ${style.bold(`${number}. ${escapeToOneLine(title)}`)}${result.status === 'errored' ? style.yellow('  errored') : ''}`;
  const row = Object.entries(result.row);
  const lines = [head];
  if (row.length > 0) lines.push(...renderRow(row, result.location, formatting));
  const fixtures = (result.fixtures ?? []).filter(({ name }) => !name.endsWith(', the original'));
  if (fixtures.length > 0) lines.push(`  ${style.dim(`with ${fixtures.map(renderFixture).join(', ')}`)}`);
  for (const { failure, more } of limitPerLine(result.failures)) {
    lines.push('', ...indent(renderOne(failure, formatting)));
    if (more > 0) lines.push('', `  ${style.dim(`… and ${formatThousands(more)} more at this line`)}`);
  }
  const output = result.output.join('').replace(/\n$/, '');
  if (output) {
    const written = output.split('\n');
    lines.push('', `  ${style.dim(written.length > MAX_OUTPUT_LINES ? `output (last ${MAX_OUTPUT_LINES} of ${written.length} lines)` : 'output')}`);
    for (const line of written.slice(-MAX_OUTPUT_LINES)) lines.push(`  ${style.dim('│')} ${escapeControls(line)}`);
  }
  if (result.kind !== 'teardown') {
    const { test, row } = result;
    const selection = test === undefined ? undefined : formatting.reruns?.find({ test, row });
    const command = selection ? formatRerunCommand(selection, formatting.nameFile) : formatRerunOfId(result.id);
    lines.push('', `  ${style.dim(`rerun: ${escapeToOneLine(command)}`)}`);
    const accept = formatAcceptCommand(result, formatting.nameFile);
    if (accept !== undefined) lines.push(`  ${style.dim(`accept: ${escapeToOneLine(accept)}`)}`);
  }
  return lines;
}

const ROW_LABEL = 'row  ';

/** Renders a row and its location, in several lines if they are too wide for one. */
function renderRow(row: readonly (readonly [string, unknown])[], location: SourceLocation | undefined, formatting: Formatting): string[] {
  const { style } = formatting;
  const width = (formatting.columns || Number.POSITIVE_INFINITY) - 2 - ROW_LABEL.length;
  const parts = row.map(([column, value]) => ({
    plain: `${escapeToOneLine(column)}=${formatShort(value)}`,
    text: `${style.dim(`${escapeToOneLine(column)}=`)}${formatShort(value)}`,
  }));
  const place = location && formatCaseName(location, formatting);
  const lines: string[] = [];
  let [line, used] = ['', 0];
  const put = (text: string, wide: number, separator: string): void => {
    if (line !== '' && used + separator.length + wide > width) {
      lines.push(line);
      [line, used] = [text, wide];
    } else {
      line += line === '' ? text : separator + text;
      used += wide + (used === 0 ? 0 : separator.length);
    }
  };
  for (const [i, { plain, text }] of parts.entries()) {
    const comma = i < parts.length - 1 ? ',' : '';
    put(text + style.dim(comma), measureWidth(plain) + comma.length, ' ');
  }
  if (place !== undefined) put(style.dim(place), measureWidth(place), '  ');
  return [...lines, line].map((one, i) => `  ${i === 0 ? style.dim(ROW_LABEL) : ' '.repeat(ROW_LABEL.length)}${one}`);
}

/** The maximum number of printed failures per source line. */
const MAX_FAILURES_PER_LINE = 3;

/** The failures to print. The last one of each source line has the number of omitted ones. */
function limitPerLine(failures: readonly Failure[]): { readonly failure: Failure; readonly more: number }[] {
  const lineOf = ({ location, message }: Failure): string => (location ? `${location.file}:${location.line}` : message);
  const counts = new Map<string, number>();
  const shown: Failure[] = [];
  for (const failure of failures) {
    const count = (counts.get(lineOf(failure)) ?? 0) + 1;
    counts.set(lineOf(failure), count);
    if (count <= MAX_FAILURES_PER_LINE) shown.push(failure);
  }
  return shown.map((failure, i) => {
    const isLast = !shown.slice(i + 1).some((later) => lineOf(later) === lineOf(failure));
    return { failure, more: isLast ? Math.max(0, (counts.get(lineOf(failure)) ?? 0) - MAX_FAILURES_PER_LINE) : 0 };
  });
}

/** Renders a fixture of a case: its settings, and what it replaces or who replaced it. */
function renderFixture({ name, settings, replaced }: UsedFixture): string {
  const details = settings.map((setting) => `${setting.name}=${setting.value}`);
  if (replaced) details.push(replaced.by.startsWith('replaces ') ? replaced.by : `replaced by ${replaced.owner}`);
  return escapeToOneLine(`${name}${details.length > 0 ? ` (${details.join(', ')})` : ''}`);
}

const MAX_VALUE_LENGTH = 80;

/** A recorded value on one line, shortened if it is long. The record has the whole value. */
function formatShort(value: unknown): string {
  const text = escapeToOneLine(typeof value === 'string' ? value : JSON.stringify(value));
  return text.length > MAX_VALUE_LENGTH ? `${text.slice(0, MAX_VALUE_LENGTH - 1)}…` : text;
}

const MAX_SIMILAR_ROWS = 12;
/** The width of a terminal if it is not known, in columns. */
const DEFAULT_WIDTH = 100;
/** The maximum length of both values after a row, in characters. */
const MAX_SHOWN_VALUES = 60;
/** The width of the symbol before a row, in columns. */
const ROW_MARGIN = 4;

/** Renders the other rows with a similar failure, one line each. */
export function renderAlike(results: readonly RecordedResult[], first: number, formatting: Formatting): string[] {
  const { style } = formatting;
  const values = results.map(({ failures: [first] }) => formatValues(first));
  const oneTest = new Set(results.map(({ test }) => test)).size === 1;
  const shown = results.slice(0, MAX_SIMILAR_ROWS);
  const room = (formatting.columns || DEFAULT_WIDTH) - ROW_MARGIN - Math.max(...shown.map((_, i) => values[i]?.plain.length ?? 0));
  const table = oneTest
    ? layOutRows(
        shown.map(({ row }) => row),
        room,
      )
    : undefined;
  const name = (result: RecordedResult): string => escapeToOneLine((oneTest && formatValuesName(result.row)) || result.title);
  return [
    `  ${style.bold(`${results.length} more ${results.length === 1 ? 'case fails' : 'cases fail'} the same way`)} ${style.dim(`(${results.length === 1 ? first : `${first} to ${first + results.length - 1}`})`)}`,
    ...(table ? [`    ${style.dim(table.head)}${table.same ? style.dim(`    all: ${table.same}`) : ''}`] : []),
    ...shown.map((result, i) => `  ${style.red('✗')} ${table?.lines[i] ?? name(result)}${values[i]?.painted(style) ?? ''}`.trimEnd()),
    ...(results.length > MAX_SIMILAR_ROWS ? [style.dim(`  … and ${results.length - MAX_SIMILAR_ROWS} more; run with --show cases to list them all`)] : []),
  ];
}

/** Formats the actual and expected value after a row. Undefined if they are too long. */
function formatValues(failure: Failure | undefined): { readonly plain: string; painted(style: Style): string } | undefined {
  const { actual, expected } = failure ?? {};
  if (actual === undefined || expected === undefined || actual.length + expected.length > MAX_SHOWN_VALUES) return undefined;
  const [one, other] = [escapeToOneLine(actual), escapeToOneLine(expected)];
  return { plain: `  ${one} not ${other}`, painted: (style) => `  ${style.red(one)} ${style.dim('not')} ${style.green(other)}` };
}

/** The title without the values on the row's line. */
function formatWithoutRow({ title, row }: Failed): string {
  const values = ` › ${formatValuesName(row)}`;
  return title.endsWith(values) ? title.slice(0, -values.length) : title;
}

const formatCaseName = (place: SourceLocation, { nameFile }: Formatting): string => formatLocation({ ...place, file: nameFile(place.file) });

function renderOne(failure: Failure, formatting: Formatting): string[] {
  const { style } = formatting;
  const lines: string[] = [];
  const where = [
    failure.fixture && `fixture "${failure.fixture}", ${failure.cause === 'teardown' ? 'teardown' : 'setup'}`,
    failure.step?.length && `step "${failure.step.join(' › ')}"`,
  ]
    .filter(Boolean)
    .join(', ');
  if (where) lines.push(style.dim(`in ${escapeToOneLine(where)}`));
  const [first, ...more] = escapeControls(
    failure.cause === 'data' && failure.location ? `${formatCaseName(failure.location, formatting)} ${failure.message}` : failure.message,
  ).split('\n');
  const note = failure.note?.trim();
  const longNote = note?.includes('\n');
  const rest = limitLines(more, MAX_MESSAGE_LINES);
  lines.push(`${note && !longNote ? `${style.bold(escapeToOneLine(note))}: ` : ''}${style.red(first as string)}`, ...rest.map((line) => style.red(line)));
  if (note && longNote) lines.push(...limitLines(note.split('\n'), MAX_MESSAGE_LINES).map((line) => `${style.dim('│')} ${escapeControls(line)}`));
  for (const inner of failure.causes ?? []) lines.push(`${style.dim('caused by:')} ${escapeControls(inner)}`);
  lines.push(...renderValues(failure, style));
  if (failure.location) {
    if (failure.cause !== 'data') lines.push('', style.cyan(formatCaseName(failure.location, formatting)));
    lines.push(...renderFrameOnce(failure.location, formatting));
  }
  for (const frame of (failure.frames ?? []).slice(1, 4)) lines.push(style.dim(`called from ${formatCaseName(frame, formatting)}`));
  return lines;
}

/** Renders actual and expected as a difference, or each by itself. */
function renderValues({ message, actual, expected, expectedKind }: Failure, style: Style): string[] {
  if (actual !== undefined && expected !== undefined && expectedKind === undefined) {
    const distance = measureDistance(actual, expected);
    const [first = '', ...more] = renderDifference(diffValues(actual, expected), style);
    return [distance && !message.startsWith('off by') ? `${first}  ${style.dim(`(${distance})`)}` : first, ...more];
  }
  return [
    ...(actual === undefined ? [] : renderValue('actual', actual, style)),
    ...(expected === undefined ? [] : renderValue(expectedKind ?? 'expected', expected, style)),
  ];
}

/** The maximum number of lines of a message, and of a difference. The record has all of them. */
const MAX_MESSAGE_LINES = 40;
const MAX_DIFFERENCE_LINES = 80;
/** The maximum number of consecutive lines of a long difference on one side. */
const MAX_RUN_LINES = 15;

/** Removes the middle of a long list of lines. `paint` is for the line that says so. */
function limitLines(lines: readonly string[], most: number, paint = (text: string): string => text): readonly string[] {
  if (lines.length <= most) return lines;
  const tail = Math.floor(most / 4);
  const head = most - tail - 1;
  return [...lines.slice(0, head), paint(`… ${formatThousands(lines.length - head - tail)} more lines …`), ...lines.slice(-tail)];
}

const MAX_VALUE_LINES = 12;
const MAX_LINE_LENGTH = 240;

/** Renders a source frame once per location: many rows can fail there, and one line can have several failures. */
export function renderFrameOnce(place: SourceLocation, formatting: Formatting): string[] {
  const key = formatLocation(place);
  if (formatting.shown.has(key)) return [];
  formatting.shown.add(key);
  return renderCodeFrame(place, formatting);
}

/** Renders a value next to its label, over several lines if it is such a text. Long values are shortened; the record has the whole value. */
function renderValue(label: string, shown: string, style: Style): string[] {
  const text = parseShownText(shown);
  const isLines = text?.includes('\n') === true;
  const lines = (isLines ? (text as string) : shown)
    .split('\n')
    .map((line) => escapeControls(line.length > MAX_LINE_LENGTH ? `${line.slice(0, MAX_LINE_LENGTH - 1)}…` : line));
  const formatted = limitLines(lines, MAX_VALUE_LINES, style.dim);
  if (isLines) return [style.dim(label), ...formatted.map((line) => `${style.dim('│')} ${line}`)];
  return formatted.map((line, i) => `${i === 0 ? style.dim(label.padEnd(8)) : ' '.repeat(8)}  ${line}`);
}

/** Shortens runs of lines on one side, and then the whole difference. */
function limitDifference(lines: readonly DiffLine[]): readonly DiffLine[] {
  if (lines.length <= MAX_DIFFERENCE_LINES) return lines;
  const shortened: DiffLine[] = [];
  for (let from = 0; from < lines.length; ) {
    const side = lines[from]?.side;
    let to = from;
    while (lines[to]?.side === side) to++;
    const head = Math.min(to, from + MAX_RUN_LINES);
    shortened.push(...lines.slice(from, head));
    if (to > head) shortened.push({ side: 'omitted', text: `${formatThousands(to - head)} more lines ${side === 'both' ? 'that are equal' : `of ${side}`}` });
    from = to;
  }
  const left = shortened.length - MAX_DIFFERENCE_LINES;
  return left <= 0 ? shortened : [...shortened.slice(0, MAX_DIFFERENCE_LINES), { side: 'omitted', text: `${formatThousands(left)} more lines` }];
}

function renderDifference(lines: readonly DiffLine[], style: Style): string[] {
  if (lines.every((line) => line.side === 'actual' || line.side === 'expected') && lines.length === 2) {
    return lines.flatMap((line) => [`${style.dim(line.side.padEnd(8))}  ${highlight(line, style)}`, ...underline(line, style)]);
  }
  const sign = { both: ' ', actual: '+', expected: '-', omitted: ' ' } as const;
  return [
    `${style.red('+ actual')}  ${style.green('- expected')}`,
    ...limitDifference(lines).flatMap((line) => {
      if (line.side === 'omitted') return [style.dim(`  … ${line.text}`)];
      if (line.side === 'both') return [style.dim(`  ${escapeControls(line.text)}`)];
      const paint = line.side === 'actual' ? style.red : style.green;
      return [`${paint(sign[line.side])} ${line.highlights ? highlight(line, style) : paint(escapeControls(line.text))}`];
    }),
  ];
}

/** Highlights the differing parts of a line. Without colours, `underline` does so. */
function highlight({ text, highlights = [], side }: DiffLine, style: Style): string {
  const mark = side === 'actual' ? style.markActual : style.markExpected;
  let [formatted, at] = ['', 0];
  for (const [start, end] of highlights) {
    formatted += escapeControls(text.slice(at, start)) + mark(escapeControls(text.slice(start, end)));
    at = end;
  }
  return formatted + escapeControls(text.slice(at));
}

function underline({ text, highlights = [] }: DiffLine, style: Style): string[] {
  const whole = highlights.length === 1 && highlights[0]?.[0] === text.length - text.trimStart().length && highlights[0][1] === text.length;
  if (style.colours || whole || highlights.length === 0) return [];
  let [formatted, at] = ['', 0];
  for (const [start, end] of highlights) {
    formatted += ' '.repeat(measureWidth(escapeControls(text.slice(at, start)))) + '~'.repeat(measureWidth(escapeControls(text.slice(start, end))));
    at = end;
  }
  return [`          ${formatted}`];
}
