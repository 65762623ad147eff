import type { ColumnCell } from '../cases/column-cell.ts';
import { writePlain } from '../cases/data/cells.ts';
import { type CapturedStack, findLocation } from '../problems/source-location.ts';
import { buildMisuse, type CheckOutcome, findPromise } from './comparisons.ts';
import { isEqual } from './equality.ts';
import { formatValue } from './format-value.ts';
import { isThenable } from './thenable.ts';
import type { DifferingColumn, TableRow } from './writable.ts';

/** The row that computed values are compared with. */
export interface ExpectedRow {
  readonly row: Readonly<Record<string, unknown>>;
  /** The row with redacted values replaced. */
  readonly shown: Readonly<Record<string, unknown>>;
  readonly cells: ReadonlyMap<string, ColumnCell> | undefined;
  /** The place of the row, if it is written in a test file. */
  readonly written?: { readonly origin: CapturedStack; readonly index: number } | undefined;
}

/** The maximum length of a recorded text, in characters. */
const MAX_TEXT_LENGTH = 100_000;

/** Compares computed values with the columns of a row. Numbers can differ by the tolerance of their column. */
export function compareColumns({ row, shown, cells, written }: ExpectedRow, values: object): CheckOutcome {
  if (typeof values !== 'object' || values === null || isThenable(values))
    return buildMisuse('the argument of `columns`', 'an object with a value for each column', values);
  const given = Object.entries(values);
  const unknown = given.find(([column, value]) => !Object.hasOwn(row, column) && !cells?.has(column) && value !== undefined);
  for (const [column, value] of given) {
    const promise = findPromise(value);
    if (promise) return { message: `column ${column}: ${promise.message}` };
  }
  const differing = given.filter(([column, value]) => !isWithin(value, row[column], cells?.get(column)?.tolerance));
  if (differing.length === 0) return undefined;
  const names = differing.map(([column]) => column);
  const where = `differs from the row in ${names.length === 1 ? 'column' : 'columns'} ${names.join(', ')}`;
  const isHidden = (column: string): boolean => Object.hasOwn(row, column) && row[column] !== shown[column];
  return {
    message: unknown ? `${where}; the row has no ${unknown[0]}` : where,
    actual: formatValue(Object.fromEntries(differing.map(([column, value]) => [column, isHidden(column) ? shown[column] : value]))),
    expected: formatValue(Object.fromEntries(names.filter((column) => Object.hasOwn(row, column)).map((column) => [column, shown[column]]))),
    columns: differing.map(([column, value]) =>
      isHidden(column) ? { column, reason: 'its values are hidden' } : describeDifference(column, value, cells?.get(column)),
    ),
    ...(written && { tableRow: locateTableRow(written) }),
  };
}

function locateTableRow({ origin, index }: NonNullable<ExpectedRow['written']>): TableRow | undefined {
  const location = findLocation(origin);
  return location && { location, index };
}

const isWithin = (actual: unknown, expected: unknown, tolerance = 0): boolean =>
  isEqual(actual, expected) || (typeof actual === 'number' && typeof expected === 'number' && Math.abs(actual - expected) <= tolerance);

function describeDifference(column: string, actual: unknown, cell: ColumnCell | undefined): DifferingColumn {
  const heading = cell && cell.heading !== column ? { heading: cell.heading } : {};
  const text = writeText(actual, cell);
  const value = toJson(actual, text);
  if (text === undefined && value === undefined) return { column, ...heading, reason: `${formatValue(actual)} cannot be written to a file` };
  if (Math.max(text?.length ?? 0, JSON.stringify(value)?.length ?? 0) > MAX_TEXT_LENGTH) return { column, ...heading, reason: 'the value is too long' };
  return { column, ...heading, ...(text !== undefined && { text }), ...(value !== undefined && { value }) };
}

/** Formats a value as the text of a cell. Undefined if the text would be read as another value. */
function writeText(value: unknown, cell: ColumnCell | undefined): string | undefined {
  if (!cell) return value === undefined ? '' : writePlain(value);
  const text = cell.write(value);
  return text === undefined || text === '' || !cell.read || isEqual(cell.read(text), value) ? text : undefined;
}

/** A value that JSON can hold unchanged, or the text of a date. Undefined for other values. */
function toJson(value: unknown, text: string | undefined): unknown {
  if (value instanceof Date) return text ?? (Number.isNaN(value.getTime()) ? undefined : value.toISOString());
  try {
    const read: unknown = JSON.parse(JSON.stringify(value));
    return isEqual(read, value) ? read : undefined;
  } catch {
    return undefined;
  }
}
