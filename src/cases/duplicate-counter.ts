import { IdentityCounter, type RowIdentity } from './identity.ts';
import { RisingKeyDetector } from './rising-keys.ts';

/** Counts cases with equal names. Stores names only if the rows do not prove that they differ. */
export class DuplicateCounter {
  readonly #identities = new IdentityCounter();
  readonly #replay: (() => AsyncIterable<readonly RowIdentity[]>) | undefined;
  #rising: RisingKeyDetector | undefined;
  #count = 0;

  /** `replay` yields all cases again from the first. Without it, all names are stored. */
  constructor(replay: (() => AsyncIterable<readonly RowIdentity[]>) | undefined) {
    this.#replay = replay;
    this.#rising = replay && new RisingKeyDetector();
  }

  /** For each of the next cases: 1 if its name is new, 2 for its first duplicate, and so on. Undefined if all are new. */
  async countDuplicate(cases: readonly RowIdentity[]): Promise<readonly number[] | undefined> {
    if (this.#rising && !this.#rising.isStillRising(cases)) {
      this.#rising = undefined;
      await this.#remember();
    }
    this.#count += cases.length;
    return this.#rising ? undefined : this.#identities.add(cases);
  }

  /** Stores the names of all earlier cases. */
  async #remember(): Promise<void> {
    let left = this.#count;
    if (left === 0 || !this.#replay) return;
    for await (const cases of this.#replay()) {
      this.#identities.add(cases.slice(0, left));
      left -= cases.length;
      if (left <= 0) return;
    }
  }
}
