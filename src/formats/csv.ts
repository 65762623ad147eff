import papa from 'papaparse';
import { formatShortValue } from '../cases/values.ts';

/** Whatever follows, also on other lines. */
const startsFormula = /^[=+\-@\t\r]/;

/**
 * A line of CSV (RFC 4180), without its end. Texts that a spreadsheet would take for a formula get an apostrophe before them;
 * lists and objects stand as JSON.
 */
export const csvLine = (values: readonly unknown[]): string => csvLines([values]);

/** Several lines at once, which takes far less time; the last one without its end. */
export const csvLines = (lines: readonly (readonly unknown[])[]): string =>
  papa.unparse(
    lines.map((values) => values.map(formatCell)),
    { escapeFormulae: startsFormula, newline: '\n' },
  );

function formatCell(value: unknown): unknown {
  if (value === undefined || value === null) return '';
  if (typeof value === 'object') return JSON.stringify(value);
  return typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean' ? value : formatShortValue(value);
}
