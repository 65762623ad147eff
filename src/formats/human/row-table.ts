import { formatShortValue } from '../../cases/values.ts';
import { measureWidth } from '../columns.ts';
import { escapeToOneLine } from '../style.ts';

type Row = Readonly<Record<string, unknown>>;

/** Rows of one test, as a table. */
export interface RowTable {
  /** The columns with the same value in all rows: `hull=cat, season=winter`. */
  readonly same: string;
  readonly head: string;
  /** One line per row. */
  readonly lines: readonly string[];
}

const MIN_ROWS = 2;
/** The maximum width of a value, in columns. */
const MAX_VALUE_WIDTH = 28;

/**
 * Lays out rows as a table of the columns in which they differ. Undefined if there is one row only, if nothing differs, if columns are missing
 * somewhere, or if it is wider than `width`.
 */
export function layOutRows(rows: readonly Row[], width: number): RowTable | undefined {
  const [first, ...others] = rows;
  if (!first || rows.length < MIN_ROWS) return undefined;
  const columns = Object.keys(first);
  if (others.some((row) => Object.keys(row).join('\n') !== columns.join('\n'))) return undefined;
  const cells = columns.map((column) => rows.map((row) => escapeToOneLine(formatShortValue(row[column]))));
  const isSame = (column: number): boolean => (cells[column] as string[]).every((cell, _, [one]) => cell === one);
  const differing = [...columns.keys()].filter((column) => !isSame(column));
  if (differing.length === 0 || differing.some((column) => (cells[column] as string[]).some((cell) => measureWidth(cell) > MAX_VALUE_WIDTH))) return undefined;
  const shown = differing.map((column) => {
    const heading = escapeToOneLine(columns[column] as string);
    const values = cells[column] as string[];
    const wide = Math.max(measureWidth(heading), ...values.map((value) => measureWidth(value)));
    const isNumeric = rows.every((row) => typeof row[columns[column] as string] === 'number');
    const pad = (text: string): string => (isNumeric ? ' '.repeat(wide - measureWidth(text)) + text : text + ' '.repeat(wide - measureWidth(text)));
    return { wide, heading: pad(heading), values: values.map(pad) };
  });
  if (shown.reduce((sum, { wide }) => sum + wide + 2, 0) > width) return undefined;
  return {
    same: columns.flatMap((column, i) => (isSame(i) ? [`${escapeToOneLine(column)}=${cells[i]?.[0]}`] : [])).join(', '),
    head: shown
      .map(({ heading }) => heading)
      .join('  ')
      .trimEnd(),
    lines: rows.map((_, i) => shown.map(({ values }) => values[i]).join('  ')),
  };
}
