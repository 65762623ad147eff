import type { Partition } from '../cases/partition.ts';
import type { ExpansionHost } from '../cases/row.ts';
import type { Span } from '../fixtures/instance.ts';
import type { Problem } from '../problems/problem.ts';
import type { PlannedCaseImpl, PlannedTest } from '../suites/planned.ts';
import type { CaseAttempt } from './case-attempt.ts';
import type { CaseResult } from './result.ts';
import type { RunFixtures } from './run-fixture-host.ts';

/** The options of `runPlan`. */
export interface PlanRunOptions {
  readonly seed: number;
  /** Counted from 0. */
  readonly lane?: number | undefined;
  readonly host?: ExpansionHost | undefined;
  /** Aborted when the run is interrupted: no case starts any more, and teardowns run. */
  readonly signal?: AbortSignal | undefined;
  /** Selects cases of the plan. Default: all. */
  readonly select?: ((planned: PlannedCaseImpl) => boolean) | undefined;
  /** Milliseconds in which the next rows of a test must be read. Default: rows are not announced. */
  readonly rowsLimit?: number | undefined;
  /** Whether a case marked `onRequest` was requested. */
  readonly isRequested?: ((planned: PlannedCaseImpl) => boolean) | undefined;
  /** Starts no new case after this number of failures. */
  readonly stopAfter?: number | undefined;
  /** Runs siblings in a random order that depends on the seed. */
  readonly shuffle?: boolean | undefined;
  /** The work units to run, one after another. Default: the whole plan. */
  readonly parts?: AsyncIterable<PlanPart> | undefined;
  /** Acquires locks that are shared with other lanes. Resolves to a function that releases them. */
  readonly lock?: ((names: readonly string[]) => Promise<() => void>) | undefined;
  /** Runs `callback` in the asynchronous context of a case, so that output and uncaught errors are attributed to it. */
  readonly bindContext?: (<T>(run: CaseAttempt, callback: () => T) => T) | undefined;
  /** The runner's timers do not keep the process alive. */
  readonly unrefsTimers?: boolean | undefined;
  /** The fixtures of the run, if they are in another process. */
  readonly runFixtures?: RunFixtures | undefined;
  /** Reports setups and teardowns of single cases, too. */
  readonly everySpan?: boolean | undefined;
  /** Reports every case before it starts, at the cost of speed. Default: false; short cases are reported as a stream. */
  readonly announcesEveryCase?: boolean | undefined;
  /** Runs one case at a time, whatever its concurrency. */
  readonly isSerial?: boolean | undefined;
  /** Ignores time limits, for debugging. */
  readonly hasNoTimeouts?: boolean | undefined;
  /** Ends the run if a body does not end after its time limit, so that the process can be killed. */
  readonly stopWhenStuck?: boolean | undefined;
}

/** A part of a plan. */
export interface PlanPart {
  readonly tests: ReadonlySet<PlannedTest>;
  readonly share?: Partition | undefined;
  /** Runs all its cases, also those that are not selected. */
  readonly isWhole?: boolean | undefined;
  /** The cases of its only test, if they are not those of its source. */
  readonly cases?: readonly PlannedCaseImpl[] | undefined;
  /** Whether a case has a result already. */
  readonly isDone?: ((planned: PlannedCaseImpl) => boolean) | undefined;
}

/** What takes time from now on, and its limit. Of a stream of short cases only the stream is announced. */
export type Activity =
  | { readonly kind: 'setup' | 'body' | 'teardown'; readonly run: CaseAttempt; readonly limit: number }
  | { readonly kind: 'stream'; readonly test: PlannedTest; readonly limit: number }
  /** The next rows of a test are read. `invalid` represents the rows if reading fails. */
  | { readonly kind: 'rows'; readonly invalid: PlannedCaseImpl; readonly limit: number }
  | { readonly kind: 'shared-teardown'; readonly name: string; readonly limit: number };

/** Receives the events of a run. */
export interface RunListener {
  announce(activity: Activity): void;
  /** A case passed in its first attempt without output or attachments. `start` is relative to the start of the lane. Default: `ended`. */
  passed?(run: CaseAttempt, start: number): void;
  /** A case has a result. `run` is its last attempt, if it ran. */
  ended(planned: PlannedCaseImpl, result: CaseResult, run?: CaseAttempt): void;
  /** A running case was interrupted and has no result. */
  interrupted?(run: CaseAttempt): void;
  testEnded?(test: PlannedTest): void;
  /** The teardown of a shared fixture failed. */
  teardownFailed(owner: { id: string; title: string }, result: CaseResult): void;
  /** A fixture was set up or torn down. `start` is relative to the start of the lane. */
  span?(span: Span): void;
  /** Output that belongs to no case. */
  writeUnowned?(text: string): void;
  reportProblem(problem: Problem): void;
  /** What was reported can be written: the event loop had its turn. */
  flush?(): void;
}
