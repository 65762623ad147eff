import { CauseCounter, causesOf, type WhereItFails } from './causes.ts';
import { CaseSample } from './sample.ts';

/** What came of one case, as far as it matters here. */
export interface LabeledRow {
  readonly row: Readonly<Record<string, unknown>>;
  readonly failed: boolean;
}

/**
 * The shortest conditions on the columns of a test that hold for its failing cases and not for its passing ones, with exact counts:
 * values, pairs and triples of values, ranges of numbers and of dates, starts and lengths of texts. No causes where nothing explains
 * the failures.
 *
 * `results` is gone through twice. Up to 2,000 failing and 4,000 passing cases, chosen fairly, are looked at; all are counted. A
 * cause is told where the statuses are some twenty times likelier with it than without, the number of conditions that it was chosen
 * from allowed for (subgroup discovery by a beam search; Bayes factors of two rates).
 */
export function whereItFails(results: Iterable<LabeledRow>): WhereItFails {
  const sample = new CaseSample();
  for (const result of results) sample.take(result, result.failed);
  const counter = new CauseCounter(causesOf(sample.rows));
  for (const { row, failed } of results) counter.take(row, failed);
  return counter.counted;
}
