import { hashBytes } from './hash.ts';

/** Longer texts are shortened in names. The record has the whole text. */
const MAX_SHOWN_LENGTH = 40;

/** Larger binary values are named by their size and a hash. */
const MAX_SHOWN_BYTES = 256;

const isBytes = (value: object): value is ArrayBufferView | ArrayBuffer => ArrayBuffer.isView(value) || value instanceof ArrayBuffer;
const viewBytes = (value: ArrayBufferView | ArrayBuffer): Uint8Array =>
  ArrayBuffer.isView(value) ? new Uint8Array(value.buffer, value.byteOffset, value.byteLength) : new Uint8Array(value);

const needsQuotes = /^(?:-?\d|true$|false$|null$|undefined$|$)|^\s|\s$|["\n]/;

/** Formats a value for names: short, on one line, and distinct from values of other types. */
export function formatShortValue(value: unknown): string {
  switch (typeof value) {
    case 'number':
      return Object.is(value, -0) ? '-0' : String(value);
    case 'string':
      return clip(needsQuotes.test(value) && !/^\d[\d:T.Z-]*[:-]/.test(value) ? JSON.stringify(value) : value);
    case 'boolean':
    case 'undefined':
      return String(value);
    case 'bigint':
      return `${value}n`;
    case 'symbol':
      return String(value);
    case 'function':
      return value.name ? `function ${value.name}` : 'function';
    default:
      return value === null ? 'null' : clip(formatShortObject(value as object, 2));
  }
}

const clip = (text: string): string => (text.length > MAX_SHOWN_LENGTH ? `${text.slice(0, MAX_SHOWN_LENGTH - 1)}…` : text);

/** Like `formatShortValue`, without quotes: for a title's placeholder, where the sentence around it gives the context. */
export const formatPlainValue = (value: unknown): string => (typeof value === 'string' ? clip(value) : formatShortValue(value));

function formatShortObject(value: object, depth: number): string {
  if (value instanceof Date) return Number.isNaN(value.getTime()) ? 'Invalid Date' : value.toISOString().replace('T00:00:00.000Z', '');
  if (value instanceof RegExp) return String(value);
  if (value instanceof Error) return `${value.name}: ${value.message}`;
  const inner = (item: unknown): string =>
    typeof item === 'object' && item !== null ? (depth > 1 ? formatShortObject(item, depth - 1) : '…') : formatShortValue(item);
  if (Array.isArray(value)) return `[${value.slice(0, 6).map(inner).join(', ')}${value.length > 6 ? ', …' : ''}]`;
  if (value instanceof Map || value instanceof Set) return `${value.constructor.name}(${value.size})`;
  if (isBytes(value) && value.byteLength > MAX_SHOWN_BYTES) return `${value.constructor.name}(${value.byteLength} bytes)`;
  const name = Object.getPrototypeOf(value)?.constructor?.name;
  const keys = Object.keys(value);
  const body = keys
    .slice(0, 6)
    .map((key) => `${key}: ${inner((value as Record<string, unknown>)[key])}`)
    .join(', ');
  return `${name && name !== 'Object' ? `${name} ` : ''}{${body}${keys.length > 6 ? ', …' : ''}}`;
}

/** Formats a whole value as a text that equal values share, for the hash in an id. */
export function formatCanonical(value: unknown, seen: readonly object[] = []): string {
  if (typeof value !== 'object' || value === null) return typeof value === 'string' ? JSON.stringify(value) : formatShortValue(value);
  if (seen.includes(value)) return '↺';
  const ancestors = [...seen, value];
  if (value instanceof Date || value instanceof RegExp) return String(value instanceof Date ? value.getTime() : value);
  if (value instanceof Map) return `Map{${[...value].map(([key, item]) => `${formatCanonical(key, ancestors)}:${formatCanonical(item, ancestors)}`).join()}}`;
  if (value instanceof Set) return `Set{${[...value].map((item) => formatCanonical(item, ancestors)).join()}}`;
  // A buffer has no properties that show its content.
  if (isBytes(value) && (value.byteLength > MAX_SHOWN_BYTES || value instanceof ArrayBuffer))
    return `${value.constructor.name}(${value.byteLength})${hashBytes(viewBytes(value))}`;
  if (Array.isArray(value)) return `[${value.map((item) => formatCanonical(item, ancestors)).join()}]`;
  return `{${Object.keys(value)
    .sort()
    .map((key) => `${JSON.stringify(key)}:${formatCanonical((value as Record<string, unknown>)[key], ancestors)}`)
    .join()}}`;
}
