import type { MadeChange, Refusal } from '../../accepting/change.ts';
import { escapeToOneLine, formatCount, type Style } from '../style.ts';

/** Values that are listed of each file. */
const MAX_LISTED = 30;
const MAX_REFUSED = 10;
/** Characters of a value. */
const MAX_VALUE_LENGTH = 40;

/** A file with its changed values. */
export interface FileChanges {
  readonly name: string;
  readonly made: readonly MadeChange[];
}

/** The values of a file that would change: old and new, and the case that asks for each. */
export function renderFileChanges({ name, made }: FileChanges, style: Style, showsAll: boolean): string[] {
  const rows = new Set(made.map(({ change }) => [change.sheet, change.line, change.column, change.index].join(":"))).size;
  const shown = [...made]
    .sort((a, b) => a.change.line - b.change.line || a.change.column - b.change.column)
    .slice(0, showsAll ? undefined : MAX_LISTED)
    .map(
      ({ change, before, after }) =>
        [`line ${change.line}`, change.heading, shorten(before) || 'empty', shorten(after) || 'empty', change.cases[0] ?? ''] as const,
    );
  const width = (index: 0 | 1 | 2 | 3): number => Math.max(...shown.map((cells) => cells[index].length));
  const [line, heading, before, after] = ([0, 1, 2, 3] as const).map(width) as [number, number, number, number];
  return [
    '',
    `${style.bold(escapeToOneLine(name))}  ${formatCount(made.length, 'value')} in ${formatCount(rows, 'row')}`,
    ...shown.map((cells) =>
      `  ${style.dim(cells[0].padEnd(line))}  ${cells[1].padEnd(heading)}  ${style.red(cells[2].padEnd(before))} → ${style.green(cells[3].padEnd(after))}  ${style.dim(escapeToOneLine(cells[4]))}`.trimEnd(),
    ),
    ...(made.length > shown.length ? [style.dim(`  and ${made.length - shown.length} more (--all)`)] : []),
  ];
}

function shorten(value: string): string {
  const line = escapeToOneLine(value);
  return line.length > MAX_VALUE_LENGTH ? `${line.slice(0, MAX_VALUE_LENGTH - 1)}…` : line;
}

/** What cannot be accepted, with the reasons. */
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

/** A text for a commit: what was accepted, where, and for which tests. */
export function renderCommitText(files: readonly FileChanges[]): string[] {
  const names = files.map(({ name }) => name);
  const tests = [...new Set(files.flatMap(({ made }) => made.flatMap(({ change }) => change.cases.map((one) => one.split(' › ')[0] as string))))];
  return [
    `Accept new expected values in ${names.length > 2 ? `${names.length} files` : names.join(' and ')}`,
    '',
    ...files.map(({ name, made }) => `${name}: ${countByHeading(made)}`),
    `Computed by ${tests.join(', ')}`,
  ];
}

function countByHeading(made: readonly MadeChange[]): string {
  const counts = new Map<string, number>();
  for (const { change } of made) counts.set(change.heading, (counts.get(change.heading) ?? 0) + 1);
  return [...counts].map(([heading, count]) => `${escapeToOneLine(heading)} in ${formatCount(count, 'row')}`).join(', ');
}
