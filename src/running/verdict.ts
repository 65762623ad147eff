import type { CaseAttempt } from './case-attempt.ts';
import type { Cause, Failure, Status } from './result.ts';

export interface Verdict {
  readonly status: Status;
  readonly cause?: Cause | undefined;
  readonly reason?: string | undefined;
}

const passed: Verdict = { status: 'passed' };

/** Causes outside the tested code. */
const infrastructureCauses: ReadonlySet<Cause> = new Set<Cause>(['setup', 'teardown', 'data', 'crash', 'record']);

/**
 * Decides the status of a case that has run.
 *
 * | failures | status |
 * | --- | --- |
 * | a check, the body or a time limit, without a known failure | failed |
 * | a setup, teardown, row, process or record that failed | errored |
 * | a check, the body or a time limit, with a known failure | known-failure |
 * | none, with a known failure | failed (unexpected-pass) |
 * | none, skipped by the body | skipped |
 * | none | passed |
 *
 * The first line that applies decides: failed over errored over known failure over passed.
 */
export function decideVerdict(run: Pick<CaseAttempt, 'failures' | 'skipped'>, known: string | undefined): Verdict {
  const failures: readonly Failure[] = run.failures;
  if (failures.length === 0 && run.skipped === undefined && known === undefined) return passed;
  const own = failures.find(({ cause }) => !infrastructureCauses.has(cause));
  const error = failures.find(({ cause }) => infrastructureCauses.has(cause));
  if (own && known === undefined) return { status: 'failed', cause: own.cause };
  if (error) return { status: 'errored', cause: error.cause };
  if (own) return { status: 'known-failure', cause: own.cause, reason: known };
  if (run.skipped !== undefined) return { status: 'skipped', reason: run.skipped };
  if (known !== undefined) return { status: 'failed', cause: 'unexpected-pass', reason: known };
  return passed;
}
