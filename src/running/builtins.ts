/**
 * Built-in functions that the runner depends on.
 *
 * A body can leave them replaced, and then the runner would lose results. It restores them when the body ends. What a setup or a
 * teardown replaces is accepted: fixtures do that on purpose, and undo it later.
 */
interface BuiltIn {
  readonly target: object;
  readonly key: PropertyKey;
  /** Its descriptor, with the value that is currently expected. */
  expected: PropertyDescriptor;
}

const { defineProperty, getOwnPropertyDescriptor, getPrototypeOf, keys, entries, fromEntries, assign } = Object;
const { ownKeys, apply } = Reflect;
const OriginalPromise = Promise;
const OriginalMap = Map;
const OriginalSet = Set;
const OriginalObject = Object;
const OriginalArray = Array;
const OriginalError = Error;
const { resolve, all } = Promise;
const { then, catch: catchRejection, finally: whenSettled } = Promise.prototype;
const { push, pop, shift, slice, splice, map, filter, flatMap, find, findLast, some, every, includes, concat, join, at } = Array.prototype;
const iterate = Array.prototype[Symbol.iterator];
const arrayIterator = getPrototypeOf([][Symbol.iterator]()) as Iterator<unknown>;
const { next } = arrayIterator;
const { get, set, has: hasKey, delete: deleteKey } = Map.prototype;
const { add, has: hasItem, delete: deleteItem } = Set.prototype;
const iterateSet = Set.prototype[Symbol.iterator];
const { split, slice: sliceText, replace, startsWith } = String.prototype;
const { call, apply: applyMethod, bind } = Function.prototype;

const globals = ['Promise', 'Map', 'Set', 'Object', 'Array', 'Error', 'String', 'Number', 'Reflect'];
const targets: readonly object[] = [
  ...[Promise, Promise.prototype, Array, Array.prototype, Object, Map.prototype, Set.prototype, String.prototype, Function.prototype, Reflect],
  ...[arrayIterator, getPrototypeOf(new Map()[Symbol.iterator]()) as object, getPrototypeOf(new Set()[Symbol.iterator]()) as object],
];
const builtIns: readonly BuiltIn[] = [
  ...globals.map((key) => [globalThis as object, key] as const),
  ...targets.flatMap((target) => ownKeys(target).map((key) => [target, key] as const)),
].flatMap(([target, key]) => {
  const expected = getOwnPropertyDescriptor(target, key);
  return expected && typeof expected.value === 'function' ? [{ target, key, expected }] : [];
});

/** Whether the most important functions are those that were there when the runner was loaded. It is unrolled because it runs after each body. */
function areOriginal(): boolean {
  const lists = OriginalArray.prototype;
  const promises = OriginalPromise.prototype;
  const maps = OriginalMap.prototype;
  const sets = OriginalSet.prototype;
  const texts = String.prototype;
  const functions = areOriginal as { call: unknown; apply: unknown; bind: unknown };
  return (
    globalThis.Promise === OriginalPromise &&
    globalThis.Map === OriginalMap &&
    globalThis.Set === OriginalSet &&
    globalThis.Object === OriginalObject &&
    globalThis.Array === OriginalArray &&
    globalThis.Error === OriginalError &&
    promises.then === then &&
    promises.catch === catchRejection &&
    promises.finally === whenSettled &&
    OriginalPromise.resolve === resolve &&
    OriginalPromise.all === all &&
    lists.push === push &&
    lists.pop === pop &&
    lists.shift === shift &&
    lists.slice === slice &&
    lists.splice === splice &&
    lists.map === map &&
    lists.filter === filter &&
    lists.flatMap === flatMap &&
    lists.find === find &&
    lists.findLast === findLast &&
    lists.some === some &&
    lists.every === every &&
    lists.includes === includes &&
    lists.concat === concat &&
    lists.join === join &&
    lists.at === at &&
    lists[Symbol.iterator] === iterate &&
    arrayIterator.next === next &&
    maps.get === get &&
    maps.set === set &&
    maps.has === hasKey &&
    maps.delete === deleteKey &&
    sets.add === add &&
    sets.has === hasItem &&
    sets.delete === deleteItem &&
    sets[Symbol.iterator] === iterateSet &&
    texts.split === split &&
    texts.slice === sliceText &&
    texts.replace === replace &&
    texts.startsWith === startsWith &&
    OriginalObject.keys === keys &&
    OriginalObject.entries === entries &&
    OriginalObject.fromEntries === fromEntries &&
    OriginalObject.assign === assign &&
    OriginalObject.getPrototypeOf === getPrototypeOf &&
    OriginalObject.defineProperty === defineProperty &&
    functions.call === call &&
    functions.apply === applyMethod &&
    functions.bind === bind &&
    Reflect.apply === apply &&
    Reflect.ownKeys === ownKeys
  );
}

/** False after a fixture has replaced one of them. */
let areExpected = true;

const currentOf = ({ target, key }: BuiltIn): unknown => (target as Record<PropertyKey, unknown>)[key];

/** Restores what a body has replaced. */
export function restoreBuiltIns(): void {
  if (areExpected && areOriginal()) return;
  for (let i = 0; i < builtIns.length; i++) {
    const one = builtIns[i] as BuiltIn;
    if (currentOf(one) !== one.expected.value) restore(one);
  }
}

/** Accepts what a setup or a teardown has replaced or restored. */
export function acceptBuiltIns(): void {
  if (areExpected && areOriginal()) return;
  for (let i = 0; i < builtIns.length; i++) {
    const one = builtIns[i] as BuiltIn;
    if (currentOf(one) === one.expected.value) continue;
    const given = getOwnPropertyDescriptor(one.target, one.key);
    if (given && typeof given.value === 'function') one.expected = given;
    else restore(one);
  }
  areExpected = areOriginal();
}

function restore({ target, key, expected }: BuiltIn): void {
  try {
    defineProperty(target, key, expected);
  } catch {
    // A body has made the property non-configurable, so that it cannot be restored.
  }
}
