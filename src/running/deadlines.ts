import { restoreBuiltIns } from './builtins.ts';
import { after, makePromise, now, startTimer, stopTimer, type Timer, toPromise } from './globals.ts';

/** An operation with a deadline. */
export interface Watched {
  readonly deadline: number;
  expire(): void;
  /** Called when the run is interrupted. `urgent`: without the grace period. */
  interrupt?(urgent: boolean): void;
}

/** Milliseconds, about eleven days: longer than any operation, and within the range of timers. */
const FOREVER_MS = 1e9;

/** Returns a function that converts a time limit to the effective limit, both in milliseconds. With `hasNoTimeouts`, limits are not enforced. */
export const createTimeoutPolicy = (hasNoTimeouts = false): ((milliseconds: number) => number) =>
  hasNoTimeouts ? () => FOREVER_MS : (milliseconds) => milliseconds;

interface DeadlineOptions {
  /** False in processes that something else keeps alive. Default: true. */
  readonly keepsAlive?: boolean | undefined;
  /** Whether limits are not enforced. Default: false. */
  readonly hasNoTimeouts?: boolean | undefined;
  /** Whether a run stops when something continues after its time limit and its grace period. Default: false. */
  readonly stopsWhenStuck?: boolean | undefined;
}

/** Watches many deadlines with one timer: a timer for each case would cost more than most cases. */
export class DeadlineTimer {
  readonly #watched = new Set<Watched>();
  readonly #keepsAlive: boolean;
  #timer: Timer | undefined;
  #wake = Number.POSITIVE_INFINITY;
  readonly #stopsWhenStuck: boolean;
  #isStuck = false;
  /** The effective limit for a time limit, both in milliseconds. */
  readonly limit: (milliseconds: number) => number;

  constructor({ keepsAlive = true, hasNoTimeouts, stopsWhenStuck = false }: DeadlineOptions = {}) {
    this.#keepsAlive = keepsAlive;
    this.#stopsWhenStuck = stopsWhenStuck;
    this.limit = createTimeoutPolicy(hasNoTimeouts);
  }

  /** Whether the run must stop, since something continues after its time limit and its grace period. */
  get isStuck(): boolean {
    return this.#isStuck;
  }

  /** Reports that something continues after its time limit and its grace period. */
  reportStuck(): void {
    this.#isStuck = this.#stopsWhenStuck;
  }

  add(watched: Watched): void {
    this.#watched.add(watched);
    if (watched.deadline < this.#wake) this.#arm(watched.deadline);
  }

  remove(watched: Watched): void {
    this.#watched.delete(watched);
  }

  /** Interrupts running bodies and setups. `urgent`: without the grace period. */
  interrupt(urgent: boolean): void {
    for (const watched of [...this.#watched]) watched.interrupt?.(urgent);
  }

  stop(): void {
    if (this.#timer !== undefined) stopTimer(this.#timer);
    this.#timer = undefined;
    this.#wake = Number.POSITIVE_INFINITY;
  }

  #arm(at: number): void {
    this.stop();
    this.#wake = at;
    this.#timer = startTimer(() => this.check(), Math.max(1, Math.ceil(at - now())));
    if (!this.#keepsAlive) (this.#timer as { unref?: () => void }).unref?.();
  }

  check(): void {
    restoreBuiltIns();
    this.#timer = undefined;
    this.#wake = Number.POSITIVE_INFINITY;
    const time = now();
    let next = Number.POSITIVE_INFINITY;
    for (const watched of [...this.#watched]) {
      if (watched.deadline <= time) {
        this.#watched.delete(watched);
        watched.expire();
      } else next = Math.min(next, watched.deadline);
    }
    if (next < this.#wake) this.#arm(next);
  }
}

export const DEADLINE_GRACE_MS = 1000;

/** The limit of an operation. */
export interface Limited {
  readonly milliseconds: number;
  /** Called at the deadline, or when the run is interrupted. */
  abort(interrupted: boolean): void;
  /** Whether an interruption ends the wait. True for bodies and setups. */
  readonly isInterruptible: boolean;
  /** Called first when the promise settles. */
  settled(): void;
}

export interface DeadlineResult<T> {
  readonly end: 'settled' | 'overdue' | 'interrupted';
  readonly value?: T;
}

/** Waits for a promise up to a limit. Then, or when the run is interrupted, calls `abort` and waits up to a second longer. */
export function runWithin<T>(
  watch: DeadlineTimer,
  promise: PromiseLike<T>,
  { milliseconds, abort, isInterruptible, settled }: Limited,
): Promise<DeadlineResult<T>> {
  return makePromise((resolve, reject) => {
    let watched: Watched;
    const turnTo = (next: Watched): void => {
      if (watched) watch.remove(watched);
      watched = next;
      watch.add(next);
    };
    const done = (): void => watch.remove(watched);
    const giveUp = (end: 'overdue' | 'interrupted'): void => {
      done();
      resolve({ end });
    };
    const inGrace = (end: 'overdue' | 'interrupted'): Watched => ({
      deadline: now() + DEADLINE_GRACE_MS,
      expire: () => giveUp(end),
      ...(isInterruptible && { interrupt: (urgent: boolean) => urgent && giveUp('interrupted') }),
    });
    turnTo({
      deadline: now() + milliseconds,
      expire() {
        abort(false);
        turnTo(inGrace('overdue'));
      },
      ...(isInterruptible && {
        interrupt(urgent: boolean) {
          abort(true);
          if (urgent) giveUp('interrupted');
          else turnTo(inGrace('interrupted'));
        },
      }),
    });
    void after(
      toPromise(promise),
      (value) => {
        settled();
        done();
        resolve({ end: 'settled', value });
      },
      (error) => {
        settled();
        done();
        reject(error);
      },
    );
  });
}
