import type { Random } from '../../cases/random.ts';
import type { Hypotheses } from './hypotheses.ts';
import type { KnownValue, Observation, SearchSpace } from './search-space.ts';

/** The maximum number of sets of columns that are compared before one is chosen. */
const MAX_SETS = 24;
/** The maximum number of ways that are tried to fill the other columns. */
const MAX_FILLINGS = 24;

/** Chooses rows that keep some values of a failing row, and have other values in all other columns. */
export class ProbeChooser {
  readonly #space: SearchSpace;
  readonly #row: Observation;
  readonly #hypotheses: Hypotheses;
  readonly #random: Random;
  readonly #isExplained: (codes: Int32Array) => boolean;
  /** Rows that were chosen, including those that the source refused. */
  readonly #chosen = new Set<string>();

  /** `isExplained`: whether a known cause makes a row fail. */
  constructor(space: SearchSpace, row: Observation, hypotheses: Hypotheses, random: Random, isExplained: (codes: Int32Array) => boolean) {
    this.#space = space;
    this.#row = row;
    this.#hypotheses = hypotheses;
    this.#random = random;
    this.#isExplained = isExplained;
    for (const { codes } of space.observations) this.#chosen.add(codes.join());
  }

  /** A row whose result halves the remaining combinations. */
  chooseHalving(): Int32Array | undefined {
    let best: { readonly codes: Int32Array; readonly distance: number } | undefined;
    for (let i = 0; i < MAX_SETS; i++) {
      const codes = this.#fill(this.#chooseHalf());
      if (!codes) continue;
      const distance = Math.abs(this.#hypotheses.sumWeights(this.#kept(codes)) - 0.5);
      if (!best || distance < best.distance) best = { codes, distance };
    }
    if (best) this.#chosen.add(best.codes.join());
    return best?.codes;
  }

  /** A row that keeps exactly these values. */
  chooseKeeping(columns: readonly number[]): Int32Array | undefined {
    const kept = new Uint8Array(this.#row.codes.length);
    for (const column of columns) kept[column] = 1;
    const codes = this.#fill(kept);
    if (codes) this.#chosen.add(codes.join());
    return codes;
  }

  /** Columns in a random order, until their combinations are half as likely as all. */
  #chooseHalf(): Uint8Array {
    const kept = new Uint8Array(this.#row.codes.length);
    let before = 0;
    for (const column of this.#random.shuffle([...kept.keys()])) {
      kept[column] = 1;
      const weight = this.#hypotheses.sumWeights(kept);
      if (weight < 0.5) {
        before = weight;
        continue;
      }
      if (0.5 - before < weight - 0.5) kept[column] = 0;
      else return kept;
    }
    return kept;
  }

  #kept(codes: Int32Array): Uint8Array {
    return Uint8Array.from(codes, (code, column) => (code === this.#row.codes[column] ? 1 : 0));
  }

  /** Fills the columns that are not kept with values of a passing row, or with others where the values are equal. */
  #fill(kept: Uint8Array): Int32Array | undefined {
    const passing = this.#space.observations.filter(({ failed }) => !failed);
    for (let i = 0; i < MAX_FILLINGS; i++) {
      const donor = passing.length > 0 ? (passing[this.#random.integer(0, passing.length - 1)] as Observation) : undefined;
      const codes = Int32Array.from(this.#row.codes, (code, column) => {
        if (kept[column]) return code;
        const given = donor?.codes[column];
        return given !== undefined && given !== code && this.#isAvailable(column, given) ? given : this.#chooseOtherValue(column, code);
      });
      if (!this.#chosen.has(codes.join()) && !this.#isExplained(codes)) return codes;
    }
    return undefined;
  }

  #isAvailable(column: number, code: number): boolean {
    return this.#space.values[column]?.[code]?.ordinal !== undefined;
  }

  /** Another value of a column: one that a passing row has, if possible. */
  #chooseOtherValue(column: number, code: number): number {
    const values = this.#space.values[column] as readonly KnownValue[];
    const others = [...values.keys()].filter((other) => other !== code && this.#isAvailable(column, other));
    const inPassing = others.filter((other) => values[other]?.isInPassingRow);
    const from = inPassing.length > 0 ? inPassing : others;
    return from.length > 0 ? (from[this.#random.integer(0, from.length - 1)] as number) : code;
  }
}
