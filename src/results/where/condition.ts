import { formatShortValue } from '../../cases/values.ts';
import { valueAt } from '../../suites/row-condition.ts';

/** A value that conditions can be about. */
export type Scalar = string | number | boolean | null;

/** A condition on a row. Nested columns are named by their path: `stay.nights`. */
export type Condition =
  | { readonly kind: 'value' | 'not'; readonly column: string; readonly value: Scalar }
  /** Bounds are included. Dates are ISO strings. */
  | { readonly kind: 'range'; readonly column: string; readonly from?: number | string | undefined; readonly to?: number | string | undefined }
  | { readonly kind: 'prefix'; readonly column: string; readonly prefix: string }
  /** The length of a string in characters. */
  | { readonly kind: 'length'; readonly column: string; readonly from?: number | undefined; readonly to?: number | undefined }
  | { readonly kind: 'missing'; readonly column: string };

type Row = Readonly<Record<string, unknown>>;

/** Lists count as one value, by their JSON. */
export function toScalar(value: unknown): Scalar | undefined {
  if (typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean' || value === null) return value;
  return Array.isArray(value) ? JSON.stringify(value) : undefined;
}

const MAX_DEPTH = 4;

/** The scalar values of a row, also of nested objects, by their paths. */
export function* flattenCells(row: Row, prefix = '', depth = 1): Generator<[column: string, value: Scalar]> {
  for (const column in row) {
    const value = row[column];
    const plain = toScalar(value);
    if (plain !== undefined) yield [prefix + column, plain];
    else if (typeof value === 'object' && value !== null && depth < MAX_DEPTH) yield* flattenCells(value as Row, `${prefix}${column}.`, depth + 1);
  }
}

/** A date, or a moment, as records keep it. */
const datePattern = /^\d{4}-\d\d-\d\d(?:T[\d:.]+Z)?$/;
export const isDate = (value: unknown): value is string => typeof value === 'string' && datePattern.test(value);

export function holds(condition: Condition, row: Row): boolean {
  const value = toScalar(valueAt(row, condition.column));
  switch (condition.kind) {
    case 'value':
      return value === condition.value;
    case 'not':
      return value !== condition.value;
    case 'missing':
      return value === undefined;
    case 'prefix':
      return typeof value === 'string' && value.startsWith(condition.prefix);
    case 'length':
      return typeof value === 'string' && isWithin(value.length, condition.from, condition.to);
    case 'range': {
      const { from, to } = condition;
      const isComparable = typeof (from ?? to) === 'number' ? typeof value === 'number' : isDate(value);
      return isComparable && isWithin(value as number | string, from, to);
    }
  }
}

export const holdAll = (conditions: readonly Condition[], row: Row): boolean => conditions.every((condition) => holds(condition, row));

const isWithin = <T extends number | string>(value: T, from: T | undefined, to: T | undefined): boolean =>
  (from === undefined || value >= from) && (to === undefined || value <= to);

/**
 * Format a condition as text, in the syntax of `--row` if possible.
 *
 * ```ts
 * formatCondition({ kind: 'value', column: 'hull', value: 'cat' }) // 'hull=cat'
 * ```
 */
export function formatCondition(condition: Condition): string {
  const { column } = condition;
  switch (condition.kind) {
    case 'value':
      return condition.value === '' ? `${column} is empty` : `${column}=${formatShortValue(condition.value)}`;
    case 'not':
      return condition.value === '' ? `${column} is not empty` : `${column}!=${formatShortValue(condition.value)}`;
    case 'missing':
      return `${column} is missing`;
    case 'prefix':
      return `${column} starts with ${JSON.stringify(condition.prefix)}`;
    case 'length':
      return formatRange(`length of ${column}`, condition.from, condition.to);
    case 'range':
      return formatRange(column, condition.from, condition.to);
  }
}

function formatRange(name: string, from: number | string | undefined, to: number | string | undefined): string {
  if (from === to) return `${name}=${from}`;
  if (from === undefined) return `${name}<=${to}`;
  return to === undefined ? `${name}>=${from}` : `${from}<=${name}<=${to}`;
}

/** The values of `--row` that select just these rows; nothing where it has no words for them. */
export function asRowOptions(conditions: readonly Condition[]): string[] | undefined {
  const options: string[] = [];
  for (const condition of conditions) {
    const { column } = condition;
    if (condition.kind === 'value' && condition.value !== '') options.push(`${column}=${condition.value}`);
    else if (condition.kind === 'not' && condition.value !== '') options.push(`${column}!=${condition.value}`);
    else if (condition.kind === 'range') {
      if (condition.from !== undefined) options.push(`${column}>=${condition.from}`);
      if (condition.to !== undefined) options.push(`${column}<=${condition.to}`);
    } else return undefined;
  }
  return options;
}
