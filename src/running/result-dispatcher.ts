import { isInstanceOf } from '../problems/instance-of.ts';
import type { PlannedCaseImpl, PlannedTest } from '../suites/planned.ts';
import { restoreBuiltIns } from './builtins.ts';
import type { CaseAttempt } from './case-attempt.ts';
import { ControlSignal } from './control-signal.ts';
import { buildThrowFailure } from './failures.ts';
import { after, now, waitForTurn } from './globals.ts';
import { buildResult } from './outcome.ts';
import type { CaseResult } from './result.ts';
import type { RunListener } from './run-options.ts';

/**
 * This number of cases within the fast window is a stream of trivial cases. The first cases run slower, since their code is not compiled
 * yet.
 */
const MAX_CASES_PER_TURN = 64;
const FAST_CASE_WINDOW_MS = 6.4;
/** The interval in a stream at which the event loop gets a turn and results are reported. */
const TURN_INTERVAL_MS = 1;

/**
 * Decides when results are reported.
 *
 * A case that has ended waits for one turn of the event loop: errors of what it left behind count for it until then. The event loop gets a
 * turn between cases, but only once per millisecond in a stream of trivial cases, whose starts are not announced either.
 */
export class ResultDispatcher {
  readonly #listener: RunListener;
  readonly #announcesEveryCase: boolean;
  readonly #started: number;
  /** Cases that have ended and are not reported yet. */
  #waiting: CaseAttempt[] = [];
  #turning: Promise<void> | undefined;
  #lastTurn = now();
  /** The number of cases since the last measurement, and their duration. */
  #cases = 0;
  #milliseconds = 0;
  /** Whether the cases were trivial at the last measurement. */
  #trivial = false;
  #announced = false;
  /** When the last case ended. Reading the clock is expensive in a stream. */
  #clock = 0;

  constructor(listener: RunListener, announcesEveryCase: boolean, started: number) {
    this.#started = started;
    this.#listener = listener;
    this.#announcesEveryCase = announcesEveryCase;
  }

  /** Starts a new test: its cases are announced until they prove trivial. */
  resetForTest(): void {
    this.#cases = 0;
    this.#milliseconds = 0;
    this.#trivial = false;
    this.#announced = false;
  }

  get streaming(): boolean {
    return this.#trivial && this.#milliseconds < FAST_CASE_WINDOW_MS;
  }

  /** Announces the next phase of a case, or the start of a stream. */
  announce(run: CaseAttempt, test: PlannedTest, phase: 'setup' | 'body' | 'teardown', limit: number): void {
    if (!this.streaming) {
      this.#announced = false;
      this.#listener.announce({ kind: phase, run, limit });
    } else if (!this.#announced) {
      this.#announced = true;
      this.#listener.announce({ kind: 'stream', test, limit });
    }
  }

  /** Ends a case. Without a result, it passed and there is nothing else to report. */
  ended(run: CaseAttempt, result: CaseResult | undefined): void {
    const taken = run.setup + run.body + run.teardown;
    this.#cases++;
    this.#milliseconds += taken;
    if (this.#cases === MAX_CASES_PER_TURN) {
      this.#trivial = !this.#announcesEveryCase && this.#milliseconds < FAST_CASE_WINDOW_MS;
      this.#cases = 0;
      this.#milliseconds = 0;
    }
    this.#clock = run.begun + taken;
    run.result = result;
    this.#waiting.push(run);
    if (!this.streaming) void this.flushAfterTurn();
  }

  /** Reports the result of a case that did not run. */
  reportNotRun(planned: PlannedCaseImpl, result: CaseResult): void {
    this.#listener.ended(planned, result);
  }

  /** Drops a case that was interrupted: it has no result. */
  dropInterrupted(run: CaseAttempt): void {
    this.#listener.interrupted?.(run);
  }

  /** Returns a promise between cases if the event loop needs a turn. */
  yieldToEventLoop(): Promise<void> | undefined {
    return !this.streaming || this.#clock - this.#lastTurn >= TURN_INTERVAL_MS ? this.flushAfterTurn() : undefined;
  }

  /** Returns a promise if ended cases are still waiting to be reported. */
  drained(): Promise<void> | undefined {
    return this.#waiting.length > 0 ? this.flushAfterTurn() : undefined;
  }

  /** A listener that throws does not hold back other results. */
  #send(run: CaseAttempt): void {
    try {
      if (!run.result && this.#listener.passed) this.#listener.passed(run, run.begun - this.#started);
      else this.#listener.ended(run.planned, run.result ?? this.#buildPlainResult(run), run);
    } catch (error) {
      this.#listener.reportProblem({ code: 'internal-error', reason: buildThrowFailure(error, 'throw', {}).message });
    }
  }

  #buildPlainResult(run: CaseAttempt): CaseResult {
    return buildResult(run, { status: 'passed' }, run.attempt, this.#started);
  }

  flushAfterTurn(): Promise<void> {
    this.#turning ??= after(waitForTurn(), () => {
      restoreBuiltIns();
      this.#turning = undefined;
      this.#lastTurn = now();
      const ready = this.#waiting;
      this.#waiting = [];
      for (let at = 0; at < ready.length; at++) this.#send(ready[at] as CaseAttempt);
      this.#listener.flush?.();
    });
    return this.#turning;
  }

  /**
   * Handles an error of something that a case left behind. The case fails if its result is not reported yet; otherwise the run has a
   * problem.
   */
  handleLateError(run: CaseAttempt, error: unknown, kind: 'error' | 'rejection'): void {
    if (!run.ended) {
      run.recordThrow(error);
      return;
    }
    // The failure of an `ensure` is recorded already, and a body that did not await it has failed.
    if (isInstanceOf(error, ControlSignal) && error.skip === undefined) return;
    const failure = buildThrowFailure(error, 'throw', {});
    if (this.#waiting.includes(run)) {
      const result = run.result ?? this.#buildPlainResult(run);
      run.result = { ...result, status: 'failed', cause: 'throw', failures: [...result.failures, failure] };
    } else this.#listener.reportProblem({ code: `late-${kind}`, id: run.planned.id, detail: failure.message, at: failure.location });
  }
}
