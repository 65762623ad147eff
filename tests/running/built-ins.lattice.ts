import { table, test } from 'red-lattice';
import { acceptBuiltIns, restoreBuiltIns } from '../../src/running/builtins.ts';

const { apply, get } = Reflect;
const targets = {
  globals: globalThis,
  Promise,
  promises: Promise.prototype,
  lists: Array.prototype,
  'list iterators': Object.getPrototypeOf([][Symbol.iterator]()),
  maps: Map.prototype,
  sets: Set.prototype,
  texts: String.prototype,
  Object,
  functions: Function.prototype,
  Reflect,
} as Record<string, object>;

/** The functions that are compared after each body, by what has them. */
const methods: Readonly<Record<string, string>> = {
  globals: 'Promise Map Set Object Array Error',
  Promise: 'resolve all',
  promises: 'then catch finally',
  lists: 'push pop shift slice splice map filter flatMap find findLast some every includes concat join at iterator',
  'list iterators': 'next',
  maps: 'get set has delete',
  sets: 'add has delete iterator',
  texts: 'split slice replace startsWith',
  Object: 'keys entries fromEntries assign getPrototypeOf defineProperty',
  functions: 'call apply bind',
  Reflect: 'apply ownKeys',
};

/** Replaces a function with one that does the same, calls `then`, and puts the original back. Returns what `then` has left there. */
function leftBy(target: object, key: PropertyKey, then: () => void): { left: unknown; original: unknown; other: unknown } {
  const descriptor = Object.getOwnPropertyDescriptor(target, key) as PropertyDescriptor;
  const original = descriptor.value;
  // No spread: it would call a replaced iterator.
  const other =
    target === globalThis
      ? class extends original {}
      : function (this: unknown, ...given: unknown[]) {
          return apply(original, this, given);
        };
  Reflect.defineProperty(target, key, { ...descriptor, value: other });
  try {
    then();
    return { left: get(target, key), original, other };
  } finally {
    Reflect.defineProperty(target, key, descriptor);
  }
}

export const builtIns = test('built-in functions that {what} replaces are {then}', {
  // Bodies first: after a setup has replaced one, all functions are compared, and no longer the listed ones alone.
  cases: table(
    ['what', 'then'],
    [
      ['a body', 'restored'],
      ['a setup', 'left'],
    ],
  ),
}, ({ row: { then }, check }) => {
  for (const [target, names] of Object.entries(methods))
    for (const name of names.split(' ')) {
      const { left, original, other } = leftBy(targets[target] as object, name === 'iterator' ? Symbol.iterator : name, () => {
        if (then === 'left') acceptBuiltIns();
        restoreBuiltIns();
      });
      if (then === 'left') acceptBuiltIns();
      check.same(left, then === 'left' ? other : original, `${name} of ${target}`);
    }
});
