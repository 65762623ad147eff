import { buildProbeRow } from '../../suites/probes.ts';
import type { LabeledRow } from '../where/where-it-fails.ts';
import { type NarrowedTest, narrowTest } from './narrow-test.ts';
import { type Row, SearchSpace } from './search-space.ts';

/** Options of a search for causes. */
export interface NarrowOptions {
  /** The number of rows that can be tried. Default: 200. */
  readonly budget?: number | undefined;
  /** The columns to vary. Default: all. */
  readonly columns?: readonly string[] | undefined;
  /** The seed of random choices. Default: 1. */
  readonly seed?: number | undefined;
}

export const DEFAULT_BUDGET = 200;

/**
 * Find the cause of failures by trying more rows. Yields a row to try, and takes whether it failed; undefined if the row is not possible.
 * Returns the smallest combinations of values that fail whatever the other values are.
 *
 * ```ts
 * const search = narrow(results);
 * let step = search.next();
 * while (!step.done) step = search.next(fails(step.value));
 * for (const { conditions } of step.value.causes) console.log(conditions.map(formatCondition).join(' & '));
 * ```
 *
 * Values come from the given rows. Assumes that a combination of values causes a failure, and that the same row always has the same result.
 * Sources: adaptive identification of minimal failure-causing schemas (C. Nie, H. Leung, 2011), delta debugging (A. Zeller,
 * R. Hildebrandt, 2002).
 */
export function* narrow(results: Iterable<LabeledRow>, options: NarrowOptions = {}): Generator<Row, NarrowedTest, boolean | undefined> {
  const { budget = DEFAULT_BUDGET, columns, seed = 1 } = options;
  const rows = Array.from(results, ({ row, failed }, ordinal) => ({ ordinal, row, failed }));
  const search = narrowTest(new SearchSpace(rows, columns), { seed, budget });
  let step = search.next();
  for (let ordinal = rows.length; !step.done; ordinal++) {
    const row = buildProbeRow(step.value, (at) => (rows[at] as { row: Row }).row);
    const failed = yield row;
    step = search.next(failed === undefined ? undefined : { ordinal, row, failed });
  }
  return step.value;
}
