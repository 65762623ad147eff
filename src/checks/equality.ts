/** Pairs of objects that count as equal when they are met again. Each trial has its own scope, which is dropped with the trial. */
class Assumptions {
  readonly #outer: Assumptions | undefined;
  readonly #pairs = new Map<object, Set<object>>();

  constructor(outer?: Assumptions) {
    this.#outer = outer;
  }

  has(a: object, b: object): boolean {
    return this.#pairs.get(a)?.has(b) === true || this.#outer?.has(a, b) === true;
  }

  add(a: object, b: object): void {
    const known = this.#pairs.get(a);
    if (known) known.add(b);
    else this.#pairs.set(a, new Set([b]));
  }
}

/**
 * The same structure and values: prototypes, own enumerable properties (symbols too), Map, Set, Date, RegExp, Error, typed
 * arrays and cycles included. NaN equals NaN, +0 equals -0; functions are equal to themselves only.
 */
export const isEqual = (a: unknown, b: unknown): boolean => same(a, b, new Assumptions());

function same(a: unknown, b: unknown, visitedPairs: Assumptions): boolean {
  if (a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return Number.isNaN(a) && Number.isNaN(b);
  if (Object.getPrototypeOf(a) !== Object.getPrototypeOf(b)) return false;
  // Two values that are already being compared count as equal when they are met again: only a difference elsewhere distinguishes them.
  if (visitedPairs.has(a, b)) return true;
  visitedPairs.add(a, b);
  // Typed arrays can have millions of properties, and their content has been compared already.
  return sameContent(a, b, visitedPairs) && (isTypedArray(a) || sameProperties(a, b, visitedPairs));
}

function sameContent(a: object, b: object, visitedPairs: Assumptions): boolean {
  if (Array.isArray(a)) return a.length === (b as unknown[]).length;
  if (a instanceof Date) return same(a.getTime(), (b as Date).getTime(), visitedPairs);
  if (a instanceof RegExp) return String(a) === String(b);
  if (a instanceof AggregateError && !same(a.errors, (b as AggregateError).errors, visitedPairs)) return false;
  if (a instanceof Error) return a.name === (b as Error).name && a.message === (b as Error).message && same(a.cause, (b as Error).cause, visitedPairs);
  if (a instanceof Map) return a.size === (b as typeof a).size && samePairs([...a], [...(b as typeof a)], visitedPairs);
  if (a instanceof Set) return a.size === (b as typeof a).size && sameMembers(a, b as typeof a, visitedPairs);
  if (a instanceof ArrayBuffer) return sameBytes(new Uint8Array(a), new Uint8Array(b as ArrayBuffer));
  if (a instanceof DataView) return sameBytes(viewBytesOf(a), viewBytesOf(b as DataView));
  if (isTypedArray(a)) return sameItems(a, b as typeof a);
  if (a instanceof Number || a instanceof String || a instanceof Boolean || a instanceof BigInt) return same(a.valueOf(), b.valueOf(), visitedPairs);
  if (a instanceof Promise || a instanceof WeakMap || a instanceof WeakSet) return false;
  return true;
}

const viewBytesOf = (view: DataView): Uint8Array => new Uint8Array(view.buffer, view.byteOffset, view.byteLength);

type TypedArray = Exclude<NodeJS.TypedArray, BigInt64Array | BigUint64Array> | BigInt64Array | BigUint64Array;
const isTypedArray = (value: object): value is TypedArray => ArrayBuffer.isView(value) && !(value instanceof DataView);

const sameBytes = (a: Uint8Array, b: Uint8Array): boolean => sameItems(a, b);

/** Compares numbers like `same`: NaN equals NaN, and +0 equals -0. */
function sameItems(a: TypedArray, b: TypedArray): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) {
    const [left, right] = [a[i], b[i]];
    if (left !== right && !(Number.isNaN(left) && Number.isNaN(right))) return false;
  }
  return true;
}

function samePairs(a: [unknown, unknown][], b: [unknown, unknown][], visitedPairs: Assumptions): boolean {
  const left = new Map(b);
  const others: [unknown, unknown][] = [];
  for (const [key, value] of a) {
    if (left.has(key) && same(value, left.get(key), new Assumptions(visitedPairs))) left.delete(key);
    else others.push([key, value]);
  }
  return matched(others, [...left], visitedPairs);
}

function sameMembers(a: Set<unknown>, b: Set<unknown>, visitedPairs: Assumptions): boolean {
  return matched(
    [...a].filter((item) => !b.has(item)),
    [...b].filter((item) => !a.has(item)),
    visitedPairs,
  );
}

/**
 * Whether each item of one list equals an item of the other, each used once. Trials start from the current assumptions; a failed trial
 * leaves no trace.
 */
function matched(a: readonly unknown[], b: unknown[], visitedPairs: Assumptions): boolean {
  return a.every((item) => {
    const index = b.findIndex((other) => same(item, other, new Assumptions(visitedPairs)));
    if (index >= 0) b.splice(index, 1);
    return index >= 0;
  });
}

export const ownKeys = (value: object): PropertyKey[] => Reflect.ownKeys(value).filter((key) => Object.prototype.propertyIsEnumerable.call(value, key));

function sameProperties(a: object, b: object, visitedPairs: Assumptions): boolean {
  const keys = ownKeys(a);
  return (
    keys.length === ownKeys(b).length &&
    keys.every(
      (key) =>
        Object.prototype.propertyIsEnumerable.call(b, key) &&
        same((a as Record<PropertyKey, unknown>)[key], (b as Record<PropertyKey, unknown>)[key], visitedPairs),
    )
  );
}

/** Whether `actual` has every own property of `part`, at any depth. Values other than plain objects and arrays must be equal. */
export function hasPart(actual: unknown, part: unknown, ancestors: readonly unknown[] = []): boolean {
  if (!isPlainContainer(part) || ancestors.includes(part)) return isEqual(actual, part);
  if (typeof actual !== 'object' || actual === null || Array.isArray(part) !== Array.isArray(actual)) return false;
  return ownKeys(part).every(
    (key) => key in actual && hasPart((actual as Record<PropertyKey, unknown>)[key], (part as Record<PropertyKey, unknown>)[key], [...ancestors, part]),
  );
}

function isPlainContainer(value: unknown): value is object {
  if (typeof value !== 'object' || value === null) return false;
  const prototype = Object.getPrototypeOf(value);
  return Array.isArray(value) || prototype === Object.prototype || prototype === null;
}

/** The properties of `actual` that correspond to those of `part`: what a report shows of a large value. */
export function projectOnto(actual: unknown, part: unknown): unknown {
  if (!isPlainContainer(part) || !isPlainContainer(actual) || Array.isArray(part) !== Array.isArray(actual)) return actual;
  const projected: Record<PropertyKey, unknown> | unknown[] = Array.isArray(part) ? [] : {};
  for (const key of ownKeys(part)) {
    if (key in actual)
      (projected as Record<PropertyKey, unknown>)[key] = projectOnto(
        (actual as Record<PropertyKey, unknown>)[key],
        (part as Record<PropertyKey, unknown>)[key],
      );
  }
  return projected;
}
