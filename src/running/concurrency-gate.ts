/** The concurrency that a case allows, and the locks that it needs. */
export interface ResourceRequest {
  readonly concurrency: number;
  readonly locks: readonly string[];
}

/** A lock that excludes every other case of a lane. */
export const EXCLUSIVE_LOCK = '*';

/** Decides which cases of a lane can run at the same time. */
export class ConcurrencyGate {
  readonly #active = new Set<ResourceRequest>();
  #ended: Promise<void> | undefined;
  #wake: () => void = () => undefined;

  get isIdle(): boolean {
    return this.#active.size === 0;
  }

  /** Waits until a case can run, and admits it. Resolves to a function to call when the case has ended. */
  async acquire({ concurrency, locks }: ResourceRequest): Promise<() => void> {
    const demand = { concurrency, locks };
    while (!this.#admits(demand)) await this.#waitForNextEnd();
    this.#active.add(demand);
    return () => {
      this.#active.delete(demand);
      this.#ended = undefined;
      this.#wake();
    };
  }

  #waitForNextEnd(): Promise<void> {
    this.#ended ??= new Promise((resolve) => {
      this.#wake = resolve;
    });
    return this.#ended;
  }

  /** Whether a case can run now: neither its limit nor that of a running case is exceeded, and its locks are free. */
  #admits({ concurrency, locks }: ResourceRequest): boolean {
    if (this.#active.size === 0) return true;
    const others = [...this.#active];
    if (others.length >= Math.min(concurrency, ...others.map((other) => other.concurrency))) return false;
    if (locks.includes(EXCLUSIVE_LOCK)) return false;
    return others.every((other) => !other.locks.includes(EXCLUSIVE_LOCK) && !other.locks.some((lock) => locks.includes(lock)));
  }
}
