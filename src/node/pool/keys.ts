/**
 * The keys of a pool. Streams carry everything; what a run has keyed lives on for a while when its coordinator is gone.
 *
 * | key | content |
 * | --- | --- |
 * | `<prefix>:runs` | stream: a run has begun |
 * | `<prefix>:machines` | hash: what each joined machine offers |
 * | `<prefix>:machine:<id>` | stream: messages to a machine |
 * | `<prefix>:run:<id>` | text: what a machine must have to take part |
 * | `<prefix>:run:<id>:seats` | stream with a consumer group: lanes that are wanted |
 * | `<prefix>:run:<id>:results` | stream: all that the machines send |
 */
export interface PoolKeys {
  readonly runs: string;
  readonly machines: string;
  machine(id: string): string;
  run(id: string): string;
  seats(run: string): string;
  results(run: string): string;
}

export const poolKeys = (prefix: string): PoolKeys => ({
  runs: `${prefix}:runs`,
  machines: `${prefix}:machines`,
  machine: (id) => `${prefix}:machine:${id}`,
  run: (id) => `${prefix}:run:${id}`,
  seats: (run) => `${prefix}:run:${run}:seats`,
  results: (run) => `${prefix}:run:${run}:results`,
});

/** The consumer group of the machines. */
export const GROUP = 'machines';
/** Milliseconds that keys are kept when nobody refreshes them. */
export const KEY_LIFETIME_MS = 10 * 60_000;
