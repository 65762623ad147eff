import { formatShortValue } from '../cases/values.ts';

/** A recorded row: JSON values unchanged, other values formatted as in names. */
export function recordedRow(row: Readonly<Record<string, unknown>>): Record<string, unknown> {
  const recorded: [string, unknown][] = [];
  // Methods of a row are not values.
  for (const column in row) if (typeof row[column] !== 'function') recorded.push([column, recordedValue(row[column], 0)]);
  return Object.fromEntries(recorded);
}

const MAX_DEPTH = 6;

function recordedValue(value: unknown, depth: number): unknown {
  if (typeof value === 'string' || typeof value === 'boolean' || value === null) return value;
  if (typeof value === 'number') return Number.isFinite(value) ? value : String(value);
  if (typeof value !== 'object' || depth >= MAX_DEPTH) return formatShortValue(value);
  if (Array.isArray(value)) return value.map((item) => recordedValue(item, depth + 1));
  const prototype = Object.getPrototypeOf(value);
  if (prototype !== Object.prototype && prototype !== null) return formatShortValue(value);
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, item]) => item !== undefined)
      .map(([key, item]) => [key, recordedValue(item, depth + 1)]),
  );
}
