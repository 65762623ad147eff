import type { CaseRun } from './case-run.ts';
import type { Cause, Failure, Status } from './result.ts';

export interface Verdict {
  readonly status: Status;
  readonly cause?: Cause | undefined;
  readonly reason?: string | undefined;
}

const passed: Verdict = { status: 'passed' };

/** Causes that are not the tested code's verdict. */
const erring: ReadonlySet<Cause> = new Set<Cause>(['setup', 'teardown', 'data', 'crash']);

/**
 * What becomes of a case that has run.
 *
 * | what was seen | status |
 * | --- | --- |
 * | a failure of its own, and no known failure stated | failed |
 * | a set-up, tear-down, row or process that failed | errored |
 * | a failure of its own that was stated as known | known |
 * | nothing wrong, and a known failure stated | failed (surprise) |
 * | it left with a reason | skipped |
 * | nothing wrong | passed |
 *
 * The first line that fits counts: failed over errored over known over passed.
 */
export function verdictOf(run: Pick<CaseRun, 'failures' | 'skipped'>, known: string | undefined): Verdict {
  const failures: readonly Failure[] = run.failures;
  if (failures.length === 0 && run.skipped === undefined && known === undefined) return passed;
  const own = failures.find(({ cause }) => !erring.has(cause));
  const error = failures.find(({ cause }) => erring.has(cause));
  if (own && known === undefined) return { status: 'failed', cause: own.cause };
  if (error) return { status: 'errored', cause: error.cause };
  if (own) return { status: 'known-failure', cause: own.cause, reason: known };
  if (run.skipped !== undefined) return { status: 'skipped', reason: run.skipped };
  if (known !== undefined) return { status: 'failed', cause: 'unexpected-pass', reason: known };
  return passed;
}
