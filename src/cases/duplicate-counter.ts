import { IdentityCounter, type RowIdentity } from './identity.ts';
import { RisingKeyDetector } from './rising-keys.ts';

/** Counts cases with equal names. Stores names only if the rows do not prove that they differ. */
export class DuplicateCounter {
  readonly #identities = new IdentityCounter();
  readonly #again: (() => AsyncIterable<readonly RowIdentity[]>) | undefined;
  #rising: RisingKeyDetector | undefined;
  #count = 0;

  /** `again` gives all cases anew, those before among them; without it all names are remembered from the first. */
  constructor(again: (() => AsyncIterable<readonly RowIdentity[]>) | undefined) {
    this.#again = again;
    this.#rising = again && new RisingKeyDetector();
  }

  /** For each of the next cases 1 where its name is new, 2 where it is the first twin of another, and so on; undefined where all are new. */
  async countDuplicate(cases: readonly RowIdentity[]): Promise<readonly number[] | undefined> {
    if (this.#rising && !this.#rising.isStillRising(cases)) {
      this.#rising = undefined;
      await this.#remember();
    }
    this.#count += cases.length;
    return this.#rising ? undefined : this.#identities.add(cases);
  }

  /** Takes in the names of those before. */
  async #remember(): Promise<void> {
    let left = this.#count;
    if (left === 0 || !this.#again) return;
    for await (const cases of this.#again()) {
      this.#identities.add(cases.slice(0, left));
      left -= cases.length;
      if (left <= 0) return;
    }
  }
}
