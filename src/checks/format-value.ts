import { describeThrown } from '../problems/instance-of.ts';

const LINE_WIDTH = 76;
const MAX_LENGTH = 20_000;
const MAX_DEPTH = 12;

/**
 * Formats a whole value as text for people: on one line if it fits, else with one line per item.
 *
 * Equal values have the same text if their order is defined. The text is cut where its values have 20,000 characters, and at 12 levels.
 */
export function formatValue(value: unknown): string {
  const state = { left: MAX_LENGTH };
  return render(value, '', [], state);
}

interface State {
  /** The number of characters that can still be written. */
  left: number;
}

function render(value: unknown, indent: string, ancestors: readonly object[], state: State): string {
  if (typeof value === 'object' && value !== null) {
    try {
      return renderObject(value, indent, ancestors, state);
    } catch {
      return '[cannot be inspected]';
    }
  }
  const text = renderPlain(value);
  state.left -= text.length;
  return text;
}

function renderPlain(value: unknown): string {
  switch (typeof value) {
    case 'string':
      return JSON.stringify(value.length > MAX_LENGTH ? `${value.slice(0, MAX_LENGTH)}… (${value.length} characters)` : value);
    case 'number':
      return Object.is(value, -0) ? '-0' : String(value);
    case 'bigint':
      return `${value}n`;
    case 'function':
      return `[${/^class\b/.test(Function.prototype.toString.call(value)) ? 'class' : 'function'} ${value.name || 'anonymous'}]`;
    default:
      return String(value);
  }
}

function renderObject(value: object, indent: string, ancestors: readonly object[], state: State): string {
  if (ancestors.includes(value)) return `[circular: ${ancestors.length - ancestors.indexOf(value)} up]`;
  if (ancestors.length >= MAX_DEPTH) return '[deeper]';
  if (state.left <= 0) return '…';
  const name = findClassName(value);
  const whole = formatWhole(value, name);
  const list = Array.isArray(value) || ArrayBuffer.isView(value) || value instanceof Set;
  const keys = listKeys(value, list);
  if (whole !== undefined && keys.length === 0) {
    state.left -= whole.length;
    return whole;
  }
  const deeper = [...ancestors, value];
  const inner = `${indent}  `;
  const item = (one: unknown): string => render(one, inner, deeper, state);
  const items: string[] = [];
  const add = (make: () => string): void => {
    if (state.left > 0) items.push(make());
    else if (items.at(-1) !== '…') items.push('…');
  };
  if (value instanceof Map) for (const [key, one] of value) add(() => `${item(key)} → ${item(one)}`);
  else if (list) {
    for (const one of value as Iterable<unknown>) {
      if (state.left <= 0) {
        add(() => '…');
        break;
      }
      add(() => item(one));
    }
  }
  for (const key of keys) add(() => `${writeKey(key)}: ${renderProperty(value, key, item)}`);
  const [open, close] = list ? '[]' : '{}';
  const head = whole ?? (name === 'Object' || name === 'Array' ? '' : name);
  const start = head ? `${head} ${open}` : (open as string);
  if (items.length === 0) return start + close;
  const oneLine = `${start}${list ? '' : ' '}${items.join(', ')}${list ? '' : ' '}${close}`;
  if (oneLine.length + indent.length <= LINE_WIDTH && !oneLine.includes('\n')) return oneLine;
  return `${start}\n${items.map((text) => `${inner}${text},\n`).join('')}${indent}${close}`;
}

/** The properties of a value that are not its items or characters. */
function listKeys(value: object, isList: boolean): PropertyKey[] {
  if (ArrayBuffer.isView(value)) return [];
  const isNumbered = isList || value instanceof String;
  return Reflect.ownKeys(value).filter(
    (key) => Object.prototype.propertyIsEnumerable.call(value, key) && !(isNumbered && typeof key === 'string' && /^\d+$/.test(key)),
  );
}

/** Formats values that are shown by their content instead of their properties. Undefined for other values. */
function formatWhole(value: object, name: string): string | undefined {
  if (value instanceof Date) return `${name} ${Number.isNaN(value.getTime()) ? 'invalid' : value.toISOString()}`;
  if (value instanceof RegExp) return String(value);
  if (value instanceof Error) return `${value.name}: ${JSON.stringify(value.message)}`;
  if (value instanceof Number || value instanceof String || value instanceof Boolean) return `${name} ${renderPlain(value.valueOf())}`;
  if (value instanceof Promise || value instanceof WeakMap || value instanceof WeakSet) return name;
  return undefined;
}

function findClassName(value: object): string {
  const prototype = Object.getPrototypeOf(value);
  if (prototype === null) return 'null-prototype';
  const made = (prototype as { constructor?: unknown }).constructor;
  return typeof made === 'function' && made.name ? made.name : 'Object';
}

const writeKey = (key: PropertyKey): string =>
  typeof key === 'symbol' ? `[${String(key)}]` : /^[\p{L}_$][\p{L}\p{N}_$]*$/u.test(String(key)) ? String(key) : JSON.stringify(key);

function renderProperty(value: object, key: PropertyKey, renderItem: (item: unknown) => string): string {
  let item: unknown;
  try {
    item = (value as Record<PropertyKey, unknown>)[key];
  } catch (error) {
    return `[threw ${describeThrown(error)}]`;
  }
  return renderItem(item);
}
