import { findSuspects, type Suspects } from '../cause/suspects.ts';
import { CauseCounter, type Conditions, findCauses } from './causes.ts';
import { findExactCauses, MAX_ROWS } from './exact-causes.ts';
import type { CaseSample } from './sample.ts';

type Row = Readonly<Record<string, unknown>>;

/** The causes of failures, or suspects if there are none. */
export interface Explanation {
  readonly causes: readonly Conditions[];
  readonly suspects?: Suspects | undefined;
}

/** Facts about the failures of a test besides its rows. */
interface Doubts {
  /** The same row can pass and fail. */
  readonly isFlaky?: boolean | undefined;
  /** Whether a row failed for a reason outside the tested code. */
  readonly isOutside?: ((row: Row) => boolean) | undefined;
}

/**
 * Explains the failures of a sample of cases. Causes come from statistics. If they leave failing cases or include passing ones, a combination
 * or a pair of combinations that fits all cases exactly takes their place.
 */
export function explainFailures(sample: CaseSample, { isFlaky = false, isOutside }: Doubts = {}): Explanation {
  const { failing, passing } = sample.rows;
  const causes = findCauses(sample.rows);
  const isSmall = failing.length + passing.length <= MAX_ROWS;
  if (isFlaky || !sample.isWhole || (causes.length > 0 && (!isSmall || isExact(causes, failing, passing)))) return { causes };
  const inside = isOutside ? failing.filter((row) => !isOutside(row)) : failing;
  const found = findSuspects(inside, passing);
  const exact = inside.length === failing.length ? findExactCauses(failing, passing, found) : [];
  if (exact.length > 0) return { causes: exact };
  return causes.length > 0 ? { causes } : { causes, suspects: found?.suspects };
}

/** Whether all failing rows meet a cause, and no passing row does. */
function isExact(causes: readonly Conditions[], failing: readonly Row[], passing: readonly Row[]): boolean {
  const counter = new CauseCounter(causes);
  return failing.every((row) => counter.take(row, true)) && passing.every((row) => counter.take(row, false));
}
