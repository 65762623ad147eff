import type { PlannedTest } from '../suites/planned.ts';
import type { CaseRun } from './case-run.ts';
import { failureOfThrow } from './failures.ts';
import { nextTurn, now } from './originals.ts';
import type { CaseResult } from './result.ts';
import type { Listener } from './run.ts';

/** So many cases in a row, none longer than this on average, are a stream of trivial ones. */
const streamAfter = 64;
const trivialMilliseconds = 0.025;
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
  #waiting: { run: CaseRun; result: CaseResult }[] = [];
  #turning: Promise<void> | undefined;
  #lastTurn = now();
  #cases = 0;
  #milliseconds = 0;
  #announced = false;

  constructor(listener: Listener, careful: boolean) {
    this.#listener = listener;
    this.#careful = careful;
  }

  /** Another test begins: its cases are announced until they prove trivial. */
  anew(): void {
    this.#cases = 0;
    this.#milliseconds = 0;
    this.#announced = false;
  }

  get streaming(): boolean {
    return !this.#careful && this.#cases >= streamAfter && this.#milliseconds < this.#cases * trivialMilliseconds;
  }

  /** Tells that a case goes on to a phase, or that a stream has begun. */
  announce(run: CaseRun, test: PlannedTest, phase: 'setup' | 'body' | 'teardown', limit: number): void {
    if (!this.streaming) this.#listener.begun?.(run, phase, limit);
    else if (!this.#announced) {
      this.#announced = true;
      this.#listener.streaming?.(test, limit);
    }
  }

  ended(run: CaseRun, result: CaseResult): void {
    this.#cases++;
    this.#milliseconds += now() - run.begun;
    this.#waiting.push({ run, result });
    if (!this.streaming) void this.turn();
  }

  /** Between cases: a promise where the event loop is to have its turn. */
  breathe(): Promise<void> | undefined {
    return !this.streaming || now() - this.#lastTurn >= turnEvery ? this.turn() : undefined;
  }

  turn(): Promise<void> {
    this.#turning ??= nextTurn().then(() => {
      this.#turning = undefined;
      this.#lastTurn = now();
      const ready = this.#waiting;
      this.#waiting = [];
      for (const { run, result } of ready) this.#listener.ended(run.planned, result, run);
      this.#listener.turn?.();
    });
    return this.#turning;
  }

  /** What a case left behind broke. Costs the case, where its result has not gone out yet; else it is a problem of the run. */
  stray(run: CaseRun, error: unknown, what: 'throw' | 'rejection'): void {
    if (!run.ended) {
      run.threw(error);
      return;
    }
    const failure = failureOfThrow(error, 'throw', {});
    const waiting = this.#waiting.find((one) => one.run === run);
    if (waiting) waiting.result = { ...waiting.result, status: 'failed', cause: 'throw', failures: [...waiting.result.failures, failure] };
    else this.#listener.told({ code: 'after-the-end', what, id: run.planned.id, detail: failure.message, at: failure.place });
  }
}
