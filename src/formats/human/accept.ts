import type { MadeChange, Refusal } from '../../accepting/change.ts';
import { escapeToOneLine, formatCount, type Style } from '../style.ts';

/** The maximum number of values that are listed for each file. */
const MAX_LISTED = 30;
const MAX_REFUSED = 10;
/** The maximum length of a value, in characters. */
const MAX_VALUE_LENGTH = 40;

/** A file with its changed values. */
export interface FileChanges {
  readonly name: string;
  readonly made: readonly MadeChange[];
  /** For a file that is replaced as a whole: its differing lines with their signs, or its sizes. */
  readonly lines?: readonly string[] | undefined;
  /** The cases that request the content of a whole file. */
  readonly cases?: readonly string[] | undefined;
}

/** Renders the values of a file that would change: old and new, and the case that requests each. */
export function renderFileChanges({ name, made, lines, cases }: FileChanges, style: Style, showsAll: boolean): string[] {
  if (lines) return renderWholeFile(name, lines, cases ?? [], style, showsAll);
  const shared = findSharedTitle(made);
  const rows = new Set(made.map(({ change }) => [change.sheet, change.line, change.column, change.index].join(':'))).size;
  const shown = [...made]
    .sort((a, b) => a.change.line - b.change.line || a.change.column - b.change.column)
    .slice(0, showsAll ? undefined : MAX_LISTED)
    .map(
      ({ change, before, after }) =>
        [
          `line ${change.line}`,
          change.heading,
          shorten(before) || 'empty',
          shorten(after) || 'empty',
          (change.cases[0] ?? '').slice(shared.length).replace(/^ › /, ''),
        ] as const,
    );
  const width = (index: 0 | 1 | 2 | 3): number => Math.max(...shown.map((cells) => cells[index].length));
  const [line, heading, before, after] = ([0, 1, 2, 3] as const).map(width) as [number, number, number, number];
  return [
    '',
    `${style.bold(escapeToOneLine(name))}  ${formatCount(made.length, 'value')} in ${formatCount(rows, 'row')}`,
    ...(shared === '' ? [] : [`  ${style.dim(escapeToOneLine(shared))}`]),
    ...shown.map((cells) =>
      `  ${style.dim(cells[0].padEnd(line))}  ${cells[1].padEnd(heading)}  ${style.red(align(cells[2], before))} → ${style.green(align(cells[3], after))}  ${style.dim(escapeToOneLine(cells[4]))}`.trimEnd(),
    ),
    ...(made.length > shown.length ? [style.dim(`  and ${made.length - shown.length} more (--all)`)] : []),
  ];
}

/** The common beginning of the titles: a file and suites. */
function findSharedTitle(made: readonly MadeChange[]): string {
  let shared: string | undefined;
  for (const { change } of made)
    for (const title of change.cases) {
      if (shared === undefined) shared = title;
      while (shared !== '' && title !== shared && !title.startsWith(`${shared} › `)) shared = shared.slice(0, Math.max(0, shared.lastIndexOf(' › ')));
    }
  return shared ?? '';
}

function renderWholeFile(name: string, lines: readonly string[], cases: readonly string[], style: Style, showsAll: boolean): string[] {
  const shown = lines.slice(0, showsAll ? undefined : MAX_LISTED);
  return [
    '',
    style.bold(escapeToOneLine(name)),
    ...cases.slice(0, 2).map((one) => `  ${style.dim(escapeToOneLine(one))}`),
    ...shown.map((line) => {
      const text = `  ${escapeToOneLine(line)}`;
      return line.startsWith('+') ? style.green(text) : line.startsWith('-') ? style.red(text) : text;
    }),
    ...(lines.length > shown.length ? [style.dim(`  and ${formatCount(lines.length - shown.length, 'more line')} (--all)`)] : []),
  ];
}

/** Numbers are right-aligned, so that digits line up. */
const align = (value: string, width: number): string => (/^-?[\d.]+$/.test(value) ? value.padStart(width) : value.padEnd(width));

function shorten(value: string): string {
  const line = escapeToOneLine(value);
  return line.length > MAX_VALUE_LENGTH ? `${line.slice(0, MAX_VALUE_LENGTH - 1)}…` : line;
}

/** Renders what cannot be accepted, with reasons. */
export function renderRefusals(refused: readonly Refusal[], nameFile: (file: string) => string, style: Style, showsAll: boolean): string[] {
  if (refused.length === 0) return [];
  const shown = refused.slice(0, showsAll ? undefined : MAX_REFUSED);
  return [
    '',
    style.yellow(`${formatCount(refused.length, 'value')} not accepted`),
    ...shown.flatMap(({ where, reason, cases }) => [
      `  ${nameFile(where.file)}${where.line === undefined ? '' : `:${where.line}`}${where.heading === undefined ? '' : ` ${escapeToOneLine(where.heading)}`}: ${escapeToOneLine(reason)}`,
      ...cases.slice(0, 2).map((one) => style.dim(`    ${escapeToOneLine(one)}`)),
    ]),
    ...(refused.length > shown.length ? [style.dim(`  and ${refused.length - shown.length} more (--all)`)] : []),
  ];
}

/** Renders files that no test compares with any more. */
export const renderUnreadFiles = (names: readonly string[], style: Style): string[] =>
  names.length === 0
    ? []
    : [
        '',
        style.yellow(`${formatCount(names.length, 'file')} that no test reads any more`),
        ...names.slice(0, MAX_REFUSED).map((name) => `  ${escapeToOneLine(name)}`),
        ...(names.length > MAX_REFUSED ? [style.dim(`  and ${names.length - MAX_REFUSED} more`)] : []),
      ];

/** Formats a text for a commit: what was accepted, where, and for which tests. */
export function renderCommitText(files: readonly FileChanges[]): string[] {
  const names = files.map(({ name }) => name);
  const tests = [
    ...new Set(files.flatMap(({ made, cases = [] }) => [...cases, ...made.flatMap(({ change }) => change.cases)].map((one) => one.split(' › ')[0] as string))),
  ];
  return [
    `Accept new expected values in ${names.length > 2 ? `${names.length} files` : names.join(' and ')}`,
    '',
    ...files.map(({ name, made, lines }) => `${name}: ${lines ? 'the whole file' : countByHeading(made)}`),
    `Computed by ${tests.join(', ')}`,
  ];
}

function countByHeading(made: readonly MadeChange[]): string {
  const counts = new Map<string, number>();
  for (const { change } of made) counts.set(change.heading, (counts.get(change.heading) ?? 0) + 1);
  return [...counts].map(([heading, count]) => `${escapeToOneLine(heading)} in ${formatCount(count, 'row')}`).join(', ');
}
