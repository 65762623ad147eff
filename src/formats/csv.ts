import papa from 'papaparse';
import { formatShortValue } from '../cases/values.ts';

/** Matches the start of a text, whatever follows on other lines. */
const startsFormula = /^[=+\-@\t\r]/;

/**
 * Formats a line of CSV (RFC 4180) without its line ending. Texts that a spreadsheet would read as a formula get an apostrophe in front.
 * Lists and objects are formatted as JSON.
 */
export const formatCsvLine = (values: readonly unknown[]): string => formatCsvLines([values]);

/** Formats several lines at once, which is much faster. The last one has no line ending. */
export const formatCsvLines = (lines: readonly (readonly unknown[])[]): string =>
  papa.unparse(
    lines.map((values) => values.map(formatCell)),
    { escapeFormulae: startsFormula, newline: '\n' },
  );

function formatCell(value: unknown): unknown {
  if (value === undefined || value === null) return '';
  if (typeof value === 'object') return JSON.stringify(value);
  return typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean' ? value : formatShortValue(value);
}
