import type { Observation } from './search-space.ts';

/** The maximum number of values in one combination. Larger ones are found by bisection. */
const MAX_SIZE = 3;
/** With more columns, only combinations of up to two values are considered. */
const MAX_COLUMNS_OF_TRIPLES = 30;
/** The factor for a combination when a row fails without it: another cause can have failed there. */
const WITHOUT_IT = 0.03;
/** The factor for a combination for each other failing row that has it. */
const SHARED = 4;

export interface Hypothesis {
  /** Columns. The combination is the values that the failing row has in them. */
  readonly columns: readonly number[];
  weight: number;
}

/**
 * The combinations of values of one failing row that can be the cause of its failure, with weights that add up to one. Combinations of
 * each size are equally likely together; what a passing row contains is ruled out (C. Nie, H. Leung, 2011).
 */
export class Hypotheses {
  readonly #row: Int32Array;
  #all: Hypothesis[] = [];

  constructor(failing: Observation, observations: readonly Observation[]) {
    this.#row = failing.codes;
    const columns = failing.codes.length;
    const largest = columns > MAX_COLUMNS_OF_TRIPLES ? 2 : MAX_SIZE;
    for (let size = 1; size <= Math.min(largest, columns); size++) {
      const combinations = [...choose(columns, size)];
      for (const one of combinations) this.#all.push({ columns: one, weight: 1 / combinations.length });
    }
    const others = observations.filter((other) => other !== failing);
    for (const { codes, failed } of others) if (!failed) this.#rule((hypothesis) => (this.isIn(hypothesis.columns, codes) ? 0 : 1));
    for (const { codes, failed } of others) if (failed) this.#rule((hypothesis) => (this.isIn(hypothesis.columns, codes) ? SHARED : 1));
    this.#normalize();
  }

  get size(): number {
    return this.#all.length;
  }

  get isEmpty(): boolean {
    return this.#all.length === 0;
  }

  /** The likeliest combination. Its weight is its share of all weights. */
  get best(): Hypothesis {
    return this.#all.reduce((a, b) => (b.weight > a.weight ? b : a));
  }

  /** The weight of all combinations within some columns. */
  sumWeights(kept: Uint8Array): number {
    let weight = 0;
    for (const one of this.#all) if (one.columns.every((column) => kept[column])) weight += one.weight;
    return weight;
  }

  /** Whether a row has the values that the failing row has in some columns. */
  isIn(columns: readonly number[], codes: Int32Array): boolean {
    return columns.every((column) => codes[column] === this.#row[column]);
  }

  learn({ codes, failed }: Observation): void {
    this.#rule(({ columns }) => (this.isIn(columns, codes) === failed ? 1 : failed ? WITHOUT_IT : 0));
    this.#normalize();
  }

  #rule(factor: (hypothesis: Hypothesis) => number): void {
    for (const one of this.#all) one.weight *= factor(one);
    this.#all = this.#all.filter(({ weight }) => weight > 0);
  }

  #normalize(): void {
    const sum = this.#all.reduce((total, { weight }) => total + weight, 0);
    for (const one of this.#all) one.weight /= sum;
  }
}

/** All sets of `size` columns. */
function* choose(columns: number, size: number, from = 0): Generator<number[]> {
  if (size === 0) yield [];
  for (let first = from; size > 0 && first < columns; first++) for (const rest of choose(columns, size - 1, first + 1)) yield [first, ...rest];
}
