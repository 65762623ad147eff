import type { Random } from '../random.ts';
import type { Combinations } from './combinations.ts';
import type { Constraints } from './constraints.ts';

/** What to reduce, and what must stay. */
export interface Reduction {
  readonly levels: readonly number[];
  /** All of `rows` are counted, and nothing is uncovered. */
  readonly combinations: Combinations;
  readonly rows: readonly (readonly number[])[];
  /** The fixed axes of the first rows of the list. */
  readonly fixed: readonly (readonly number[])[];
  readonly constraints: Constraints | undefined;
  readonly random: Random;
  /** A lower bound on the number of rows. */
  readonly least: number;
  /** How readily a change for the worse is accepted, and for how many steps a changed cell rests. The default is best for most problems. */
  readonly temperature?: { readonly temperature: number; readonly rest: number } | undefined;
}

/** The cost of a step besides examining combinations. */
export const STEP_WORK = 30;

const DEFAULT_TEMPERATURE = { temperature: 0.7, rest: 10 };
const RANDOM_CHANGE_PROBABILITY = 0.002;

/**
 * Removes rows as long as the others can cover what these covered, within a budget of examined combinations.
 *
 * The row with the fewest combinations that only it covers is removed. Then a damped tabu search covers what is uncovered: of the rows that
 * lack a random uncovered combination by one cell, the change that loses least is made, and a worse one with probability exp(-loss / T)
 * (simulated annealing: Kirkpatrick, Gelatt and Vecchi, 1983; tabu search: F. Glover, 1986). Cells in `fixed` stay, and so do the rows that
 * have any.
 */
export function reduceRows(task: Reduction, budget: number): number[][] {
  const { combinations, least } = task;
  const search = new RowReducer(task);
  const end = combinations.work + budget;
  let best = search.copy();
  for (let step = 0; combinations.work < end; step++, combinations.work += STEP_WORK) {
    if (combinations.uncoveredCount > 0) search.repair(step);
    else {
      best = search.copy();
      if (best.length <= least || !search.removeRow()) break;
    }
  }
  return best;
}

/** Removes rows and repairs coverage step by step. */
export class RowReducer {
  readonly #combinations: Combinations;
  readonly #rows: number[][];
  readonly #fixed: readonly (readonly number[])[];
  readonly #constraints: Constraints | undefined;
  readonly #levels: readonly number[];
  readonly #random: Random;
  readonly #temperature: NonNullable<Reduction['temperature']>;
  /** The step until which a cell rests, by its row and axis. */
  readonly #tabuUntil: Int32Array;

  constructor({ levels, combinations, rows, fixed, constraints, random, temperature = DEFAULT_TEMPERATURE }: Reduction) {
    this.#levels = levels;
    this.#combinations = combinations;
    this.#rows = rows.map((row) => [...row]);
    this.#fixed = fixed;
    this.#constraints = constraints?.isFree ? undefined : constraints;
    this.#random = random;
    this.#temperature = temperature;
    this.#tabuUntil = new Int32Array(rows.length * levels.length).fill(-1);
  }

  copy(): number[][] {
    return this.#rows.map((row) => [...row]);
  }

  /** Removes the row that covers least alone. Returns false if no row can be removed. */
  removeRow(): boolean {
    let least = Number.POSITIVE_INFINITY;
    let which = -1;
    for (const [number, row] of this.#rows.entries()) {
      if ((this.#fixed[number]?.length ?? 0) > 0) continue;
      const uniquelyCovered = this.#combinations.countUniquelyCovered(row, least);
      if (uniquelyCovered < least) [least, which] = [uniquelyCovered, number];
    }
    if (which < 0 || this.#rows.length <= 1) return false;
    // Fixed rows come first, so that the numbers of the others do not matter.
    const [removed] = this.#rows.splice(which, 1);
    this.#combinations.count(removed as number[], -1);
    this.#tabuUntil.fill(-1);
    return true;
  }

  /** One step of covering what is uncovered. */
  repair(step: number): void {
    const random = this.#random;
    const combinations = this.#combinations;
    if (random.real(0, 1) < RANDOM_CHANGE_PROBABILITY) {
      const number = random.integer(0, this.#rows.length - 1);
      const axis = random.integer(0, this.#levels.length - 1);
      const level = random.integer(0, (this.#levels[axis] as number) - 1);
      if (level !== this.#rows[number]?.[axis] && this.#mayChange(number, axis, level)) combinations.change(this.#rows[number] as number[], axis, level);
      return;
    }
    const { axes, ways } = combinations.countAssignments(combinations.getUncovered(random.integer(0, combinations.uncoveredCount - 1)));
    let best: { number: number; axis: number; level: number; loss: number } | undefined;
    let ties = 0;
    const width = this.#levels.length;
    for (let number = 0; number < this.#rows.length; number++) {
      const row = this.#rows[number] as number[];
      for (let way = 0; way < ways.length; way++) {
        const levels = ways[way] as readonly number[];
        const missing = findSingleMissing(row, axes, levels);
        if (missing < 0) continue;
        const axis = axes[missing] as number;
        const level = levels[missing] as number;
        if ((this.#tabuUntil[number * width + axis] as number) > step || !this.#mayChange(number, axis, level)) continue;
        const loss = combinations.coverageLoss(row, axis, level, best?.loss);
        if (!best || loss < best.loss) {
          best = { number, axis, level, loss };
          ties = 1;
        } else if (loss === best.loss && random.integer(0, ties++) === 0) best = { number, axis, level, loss };
      }
    }
    combinations.work += this.#rows.length * ways.length;
    if (!best) this.#force(axes, random.pick(ways));
    else if (best.loss <= 0 || random.real(0, 1) < Math.exp(-best.loss / this.#temperature.temperature)) {
      combinations.change(this.#rows[best.number] as number[], best.axis, best.level);
      this.#tabuUntil[best.number * width + best.axis] = step + this.#temperature.rest;
    }
  }

  #mayChange(number: number, axis: number, level: number): boolean {
    if (this.#fixed[number]?.includes(axis)) return false;
    if (!this.#constraints) return true;
    const row = this.#rows[number] as number[];
    const old = row[axis] as number;
    row[axis] = level;
    const isViolated = this.#constraints.violatesAt(row, axis);
    row[axis] = old;
    return !isViolated;
  }

  /** If no row lacks the combination by one cell, some row gets all of it. */
  #force(axes: readonly number[], levels: readonly number[]): void {
    const number = this.#random.integer(0, this.#rows.length - 1);
    const row = this.#rows[number] as number[];
    const before = [...row];
    for (const [i, axis] of axes.entries()) {
      if (row[axis] !== levels[i] && !this.#fixed[number]?.includes(axis)) this.#combinations.change(row, axis, levels[i] as number);
    }
    if (!this.#constraints?.violates(row)) return;
    before.forEach((level, axis) => {
      if (row[axis] !== level) this.#combinations.change(row, axis, level);
    });
  }
}

/** The only axis on which a row lacks a combination; -1 if there are several or none. */
function findSingleMissing(row: readonly number[], axes: readonly number[], levels: readonly number[]): number {
  let missing = -1;
  for (let i = 0; i < axes.length; i++) {
    if (row[axes[i] as number] === levels[i]) continue;
    if (missing >= 0) return -1;
    missing = i;
  }
  return missing;
}
