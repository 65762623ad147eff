import type { CaseAttempt } from './case-attempt.ts';
import type { CaseResult } from './result.ts';
import type { Verdict } from './verdict.ts';

/** The result of a case that has run. `started` is when its lane started, on the runner's clock. */
export function buildResult(run: CaseAttempt, verdict: Verdict, attempts: number, started: number): CaseResult {
  const outcome = {
    status: verdict.status,
    attempts,
    start: run.begun - started,
    times: { setup: run.setup, body: run.body, teardown: run.teardown },
    checks: { passed: run.checksPassed, failed: run.checksFailed },
    failures: run.failures,
    steps: run.steps,
    output: run.output,
    attachments: run.attachments,
  };
  // A spread takes nearly half of the time of a passed case.
  return verdict.cause === undefined && verdict.reason === undefined ? outcome : { ...verdict, ...outcome };
}

/** The outcome of something that did not run as a case: a teardown, a process that ended. */
export const EMPTY_OUTCOME = {
  attempts: 1,
  start: 0,
  times: { setup: 0, body: 0, teardown: 0 },
  checks: { passed: 0, failed: 0 },
  failures: [],
  steps: [],
  output: [],
} as const;
