/**
 * The keys of a pool. All of them expire.
 *
 * | key | content |
 * | --- | --- |
 * | `<prefix>:runs` | stream: announced runs |
 * | `<prefix>:machines` | hash: the joined machines and their lanes |
 * | `<prefix>:machine:<id>` | stream: messages to a machine |
 * | `<prefix>:run:<id>` | text: versions and file hashes that a machine must match |
 * | `<prefix>:run:<id>:seats` | stream with a consumer group: offered seats |
 * | `<prefix>:run:<id>:results` | stream: messages from machines |
 */
export interface PoolKeys {
  readonly runs: string;
  readonly machines: string;
  machine(id: string): string;
  run(id: string): string;
  seats(run: string): string;
  results(run: string): string;
}

export const buildPoolKeys = (prefix: string): PoolKeys => ({
  runs: `${prefix}:runs`,
  machines: `${prefix}:machines`,
  machine: (id) => `${prefix}:machine:${id}`,
  run: (id) => `${prefix}:run:${id}`,
  seats: (run) => `${prefix}:run:${run}:seats`,
  results: (run) => `${prefix}:run:${run}:results`,
});

/** The consumer group of the machines. */
export const GROUP = 'machines';
/** Milliseconds until a key expires that is not refreshed. */
export const KEY_LIFETIME_MS = 10 * 60_000;
