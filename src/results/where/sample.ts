import type { Random } from '../../cases/random.ts';
import { createRandom } from '../../cases/random.ts';
import type { Sample } from './causes.ts';

/** The maximum number of failing and passing rows of a test that are kept. */
const MAX_FAILING_ROWS = 2_000;
const MAX_PASSING_ROWS = 4_000;

type Row = Readonly<Record<string, unknown>>;

/** A uniform sample of a fixed size (J. S. Vitter, "Random sampling with a reservoir", 1985, algorithm R). */
class Reservoir {
  readonly #most: number;
  readonly #random: Random;
  readonly rows: Row[] = [];
  seen = 0;

  constructor(most: number, random: Random) {
    this.#most = most;
    this.#random = random;
  }

  /** Adds a row, which is read only if it is kept. */
  take(one: { readonly row: Row }): void {
    this.seen++;
    if (this.rows.length < this.#most) this.rows.push(one.row);
    else {
      const at = this.#random.integer(0, this.seen - 1);
      if (at < this.#most) this.rows[at] = one.row;
    }
  }
}

/** A sample of the cases of one test. The same cases in the same order give the same sample. */
export class CaseSample {
  readonly #failing: Reservoir;
  readonly #passing: Reservoir;

  constructor() {
    const random = createRandom('where it fails');
    this.#failing = new Reservoir(MAX_FAILING_ROWS, random);
    this.#passing = new Reservoir(MAX_PASSING_ROWS, random);
  }

  take(one: { readonly row: Row }, failed: boolean): void {
    (failed ? this.#failing : this.#passing).take(one);
  }

  /** Whether it contains all cases. */
  get isWhole(): boolean {
    return this.#failing.seen <= MAX_FAILING_ROWS && this.#passing.seen <= MAX_PASSING_ROWS;
  }

  get rows(): Sample {
    const [failing, passing] = [this.#failing, this.#passing];
    const passingWeight = (passing.seen / Math.max(1, passing.rows.length)) * (failing.rows.length / Math.max(1, failing.seen));
    return { failing: failing.rows, passing: passing.rows, passingWeight };
  }
}
