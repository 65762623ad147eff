import type { Surroundings } from '../cases/row.ts';
import type { Share } from '../cases/share.ts';
import type { Span } from '../fixtures/instance.ts';
import type { Problem } from '../problems/problem.ts';
import type { PlannedCaseImpl, PlannedTest } from '../suites/planned.ts';
import type { CaseRun } from './case-run.ts';
import type { CaseResult } from './result.ts';
import type { RunFixtures } from './run-host.ts';

export interface RunOptions {
  readonly seed: number;
  /** 0-based. */
  readonly lane?: number | undefined;
  readonly surroundings?: Surroundings | undefined;
  /** Aborted when the run is interrupted: no new case begins, tear-downs run. */
  readonly signal?: AbortSignal | undefined;
  /** Which cases of the plan to run; all unless said. */
  readonly select?: ((planned: PlannedCaseImpl) => boolean) | undefined;
  /** Whether a case that runs on request only is asked for. */
  readonly asked?: ((planned: PlannedCaseImpl) => boolean) | undefined;
  /** No new case begins after so many have failed. */
  readonly stopAfter?: number | undefined;
  /** Siblings run in another order, the same for the same seed. */
  readonly shuffle?: boolean | undefined;
  /** What is run, piece after piece; all of the plan at once unless said. */
  readonly pieces?: AsyncIterable<Part> | undefined;
  /** Things that other lanes may want, too: settles when all of them are this lane's, and gives them back. */
  readonly lock?: ((names: readonly string[]) => Promise<() => void>) | undefined;
  /** Binds what a case starts to that case, for those who capture output and unhandled errors. */
  readonly bindContext?: (<T>(run: CaseRun, act: () => T) => T) | undefined;
  /** Something else keeps the process alive: the runner's own timers are not to. */
  readonly inBackground?: boolean | undefined;
  /** Where the fixtures of the run live, if not in this process. */
  readonly runFixtures?: RunFixtures | undefined;
  /** Whether the listener is told of the set-ups and tear-downs of single cases, too. */
  readonly everySpan?: boolean | undefined;
  /** Every case is told before it begins, whatever that costs; unless said, a stream of trivial ones is told as such. */
  readonly careful?: boolean | undefined;
  /** No two cases overlap, whatever they allow. */
  readonly oneAtATime?: boolean | undefined;
  /** Nothing is ended for the time that it takes: somebody looks at it in a debugger. */
  readonly untimed?: boolean | undefined;
  /** A case that is past its time cannot be ended here: end the run so that somebody can end the process. */
  readonly stopWhenStuck?: boolean | undefined;
}

/** A part of a plan. */
export interface Part {
  readonly tests: ReadonlySet<PlannedTest>;
  readonly share?: Share | undefined;
  /** Which of its cases have a result already. */
  readonly isDone?: ((planned: PlannedCaseImpl) => boolean) | undefined;
}

/** What is told while cases run. */
export interface Listener {
  /** A case is about to begin, or to go on to its next phase. Not told in a stream of trivial cases: then `streaming` was. */
  begun?(run: CaseRun, phase: 'setup' | 'body' | 'teardown', limit: number): void;
  /** From here on cases of this test begin unannounced, until another test begins. */
  streaming?(test: PlannedTest, limit: number): void;
  /** Shared fixtures are about to be torn down. */
  closing?(name: string, limit: number): void;
  /** `run` is its last attempt, if it had any. */
  ended(planned: PlannedCaseImpl, result: CaseResult, run?: CaseRun): void;
  /** A running case was interrupted and has no result. */
  cut?(run: CaseRun): void;
  testEnded?(test: PlannedTest): void;
  /** A case passed, and there is nothing to say but its times; told in place of `ended` by who has it. */
  passed?(run: CaseRun, start: number): void;
  /** A shared fixture's tear-down failed: a result of its own. */
  tornDown?(owner: { id: string; title: string }, result: CaseResult): void;
  /** What has been told can be written now. */
  turn?(): void;
  /** A fixture was set up or torn down; `start` counts from the lane's begin. */
  span?(span: Span): void;
  /** Something was logged that belongs to no case. */
  loose?(text: string): void;
  told(problem: Problem): void;
}
