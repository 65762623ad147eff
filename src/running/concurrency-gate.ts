/** What a case allows beside it: how many at once, and which things it must have for itself. */
export interface ResourceRequest {
  readonly concurrency: number;
  readonly locks: readonly string[];
}

/** A lock that is held against every other case of a lane. */
export const EXCLUSIVE_LOCK = '*';

/** Which cases of a lane may be under way together. */
export class ConcurrencyGate {
  readonly #active = new Set<ResourceRequest>();
  #ended: Promise<void> | undefined;
  #wake: () => void = () => undefined;

  get isIdle(): boolean {
    return this.#active.size === 0;
  }

  /** Settles when a case may begin, and has let it in by then; gives what to call when it has ended. */
  async acquire({ concurrency, locks }: ResourceRequest): Promise<() => void> {
    const demand = { concurrency, locks };
    while (!this.#admits(demand)) await this.#nextEnd();
    this.#active.add(demand);
    return () => {
      this.#active.delete(demand);
      this.#ended = undefined;
      this.#wake();
    };
  }

  #nextEnd(): Promise<void> {
    this.#ended ??= new Promise((resolve) => {
      this.#wake = resolve;
    });
    return this.#ended;
  }

  /** As few are under way as this one and all of those allow, and none holds what another wants. */
  #admits({ concurrency, locks }: ResourceRequest): boolean {
    if (this.#active.size === 0) return true;
    const others = [...this.#active];
    if (others.length >= Math.min(concurrency, ...others.map((other) => other.concurrency))) return false;
    if (locks.includes(EXCLUSIVE_LOCK)) return false;
    return others.every((other) => !other.locks.includes(EXCLUSIVE_LOCK) && !other.locks.some((lock) => locks.includes(lock)));
  }
}
