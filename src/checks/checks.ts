import { type CapturedStack, captureStack } from '../problems/source-location.ts';
import {
  type Caught,
  type CheckOutcome,
  compareCloseTo,
  compareEqual,
  compareGuard,
  compareHolds,
  compareIncludes,
  compareMatches,
  compareNotEqual,
  comparePresent,
  compareProperties,
  compareSame,
  compareThrown,
  type ExpectedError,
  noAction,
} from './comparisons.ts';
import { isThenable } from './thenable.ts';

type NoPromise<T> = T extends PromiseLike<unknown> ? 'await the promise first' : unknown;
type Thrown<R, E> = [R] extends [never] ? E : R extends PromiseLike<unknown> ? Promise<E> : E;

/** Checks that compare an actual with an expected value, in that order. The last argument is a note. */
export interface Comparisons<Out> {
  /** Deep equality, including prototypes, Map, Set, Date, typed arrays and cycles. NaN equals NaN, +0 equals -0. */
  equal<T>(actual: T, expected: NoInfer<T>, note?: string): Out;
  /** The opposite of `equal`. */
  notEqual<T>(actual: T, unexpected: T, note?: string): Out;
  /** The same value or object, as by Object.is. */
  same<T>(actual: T, expected: T, note?: string): Out;
  /** Equal within a tolerance: absolute, or relative to the expected value. */
  closeTo(actual: number | null | undefined, expected: number, tolerance: number | { relative: number }, note?: string): Out;
  /** The pattern matches somewhere in the string. */
  matches(actual: string | null | undefined, pattern: RegExp, note?: string): Out;
  /** A string contains the part, or an iterable contains an equal item. */
  includes(actual: string | Iterable<unknown> | null | undefined, part: unknown, note?: string): Out;
  /** All properties of `part`, at any depth. The value can have more. */
  hasProperties(actual: unknown, part: object, note?: string): Out;
}

/** Checks that record a failure and continue. Each returns whether it passed. */
export interface Checks extends Comparisons<boolean> {
  /** The condition is truthy. Await promises first. */
  holds<T>(condition: T & NoPromise<T>, note?: string): boolean;
  /** Neither null nor undefined. */
  present<T>(actual: T, note?: string): actual is NonNullable<T>;
  /** The type guard accepts the value. */
  satisfies<T, V extends T>(actual: T, guard: (value: T) => value is V, note?: string): actual is V;
  /** `action` throws or rejects with the expected error: a pattern for the message, a class, or a guard. Returns the error. */
  throws<R, E = unknown>(action: () => R, expected?: ExpectedError<E>, note?: string): Thrown<R, E | undefined>;
  /** Fails with the note. */
  fail(note: string): false;
}

/** Checks that record a failure and end the step, or the case outside steps. */
export interface Ensures extends Comparisons<void> {
  /** The condition is truthy. Await promises first. */
  holds<T>(condition: T & NoPromise<T>, note?: string): void;
  /** Neither null nor undefined. Returns the value. */
  present<T>(actual: T, note?: string): NonNullable<T>;
  /** The type guard accepts the value. Returns the value with the guard's type. */
  satisfies<T, V extends T>(actual: T, guard: (value: T) => value is V, note?: string): V;
  /** `action` throws or rejects with the expected error: a pattern for the message, a class, or a guard. Returns the error. */
  throws<R, E = unknown>(action: () => R, expected?: ExpectedError<E>, note?: string): Thrown<R, E>;
  /** Fails with the note. */
  fail(note: string): never;
}

/** Receives the results of checks. */
export interface CheckRecorder {
  /** Records a check, and its failure if there is one. Returns whether the check passed. */
  recordResult(finding: CheckOutcome, note: string | undefined, origin: CapturedStack | undefined): boolean;
  /** Ends the step or the case: throws. */
  stop(): never;
  /** Registers a pending operation that the body must await. Returns a function to call when it settles, which returns whether the body was still running. */
  trackPending(label: string, origin: CapturedStack): () => boolean;
}

export const MAX_FRAMES = 12;

/** Implements `Checks`; `this.<method>` hides the library's own frames. */
export class ChecksImpl implements Checks {
  readonly #recorder: CheckRecorder;

  constructor(recorder: CheckRecorder) {
    this.#recorder = recorder;
  }

  equal<T>(actual: T, expected: NoInfer<T>, note?: string): boolean {
    return this.#recordResult(compareEqual(actual, expected), note, this.equal);
  }
  notEqual<T>(actual: T, unexpected: T, note?: string): boolean {
    return this.#recordResult(compareNotEqual(actual, unexpected), note, this.notEqual);
  }
  same<T>(actual: T, expected: T, note?: string): boolean {
    return this.#recordResult(compareSame(actual, expected), note, this.same);
  }
  closeTo(actual: number | null | undefined, expected: number, tolerance: number | { relative: number }, note?: string): boolean {
    return this.#recordResult(compareCloseTo(actual, expected, tolerance), note, this.closeTo);
  }
  matches(actual: string | null | undefined, pattern: RegExp, note?: string): boolean {
    return this.#recordResult(compareMatches(actual, pattern), note, this.matches);
  }
  includes(actual: string | Iterable<unknown> | null | undefined, part: unknown, note?: string): boolean {
    return this.#recordResult(compareIncludes(actual, part), note, this.includes);
  }
  hasProperties(actual: unknown, part: object, note?: string): boolean {
    return this.#recordResult(compareProperties(actual, part), note, this.hasProperties);
  }
  holds(condition: unknown, note?: string): boolean {
    return this.#recordResult(compareHolds(condition), note, this.holds);
  }
  present<T>(actual: T, note?: string): actual is NonNullable<T> {
    return this.#recordResult(comparePresent(actual), note, this.present);
  }
  satisfies<T, V extends T>(actual: T, guard: (value: T) => value is V, note?: string): actual is V {
    return this.#recordResult(compareGuard(actual, guard), note, this.satisfies);
  }
  throws<R, E = unknown>(action: () => R, expected?: ExpectedError<E>, note?: string): Thrown<R, E | undefined> {
    const origin = captureStack(this.throws, MAX_FRAMES);
    if (typeof action !== 'function') return this.#recorder.recordResult(noAction(action), note, origin) as never;
    const thrown = settleAct(action, this.#recorder, origin, (caught) => {
      const passed = this.#recorder.recordResult(compareThrown(caught, expected), note, origin);
      return passed ? caught?.error : undefined;
    });
    return thrown as Thrown<R, E | undefined>;
  }
  fail(note: string): false {
    this.#recordResult({ message: 'failed' }, note, this.fail);
    return false;
  }

  #recordResult(finding: CheckOutcome, note: string | undefined, method: unknown): boolean {
    return this.#recorder.recordResult(finding, note, finding && captureStack(method, MAX_FRAMES));
  }
}

/** Implements `Ensures`. */
export class EnsuresImpl implements Ensures {
  readonly #recorder: CheckRecorder;

  constructor(recorder: CheckRecorder) {
    this.#recorder = recorder;
  }

  equal<T>(actual: T, expected: NoInfer<T>, note?: string): void {
    this.#recordOrThrow(compareEqual(actual, expected), note, this.equal);
  }
  notEqual<T>(actual: T, unexpected: T, note?: string): void {
    this.#recordOrThrow(compareNotEqual(actual, unexpected), note, this.notEqual);
  }
  same<T>(actual: T, expected: T, note?: string): void {
    this.#recordOrThrow(compareSame(actual, expected), note, this.same);
  }
  closeTo(actual: number | null | undefined, expected: number, tolerance: number | { relative: number }, note?: string): void {
    this.#recordOrThrow(compareCloseTo(actual, expected, tolerance), note, this.closeTo);
  }
  matches(actual: string | null | undefined, pattern: RegExp, note?: string): void {
    this.#recordOrThrow(compareMatches(actual, pattern), note, this.matches);
  }
  includes(actual: string | Iterable<unknown> | null | undefined, part: unknown, note?: string): void {
    this.#recordOrThrow(compareIncludes(actual, part), note, this.includes);
  }
  hasProperties(actual: unknown, part: object, note?: string): void {
    this.#recordOrThrow(compareProperties(actual, part), note, this.hasProperties);
  }
  holds(condition: unknown, note?: string): void {
    this.#recordOrThrow(compareHolds(condition), note, this.holds);
  }
  present<T>(actual: T, note?: string): NonNullable<T> {
    this.#recordOrThrow(comparePresent(actual), note, this.present);
    return actual as NonNullable<T>;
  }
  satisfies<T, V extends T>(actual: T, guard: (value: T) => value is V, note?: string): V {
    this.#recordOrThrow(compareGuard(actual, guard), note, this.satisfies);
    return actual as V;
  }
  throws<R, E = unknown>(action: () => R, expected?: ExpectedError<E>, note?: string): Thrown<R, E> {
    const origin = captureStack(this.throws, MAX_FRAMES);
    if (typeof action !== 'function') {
      this.#recorder.recordResult(noAction(action), note, origin);
      return this.#recorder.stop();
    }
    const thrown = settleAct(action, this.#recorder, origin, (caught) => {
      if (!this.#recorder.recordResult(compareThrown(caught, expected), note, origin)) this.#recorder.stop();
      return caught?.error;
    });
    return thrown as Thrown<R, E>;
  }
  fail(note: string): never {
    this.#recordOrThrow({ message: 'failed' }, note, this.fail);
    return this.#recorder.stop();
  }

  #recordOrThrow(finding: CheckOutcome, note: string | undefined, method: unknown): void {
    if (!this.#recorder.recordResult(finding, note, finding && captureStack(method, MAX_FRAMES))) this.#recorder.stop();
  }
}

/** Calls `judge` with the error that `act` throws or rejects with, or with undefined. After the body has ended, `judge` is not called. */
function settleAct(act: () => unknown, recorder: CheckRecorder, origin: CapturedStack, evaluate: (caught: Caught) => unknown): unknown {
  let given: unknown;
  let waits: boolean;
  try {
    given = act();
    waits = isThenable(given);
  } catch (error) {
    return evaluate({ error });
  }
  if (!waits) return evaluate(undefined);
  const settled = recorder.trackPending('`throws`', origin);
  return (given as PromiseLike<unknown>).then(
    () => settled() && evaluate(undefined),
    (error: unknown) => settled() && evaluate({ error }),
  );
}

/**
 * Like `context.ensure.holds`, and narrows the condition for the compiler.
 *
 * ```ts
 * test('a quote has lines', (context) => {
 *   const quote = findQuote('N4'); // Quote | undefined
 *   assert(context, quote !== undefined);
 *   context.check.equal(quote.lines.length, 2); // quote: Quote
 * });
 * ```
 */
export function assert(context: { readonly ensure: Ensures }, condition: unknown, note?: string): asserts condition {
  context.ensure.holds(condition as never, note);
}
