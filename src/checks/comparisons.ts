import { hasPart, isEqual, projectOnto } from './equality.ts';
import { formatValue } from './format-value.ts';
import { compilePattern } from './pattern.ts';
import { isThenable } from './thenable.ts';
import type { DifferingColumn, DifferingFile, TableRow } from './writable.ts';

/** Why a check fails: a message, and the values as text if showing them helps. */
export interface Mismatch {
  readonly message: string;
  readonly actual?: string;
  readonly expected?: string;
  /** Set if `expected` is not a value to compare with, but a pattern or a part. */
  readonly expectedKind?: 'pattern' | 'part';
  readonly columns?: readonly DifferingColumn[];
  readonly tableRow?: TableRow | undefined;
  readonly differingFile?: DifferingFile;
}

/** The result of a comparison: undefined if it holds. Texts are created only for failures. */
export type CheckOutcome = Mismatch | undefined;

const both = (message: string, actual: unknown, expected: unknown): Mismatch => ({ message, actual: formatValue(actual), expected: formatValue(expected) });

/** The failure of a check whose value is a promise, since neither a comparison nor a condition can hold for it. */
export const findPromise = (actual: unknown): CheckOutcome => (isThenable(actual) ? { message: 'the value is a promise; is an await missing?' } : undefined);

/** The failure of a check with an invalid argument. */
export const buildMisuse = (argument: string, expected: string, given: unknown): Mismatch => ({
  message: `${argument} must be ${expected}; got ${formatValue(given)}`,
});

export const compareEqual = (actual: unknown, expected: unknown): CheckOutcome =>
  findPromise(actual) ?? (isEqual(actual, expected) ? undefined : both('not equal', actual, expected));

export const compareNotEqual = (actual: unknown, unwanted: unknown): CheckOutcome =>
  findPromise(actual) ?? (isEqual(actual, unwanted) ? { message: 'equal; expected different values', actual: formatValue(actual) } : undefined);

export function compareSame(actual: unknown, expected: unknown): CheckOutcome {
  if (Object.is(actual, expected)) return undefined;
  return both(isEqual(actual, expected) ? 'equal, but not the same object' : 'not the same', actual, expected);
}

export function compareCloseTo(actual: number | null | undefined, expected: number, distance: number | { relative: number }): CheckOutcome {
  if (typeof expected !== 'number') return buildMisuse('the expected value of `closeTo`', 'a number', expected);
  const allowed = typeof distance === 'number' ? distance : Math.abs(expected) * (distance?.relative ?? Number.NaN);
  if (!(allowed >= 0)) return buildMisuse('the tolerance of `closeTo`', 'a number of at least 0, or `{ relative: number }`', distance);
  const promise = findPromise(actual);
  if (promise) return promise;
  if (actual === expected || (typeof actual === 'number' && Math.abs(actual - expected) <= allowed)) return undefined;
  if (typeof actual !== 'number' || Number.isNaN(actual)) return both('not a number', actual, expected);
  return both(`off by ${roundDistance(Math.abs(actual - expected))}, allowed ${roundDistance(allowed)}`, actual, expected);
}

const roundDistance = (value: number): string => String(Number(value.toPrecision(6)));

export function compareMatches(actual: string | null | undefined, pattern: RegExp): CheckOutcome {
  if (!(pattern instanceof RegExp)) return buildMisuse('the pattern of `matches`', 'a regular expression (for a part of the text, use `includes`)', pattern);
  const promise = findPromise(actual);
  if (promise) return promise;
  return typeof actual === 'string' && compilePattern(pattern).test(actual)
    ? undefined
    : { ...both('does not match', actual, pattern), expectedKind: 'pattern' };
}

export function compareIncludes(actual: string | Iterable<unknown> | null | undefined, part: unknown): CheckOutcome {
  const promise = findPromise(actual);
  if (promise) return promise;
  if (typeof actual !== 'string' && actual != null && typeof actual[Symbol.iterator] !== 'function')
    return buildMisuse('the value of `includes`', 'a string or iterable (for properties, use `hasProperties`)', actual);
  const found =
    typeof actual === 'string'
      ? typeof part === 'string' && actual.includes(part)
      : actual !== null && actual !== undefined && [...actual].some((item) => isEqual(item, part));
  return found ? undefined : { ...both('not included', actual, part), expectedKind: 'part' };
}

export function compareProperties(actual: unknown, part: object): CheckOutcome {
  if (typeof part !== 'object' || part === null) return buildMisuse('the second argument of `hasProperties`', 'an object', part);
  return findPromise(actual) ?? (hasPart(actual, part) ? undefined : both('lacks properties', projectOnto(actual, part), part));
}

export const compareHolds = (condition: unknown): CheckOutcome =>
  condition ? findPromise(condition) : { message: condition === false ? 'does not hold' : `does not hold: ${formatValue(condition)}` };

export const comparePresent = (actual: unknown): CheckOutcome => (actual === null || actual === undefined ? { message: `is ${actual}` } : findPromise(actual));

export function compareGuard(actual: unknown, guard: (value: never) => boolean): CheckOutcome {
  if (typeof guard !== 'function') return buildMisuse('the guard of `satisfies`', 'a function', guard);
  const accepted: unknown = guard(actual as never);
  if (isThenable(accepted)) return { message: `${guard.name || 'the guard'} returned a promise; a guard must return true or false` };
  return accepted ? undefined : { message: `${guard.name || 'the guard'} rejects the value`, actual: formatValue(actual) };
}

/** An expected error: a pattern for its message, a class, or a guard that accepts it. */
export type ExpectedError<E> = RegExp | (abstract new (...args: any[]) => E) | ((error: unknown) => error is E & {}) | ((error: unknown) => boolean);

export const noAction = (action: unknown): Mismatch =>
  isThenable(action)
    ? { message: 'the first argument of `throws` must be a function; got a promise: pass `() => promise`, and await the check' }
    : buildMisuse('the first argument of `throws`', 'a function', action);

/** What was thrown, boxed: undefined can be thrown too. */
export type Caught = { readonly error: unknown } | undefined;

export function compareThrown(caught: Caught, expected: ExpectedError<unknown> | undefined): CheckOutcome {
  if (expected !== undefined && !(expected instanceof RegExp) && typeof expected !== 'function')
    return buildMisuse('the expected error of `throws`', 'a regular expression for its message, a class or a guard (a note comes third)', expected);
  if (!caught) return { message: expected === undefined ? 'threw nothing' : `threw nothing; expected ${nameExpected(expected)}` };
  const { error } = caught;
  if (expected === undefined) return undefined;
  if (expected instanceof RegExp)
    return (
      compareMatches(error instanceof Error ? error.message : String(error), expected) && {
        ...both('threw an error with another message', error, expected),
        expectedKind: 'pattern',
      }
    );
  if (isClass(expected))
    return error instanceof expected ? undefined : { message: `threw something other than ${nameExpected(expected)}`, actual: formatValue(error) };
  return (expected as (error: unknown) => boolean)(error)
    ? undefined
    : { message: `threw something that ${nameExpected(expected)} rejects`, actual: formatValue(error) };
}

const isClass = (expected: ExpectedError<unknown>): expected is abstract new (...args: any[]) => unknown =>
  typeof expected === 'function' && (expected === Error || expected.prototype instanceof Error || /^class\b/.test(Function.prototype.toString.call(expected)));

const nameExpected = (expected: ExpectedError<unknown>): string => (expected instanceof RegExp ? String(expected) : expected.name || 'the guard');
