import { CauseCounter, type WhereItFails } from './causes.ts';
import { explainFailures } from './explain.ts';
import { CaseSample } from './sample.ts';

/** A row and whether its case failed. */
export interface LabeledRow {
  readonly row: Readonly<Record<string, unknown>>;
  readonly failed: boolean;
}

/**
 * Find where a test fails: the shortest conditions on its columns that hold for failing cases and not for passing ones, with exact
 * counts. Conditions are values, pairs and triples of values, ranges of numbers and dates, prefixes and lengths of strings, sizes and members
 * of lists and objects, words of texts, and how two columns compare. Without an explanation for the failures, there are no causes. A few failures can still have suspects: the smallest combinations of values that
 * appear in failing rows and in no passing row.
 *
 * ```ts
 * whereItFails([{ row: { hull: 'cat' }, failed: true }, { row: { hull: 'mono' }, failed: false }]).causes
 * ```
 *
 * Iterates over `results` twice. Searches a random sample of up to 2,000 failing and 4,000 passing cases, and counts all. A cause is
 * reported if it makes the statuses about twenty times likelier, after a correction for the number of conditions tried (subgroup
 * discovery by beam search; Bayes factors of two rates).
 */
export function whereItFails(results: Iterable<LabeledRow>): WhereItFails {
  const sample = new CaseSample();
  for (const result of results) sample.take(result, result.failed);
  const { causes, suspects } = explainFailures(sample);
  const counter = new CauseCounter(causes);
  for (const { row, failed } of results) counter.take(row, failed);
  return { ...counter.counted, ...(suspects && { suspects }) };
}
