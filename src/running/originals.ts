/**
 * What the runner uses of its surroundings, taken before any test runs: tests may replace clocks, timers and JSON, and must
 * not stop their own runner by it.
 */
export const now: () => number = performance.now.bind(performance);
export const epoch: () => number = Date.now.bind(Date);
const OriginalDate = Date;
/** The UTC day, as 2031-04-30. */
export const today = (): string => new OriginalDate(epoch()).toISOString().slice(0, 10);

const set = setTimeout;
const clear = clearTimeout;
export type Timer = ReturnType<typeof setTimeout>;
export const startTimer = (act: () => void, milliseconds: number): Timer => set(act, milliseconds);
export const stopTimer = (timer: Timer): void => clear(timer);

const immediate: ((act: () => void) => void) | undefined = (globalThis as { setImmediate?: (act: () => void) => void }).setImmediate;
const inTurn: (act: () => void) => void = immediate ?? messages();
/** After what waits in the event loop has had its turn. */
export const nextTurn = (): Promise<void> => new Promise((resolve) => inTurn(resolve));

/** A page makes timers wait for milliseconds, and for a second while nobody looks at it; messages to itself come at once. */
function messages(): (act: () => void) => void {
  const { port1, port2 } = new MessageChannel();
  const waiting: (() => void)[] = [];
  port1.onmessage = () => waiting.shift()?.();
  return (act) => {
    waiting.push(act);
    port2.postMessage(undefined);
  };
}

export const stringify: (value: unknown) => string = JSON.stringify;
export const parse: (text: string) => unknown = JSON.parse;
