import { isInstanceOf } from '../problems/instance-of.ts';
import type { PlannedTest } from '../suites/planned.ts';
import { restoreBuiltIns } from './builtins.ts';
import type { CaseRun } from './case-run.ts';
import { failureOfThrow } from './failures.ts';
import { after, nextTurn, now } from './originals.ts';
import { resultOf } from './outcome.ts';
import type { CaseResult } from './result.ts';
import type { Listener } from './run-options.ts';
import { Stop } from './stop.ts';

/** So many cases in a row that take no longer than this together are a stream of trivial ones. The first ones run cold. */
const someCases = 64;
const trivialMilliseconds = 6.4;
/** In a stream the event loop gets a turn, and results go out, this often. */
const turnEvery = 1;

/**
 * When results go out.
 *
 * A case that has ended waits for one turn of the event loop: what it left behind may break until then, and costs it. Between
 * cases the loop gets a turn, but in a stream of trivial ones only once a millisecond; those begin unannounced, too.
 */
export class Delivery {
  readonly #listener: Listener;
  readonly #careful: boolean;
  readonly #started: number;
  /** What has ended and not gone out. */
  #waiting: CaseRun[] = [];
  #turning: Promise<void> | undefined;
  #lastTurn = now();
  /** Of the cases since the last look: how many, and how long they took. */
  #cases = 0;
  #milliseconds = 0;
  /** As of the last look. */
  #trivial = false;
  #announced = false;
  /** When the last case ended: asking the clock is dear in a stream. */
  #clock = 0;

  constructor(listener: Listener, careful: boolean, started: number) {
    this.#started = started;
    this.#listener = listener;
    this.#careful = careful;
  }

  /** Another test begins: its cases are announced until they prove trivial. */
  anew(): void {
    this.#cases = 0;
    this.#milliseconds = 0;
    this.#trivial = false;
    this.#announced = false;
  }

  get streaming(): boolean {
    return this.#trivial && this.#milliseconds < trivialMilliseconds;
  }

  /** Tells that a case goes on to a phase, or that a stream has begun. */
  announce(run: CaseRun, test: PlannedTest, phase: 'setup' | 'body' | 'teardown', limit: number): void {
    if (!this.streaming) {
      this.#announced = false;
      this.#listener.begun?.(run, phase, limit);
    } else if (!this.#announced) {
      this.#announced = true;
      this.#listener.streaming?.(test, limit);
    }
  }

  ended(run: CaseRun, result: CaseResult | undefined): void {
    const taken = run.setup + run.body + run.teardown;
    this.#cases++;
    this.#milliseconds += taken;
    if (this.#cases === someCases) {
      this.#trivial = !this.#careful && this.#milliseconds < trivialMilliseconds;
      this.#cases = 0;
      this.#milliseconds = 0;
    }
    this.#clock = run.begun + taken;
    run.result = result;
    this.#waiting.push(run);
    if (!this.streaming) void this.turn();
  }

  /** Between cases: a promise where the event loop is to have its turn. */
  breathe(): Promise<void> | undefined {
    return !this.streaming || this.#clock - this.#lastTurn >= turnEvery ? this.turn() : undefined;
  }

  /** When all that has ended has gone out: a promise where something waits. */
  emptied(): Promise<void> | undefined {
    return this.#waiting.length > 0 ? this.turn() : undefined;
  }

  /** A listener that throws does not keep the other results back. */
  #send(run: CaseRun): void {
    try {
      if (run.result) this.#listener.ended(run.planned, run.result, run);
      else this.#listener.passed?.(run, run.begun - this.#started);
    } catch (error) {
      this.#listener.told({ code: 'internal-error', reason: failureOfThrow(error, 'throw', {}).message });
    }
  }

  turn(): Promise<void> {
    this.#turning ??= after(nextTurn(), () => {
      restoreBuiltIns();
      this.#turning = undefined;
      this.#lastTurn = now();
      const ready = this.#waiting;
      this.#waiting = [];
      for (let at = 0; at < ready.length; at++) this.#send(ready[at] as CaseRun);
      this.#listener.turn?.();
    });
    return this.#turning;
  }

  /** What a case left behind broke. Costs the case, where its result has not gone out yet; else it is a problem of the run. */
  stray(run: CaseRun, error: unknown, what: 'error' | 'rejection'): void {
    if (!run.ended) {
      run.threw(error);
      return;
    }
    // The failure of an `ensure` is recorded already, and a body that did not await it has failed.
    if (isInstanceOf(error, Stop) && error.skip === undefined) return;
    const failure = failureOfThrow(error, 'throw', {});
    if (this.#waiting.includes(run)) {
      const result = run.result ?? resultOf(run, { status: 'passed' }, run.attempt, this.#started);
      run.result = { ...result, status: 'failed', cause: 'throw', failures: [...result.failures, failure] };
    } else this.#listener.told({ code: `late-${what}`, id: run.planned.id, detail: failure.message, at: failure.location });
  }
}
