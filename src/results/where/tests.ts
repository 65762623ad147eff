import type { JournalEntry } from '../journal/entries.ts';
import type { RecordedResult } from '../recorded-result.ts';
import { CauseCounter, type WhereItFails } from './causes.ts';
import { explainFailures } from './explain.ts';
import { CaseSample } from './sample.ts';

/** Causes of failures in the tested code. */
export const testedCauses: ReadonlySet<RecordedResult['cause']> = new Set<RecordedResult['cause']>(['check', 'throw', 'timeout', 'crash']);

/** Whether a case failed (true) or passed (false). Undefined if it did neither. */
export function classifyStatus({ status }: Pick<RecordedResult, 'status'>): boolean | undefined {
  if (status === 'failed' || status === 'errored') return true;
  return status === 'passed' ? false : undefined;
}

/**
 * Finds where each test of a record fails, by the test's number. Tests whose failures nothing explains are left out. `entries` is read
 * once, and a second time if a test has more cases than are kept.
 */
export function whereTestsFail(entries: () => Iterable<JournalEntry>, failing: ReadonlySet<number>): Map<number, WhereItFails> {
  const found = new Map<number, WhereItFails>();
  if (failing.size === 0) return found;
  const samples = new Map<number, CaseSample>();
  /** Tests with flaky cases, and rows that failed for a reason outside the tested code: neither is informative about combinations. */
  const flaky = new Set<number>();
  const outside = new Set<unknown>();
  for (const { test, failed, result } of labelRows(entries, failing)) {
    let sample = samples.get(test);
    if (!sample) samples.set(test, (sample = new CaseSample()));
    sample.take(result, failed);
    if (!failed && result.attempts > 1) flaky.add(test);
    if (failed && !testedCauses.has(result.cause)) outside.add(result.row);
  }
  const large = new Map<number, CauseCounter>();
  for (const [test, sample] of samples) {
    const { failing, passing } = sample.rows;
    const { causes, suspects } = explainFailures(sample, { isFlaky: flaky.has(test), isOutside: (row) => outside.has(row) });
    const counter = new CauseCounter(causes);
    if (causes.length === 0) {
      if (suspects) found.set(test, { ...counter.counted, suspects });
      continue;
    }
    found.set(test, counter.counted);
    if (!sample.isWhole) large.set(test, counter);
    else {
      for (const row of failing) counter.take(row, true);
      for (const row of passing) counter.take(row, false);
    }
  }
  if (large.size > 0) for (const { test, failed, result } of labelRows(entries, large)) large.get(test)?.take(result.row, failed);
  return found;
}

function* labelRows(entries: () => Iterable<JournalEntry>, tests: { has(test: number): boolean }) {
  for (const entry of entries()) {
    if (entry.type !== 'ended' || !tests.has(entry.result.test)) continue;
    const failed = classifyStatus(entry.result);
    if (failed !== undefined) yield { test: entry.result.test, failed, result: entry.result };
  }
}
