import { formatShortValue } from '../cases/values.ts';

/** A comparison of a row's value: `season=winter`, `loa>=12`. */
export interface RowCondition {
  /** A column, or a path into one: `stay.nights`. */
  readonly column: string;
  readonly operator: '=' | '!=' | '<' | '<=' | '>' | '>=';
  readonly value: string;
}

/** Parses a condition. Returns undefined for a text without an operator or a column, and for an order (`<`, `>=`) without a value. */
export function parseCondition(text: string): RowCondition | undefined {
  const match = /^([^=!<>]+)(!=|<=|>=|=|<|>)(.*)$/s.exec(text);
  if (!match) return undefined;
  const [column, operator, value] = match.slice(1).map((part) => part.trim()) as [string, RowCondition['operator'], string];
  return column === '' || (value === '' && /[<>]/.test(operator)) ? undefined : { column, operator, value };
}

/** Whether a row meets a condition. Numbers and dates are compared by value, everything else by its text. A missing value meets only `!=`. */
export function matchesCondition(row: Readonly<Record<string, unknown>>, { column, operator, value }: RowCondition): boolean {
  const found = getValueAt(row, column);
  if (operator === '=') return equals(found, value);
  if (operator === '!=') return !equals(found, value);
  if (found === missing || found === null || found === undefined) return false;
  const compared = typeof found === 'string' ? order(found, value) : order(toComparable(found), found instanceof Date ? Date.parse(value) : asNumber(value));
  if (operator === '<') return compared < 0;
  if (operator === '<=') return compared <= 0;
  return operator === '>' ? compared > 0 : compared >= 0;
}

function equals(found: unknown, value: string): boolean {
  if (found === value) return true;
  if (found === missing) return false;
  // Only quoted or shortened texts differ from how they are shown. This is fast for many rows.
  if (typeof found === 'string') return /^"|…$/.test(value) && formatShortValue(found) === value;
  // Causes and their commands show a list as its JSON.
  if (Array.isArray(found) && value.startsWith('[') && JSON.stringify(found) === value) return true;
  const size = toComparable(found);
  return (
    (size !== undefined && size === asNumber(value)) ||
    String(found) === value ||
    formatShortValue(found) === value ||
    formatIsoDate(found)?.startsWith(value) === true
  );
}

/** Negative, zero or positive; NaN if the two cannot be compared. */
function order<T extends string | number | bigint>(a: T | undefined, b: T | number | undefined): number {
  if (a === undefined || b === undefined || Number.isNaN(b)) return Number.NaN;
  return a < b ? -1 : a > b ? 1 : 0;
}

/** The value of a column that a row does not have. */
export const missing = Symbol('missing');

/** The value of a column, or of a path into a column: `stay.nights`. */
export function getValueAt(row: Readonly<Record<string, unknown>>, column: string): unknown {
  if (Object.hasOwn(row, column)) return row[column];
  let value: unknown = row;
  for (const key of column.split('.')) {
    if (typeof value !== 'object' || value === null || !Object.hasOwn(value, key)) return missing;
    value = (value as Record<string, unknown>)[key];
  }
  return value;
}

const asNumber = (text: string): number | undefined => (text !== '' && Number.isFinite(Number(text)) ? Number(text) : undefined);
const formatIsoDate = (value: unknown): string | undefined => (value instanceof Date && !Number.isNaN(value.getTime()) ? value.toISOString() : undefined);

/** The value by which a value is ordered. Undefined if it has no order. */
function toComparable(value: unknown): number | bigint | undefined {
  if (typeof value === 'number' || typeof value === 'bigint') return value;
  return value instanceof Date ? value.getTime() : undefined;
}
