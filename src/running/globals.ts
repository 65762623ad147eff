import { isInstanceOf } from '../problems/instance-of.ts';

/**
 * The globals that the runner uses, captured before any test runs. Tests can replace clocks, timers and JSON, which must not affect the
 * runner.
 */
export const now: () => number = performance.now.bind(performance);
export const wallClockNow: () => number = Date.now.bind(Date);
const OriginalDate = Date;
/** The UTC day, as 2031-04-30. */
export const today = (): string => new OriginalDate(wallClockNow()).toISOString().slice(0, 10);

const set = setTimeout;
const clear = clearTimeout;
export type Timer = ReturnType<typeof setTimeout>;
export const startTimer = (callback: () => void, milliseconds: number): Timer => set(callback, milliseconds);
export const stopTimer = (timer: Timer): void => clear(timer);

const OriginalPromise = Promise;
const originalThen = Promise.prototype.then;
const { apply } = Reflect;

/** Creates a promise of the native class. */
export const makePromise = <T>(executor: (resolve: (value: T | PromiseLike<T>) => void, reject: (reason: unknown) => void) => void): Promise<T> =>
  new OriginalPromise(executor);

/** Returns a native promise unchanged. Other thenables are adopted, whatever their `then` does. */
export const toPromise = <T>(given: PromiseLike<T>): Promise<T> =>
  isInstanceOf(given, OriginalPromise) ? (given as Promise<T>) : makePromise((resolve) => resolve(given));

/** Calls `callback` when a native promise is fulfilled, and `onRejected` when it is rejected. */
export const after = <T, R, E = never>(
  promise: Promise<T>,
  callback: ((value: T) => R | PromiseLike<R>) | undefined,
  onRejected?: (reason: unknown) => E | PromiseLike<E>,
): Promise<R | E> => apply(originalThen, promise, [callback, onRejected]) as Promise<R | E>;

const immediate: ((callback: () => void) => void) | undefined = (globalThis as { setImmediate?: (callback: () => void) => void }).setImmediate;
const scheduleMacrotask: (callback: () => void) => void = immediate ?? createMessageScheduler();
/** Resolves after the pending tasks of the event loop have run. */
export const waitForTurn = (): Promise<void> => makePromise((resolve) => scheduleMacrotask(resolve));

/** Pages delay timers by milliseconds, and hidden pages by a second. Messages that a page sends itself arrive without a delay. */
function createMessageScheduler(): (callback: () => void) => void {
  const { port1, port2 } = new MessageChannel();
  const waiting: (() => void)[] = [];
  port1.onmessage = () => waiting.shift()?.();
  return (callback) => {
    waiting.push(callback);
    port2.postMessage(undefined);
  };
}

const json = JSON.stringify;
const { keys, hasOwn } = Object;
const { isArray } = Array;
const prototypes: readonly object[] = [Object.prototype, Array.prototype];
const isExtended = (): boolean => hasOwn(prototypes[0] as object, 'toJSON') || hasOwn(prototypes[1] as object, 'toJSON');

/** Serializes a value as JSON, ignoring `toJSON` on the prototypes of objects and arrays. */
export const stringify = (value: unknown): string => (isExtended() ? (plain(value) ?? 'null') : json(value));

function plain(value: unknown): string | undefined {
  if (typeof value !== 'object' || value === null) return json(value);
  const { toJSON } = value as { toJSON?: unknown };
  if (typeof toJSON === 'function' && !prototypes.some((prototype) => (prototype as { toJSON?: unknown }).toJSON === toJSON))
    return plain(Reflect.apply(toJSON, value, []));
  let text = '';
  if (isArray(value)) {
    for (let i = 0; i < value.length; i++) text += `${i > 0 ? ',' : ''}${plain(value[i]) ?? 'null'}`;
    return `[${text}]`;
  }
  for (const key of keys(value)) {
    const copied = plain((value as Record<string, unknown>)[key]);
    if (copied !== undefined) text += `${text ? ',' : ''}${json(key)}:${copied}`;
  }
  return `{${text}}`;
}

export const parse: (text: string) => unknown = JSON.parse;
