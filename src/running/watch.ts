import { now, startTimer, stopTimer, type Timer } from './originals.ts';

/** Something that must be over by a time. */
export interface Watched {
  readonly deadline: number;
  expire(): void;
}

/** Milliseconds, some eleven days: more than anything takes, and no more than timers take. */
const forever = 1e9;

/** How long something may take that is given so many milliseconds; `untimed`: as long as it likes. */
export const limits = (untimed = false): ((milliseconds: number) => number) => (untimed ? () => forever : (milliseconds) => milliseconds);

/** Watches many deadlines with one timer: a timer for each case would cost more than most cases. */
export class Watch {
  readonly #watched = new Set<Watched>();
  readonly #keepsAlive: boolean;
  #timer: Timer | undefined;
  #wake = Number.POSITIVE_INFINITY;

  /** One that does not keep its process alive is for processes that something else keeps. */
  constructor(keepsAlive = true) {
    this.#keepsAlive = keepsAlive;
  }

  add(watched: Watched): void {
    this.#watched.add(watched);
    if (watched.deadline < this.#wake) this.#arm(watched.deadline);
  }

  remove(watched: Watched): void {
    this.#watched.delete(watched);
  }

  stop(): void {
    if (this.#timer !== undefined) stopTimer(this.#timer);
    this.#timer = undefined;
    this.#wake = Number.POSITIVE_INFINITY;
  }

  #arm(at: number): void {
    this.stop();
    this.#wake = at;
    this.#timer = startTimer(() => this.#look(), Math.max(1, Math.ceil(at - now())));
    if (!this.#keepsAlive) (this.#timer as { unref?: () => void }).unref?.();
  }

  #look(): void {
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

export const grace = 1000;

/** A promise's outcome, or that it is overdue: `abort` at the deadline, and a grace of a second to react. */
export function within<T>(watch: Watch, promise: PromiseLike<T>, milliseconds: number, abort: () => void): Promise<{ overdue: boolean; value?: T }> {
  return new Promise((resolve, reject) => {
    const last: Watched = { deadline: now() + milliseconds + grace, expire: () => resolve({ overdue: true }) };
    const first: Watched = {
      deadline: now() + milliseconds,
      expire() {
        abort();
        watch.add(last);
      },
    };
    watch.add(first);
    const done = (): void => {
      watch.remove(first);
      watch.remove(last);
    };
    promise.then(
      (value) => {
        done();
        resolve({ overdue: false, value });
      },
      (error: unknown) => {
        done();
        reject(error);
      },
    );
  });
}
