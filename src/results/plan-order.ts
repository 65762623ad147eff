import type { JournalEntry } from './journal/entries.ts';
import type { RecordedResult, TestHeader } from './recorded-result.ts';

/** A test with its results. */
export interface TestResults {
  readonly header: TestHeader;
  /** The number of results. */
  readonly count: number;
  results(): Iterable<LaneResult>;
}

export interface LaneResult {
  readonly result: RecordedResult;
  readonly lane: number;
}

/** The maximum number of results that are held to report tests in order. */
const MAX_HELD_RESULTS = 50_000;

/**
 * Yields tests in the order of the plan, each with its results in the order of its rows. Results of a test with more than 50,000 are
 * ordered by lane. `entries` is read once per batch of held results.
 */
export function* testsInOrder(entries: () => Iterable<JournalEntry>): Generator<TestResults> {
  const tests = new Map<number, { header: TestHeader; count: number }>();
  for (const entry of entries()) {
    if (entry.type === 'test') tests.set(entry.header.test, { count: 0, ...tests.get(entry.header.test), header: entry.header });
    if (entry.type !== 'ended') continue;
    const test = tests.get(entry.result.test);
    if (test) test.count++;
  }
  const ordered = [...tests.values()].sort((a, b) => a.header.test - b.header.test);
  for (const batch of batchResults(ordered)) {
    const [first] = batch;
    if (first && first.count > MAX_HELD_RESULTS) yield { ...first, results: () => orderResults(entries, new Set([first.header.test])) };
    else {
      const heldResults = new Map<number, LaneResult[]>(batch.map(({ header }) => [header.test, []]));
      for (const one of orderResults(entries, heldResults)) heldResults.get(one.result.test)?.push(one);
      for (const { header, count } of batch) {
        const results = (heldResults.get(header.test) as LaneResult[]).sort((a, b) => a.result.ordinal - b.result.ordinal);
        yield { header, count, results: () => results };
      }
    }
  }
}

function* batchResults<T extends { readonly count: number }>(tests: readonly T[]): Generator<T[]> {
  let batch: T[] = [];
  let size = 0;
  for (const test of tests) {
    if (batch.length > 0 && size + test.count > MAX_HELD_RESULTS) {
      yield batch;
      [batch, size] = [[], 0];
    }
    batch.push(test);
    size += test.count;
  }
  if (batch.length > 0) yield batch;
}

function* orderResults(entries: () => Iterable<JournalEntry>, tests: { has(test: number): boolean }): Generator<LaneResult> {
  let lane = 0;
  for (const entry of entries()) {
    if (entry.type === 'header') lane = entry.lane;
    if (entry.type === 'ended' && tests.has(entry.result.test)) yield { result: entry.result, lane };
  }
}
