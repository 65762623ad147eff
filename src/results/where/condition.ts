import { formatShortValue } from '../../cases/values.ts';
import { getValueAt, missing } from '../../suites/row-condition.ts';

/** A value in a condition. */
export type Scalar = string | number | boolean | null;

/** The maximum length of a value, in characters. Longer texts are shortened. */
const MAX_VALUE_LENGTH = 80;

/** A condition on a row. Nested columns are named by their path: `stay.nights`. */
export type Condition =
  | { readonly kind: 'value' | 'not'; readonly column: string; readonly value: Scalar }
  /** Bounds are included. Dates are ISO strings. */
  | { readonly kind: 'range'; readonly column: string; readonly from?: number | string | undefined; readonly to?: number | string | undefined }
  | { readonly kind: 'prefix'; readonly column: string; readonly prefix: string }
  /** The length of a string in characters. */
  | { readonly kind: 'length'; readonly column: string; readonly from?: number | undefined; readonly to?: number | undefined }
  /** The number of values of a list, or of keys of an object. */
  | { readonly kind: 'size'; readonly column: string; readonly from?: number | undefined; readonly to?: number | undefined }
  /** A list has a value, an object a key, or a text a part; or not. Other values contain nothing. */
  | { readonly kind: 'contains' | 'lacks'; readonly column: string; readonly value: Scalar }
  /** How the values of two columns compare: numbers, dates, or the equality of texts. */
  | { readonly kind: 'order'; readonly column: string; readonly operator: Operator; readonly other: string }
  | { readonly kind: 'missing' | 'present'; readonly column: string };

export type Operator = '<' | '<=' | '=' | '!=' | '>' | '>=';

type Row = Readonly<Record<string, unknown>>;

/** A list counts as one value, its JSON. */
export function toScalar(value: unknown): Scalar | undefined {
  if (typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean' || value === null) return value;
  return Array.isArray(value) ? JSON.stringify(value) : undefined;
}

const MAX_DEPTH = 4;

/** The values of a row by their paths: cells, objects in cells, and the cells of these objects. */
export function* walkCells(row: Row, prefix = '', depth = 1): Generator<[path: string, value: unknown]> {
  for (const column in row) {
    const value = row[column];
    if (value === undefined) continue;
    yield [prefix + column, value];
    if (depth < MAX_DEPTH && isObject(value)) yield* walkCells(value, `${prefix}${column}.`, depth + 1);
  }
}

/** The scalar values of a row, also of nested objects, by their paths. */
export function* flattenCells(row: Row): Generator<[path: string, value: Scalar]> {
  for (const [path, value] of walkCells(row)) {
    const plain = toScalar(value);
    if (plain !== undefined) yield [path, plain];
  }
}

const isObject = (value: unknown): value is Row => typeof value === 'object' && value !== null && !Array.isArray(value);

/** The number of values of a list, or of keys of an object. Undefined for other values. */
export const countItems = (value: unknown): number | undefined =>
  Array.isArray(value) ? value.length : isObject(value) ? Object.keys(value).length : undefined;

/** The different scalar values of a list, or the keys of an object. */
export const listValues = (value: unknown): Scalar[] =>
  Array.isArray(value) ? [...new Set(value.filter((one) => one === null || typeof one !== 'object'))] : isObject(value) ? Object.keys(value) : [];

/** A date or time, in the format of records. */
const datePattern = /^\d{4}-\d\d-\d\d(?:T[\d:.]+Z)?$/;
export const isDate = (value: unknown): value is string => typeof value === 'string' && datePattern.test(value);

export function holds(condition: Condition, row: Row): boolean {
  const found = getValueAt(row, condition.column);
  const value = toScalar(found);
  switch (condition.kind) {
    case 'value':
      return value === condition.value;
    case 'not':
      return value !== condition.value;
    case 'missing':
      return found === missing || found === undefined;
    case 'present':
      return found !== missing && found !== undefined;
    case 'size': {
      const size = countItems(found);
      return size !== undefined && isWithin(size, condition.from, condition.to);
    }
    case 'contains':
      return contains(found, condition.value);
    case 'lacks':
      return !contains(found, condition.value);
    case 'order': {
      const order = compareCells(value, toScalar(getValueAt(row, condition.other)));
      return order !== undefined && matchesOrder(order, condition.operator);
    }
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

/** Whether a list has a value, an object a key, or a text a part. */
const contains = (found: unknown, value: Scalar): boolean => (typeof found === 'string' ? found.includes(String(value)) : listValues(found).includes(value));

/** Negative, zero or positive for two numbers or two dates; zero or NaN for other scalars, which are only equal or not. Undefined for others. */
export function compareCells(a: Scalar | undefined, b: Scalar | undefined): number | undefined {
  if (a === undefined || b === undefined || a === null || b === null || typeof a !== typeof b) return undefined;
  if (a === b) return 0;
  return (typeof a === 'number' && typeof b === 'number') || (isDate(a) && isDate(b)) ? (a < b ? -1 : 1) : Number.NaN;
}

function matchesOrder(order: number, operator: Operator): boolean {
  if (operator === '=') return order === 0;
  if (operator === '!=') return order !== 0;
  if (operator === '<') return order < 0;
  if (operator === '<=') return order <= 0;
  return operator === '>' ? order > 0 : order >= 0;
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
      return condition.value === '' ? `${column} is empty` : `${column}=${formatValue(condition.value)}`;
    case 'not':
      return condition.value === '' ? `${column} is not empty` : `${column}!=${formatValue(condition.value)}`;
    case 'missing':
    case 'present':
      return `${column} is ${condition.kind}`;
    case 'prefix':
      return `${column} starts with ${JSON.stringify(condition.prefix)}`;
    case 'length':
      return formatRange(`length of ${column}`, condition.from, condition.to);
    case 'contains':
      return `${column} contains ${JSON.stringify(condition.value)}`;
    case 'lacks':
      return `${column} does not contain ${JSON.stringify(condition.value)}`;
    case 'order':
      return `${column} ${condition.operator} ${condition.other}`;
    case 'size':
      if (condition.to === 0) return `${column} is empty`;
      return condition.from === 1 && condition.to === undefined ? `${column} is not empty` : formatRange(`size of ${column}`, condition.from, condition.to);
    case 'range':
      return formatRange(column, condition.from, condition.to);
  }
}

/** A list, as its JSON. */
const isListText = /^\[.*\]$/s;

/** Long texts differ at their ends as often as at their starts, so that they are shortened in the middle. */
function formatValue(value: Scalar): string {
  const short = formatShortValue(value);
  if (typeof value !== 'string') return short;
  const whole = isListText.test(value) ? value : short.startsWith('"') ? JSON.stringify(value) : value;
  const half = MAX_VALUE_LENGTH / 2;
  return whole.length <= MAX_VALUE_LENGTH ? whole : `${whole.slice(0, half - 1)}…${whole.slice(whole.length - half)}`;
}

function formatRange(name: string, from: number | string | undefined, to: number | string | undefined): string {
  if (from === to) return `${name}=${from}`;
  if (from === undefined) return `${name}<=${to}`;
  return to === undefined ? `${name}>=${from}` : `${from}<=${name}<=${to}`;
}

/** The values of `--row` that select exactly these rows. Undefined if the conditions cannot be expressed. */
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
