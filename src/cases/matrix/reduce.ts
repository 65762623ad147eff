import type { Random } from '../random.ts';
import type { Axes } from './axes.ts';
import type { Constraints } from './constraints.ts';
import type { Wanted } from './cover.ts';
import { subsets } from './coverage.ts';

/** One set of axes whose combinations are owed: where they begin in the counts, and how far apart the levels of each axis are. */
interface AxisSet {
  readonly axes: Int32Array;
  readonly strides: Int32Array;
  readonly offset: number;
}

/** What is to be reduced, and what must stay. */
export interface Reduction {
  readonly axes: Axes;
  readonly wanted: readonly Wanted[];
  readonly isOwed: (set: readonly number[], levels: readonly number[]) => boolean;
  readonly given: readonly (readonly number[])[];
  /** The axes that stay as they are, for the rows that begin the list. */
  readonly fixed: readonly (readonly number[])[];
  readonly constraints: Constraints;
  readonly random: Random;
}

/** So many times a combination may be looked at: work, not time, so that the same seed gives the same rows on any machine. */
export const budgets = { quick: 6_000_000, thorough: 300_000_000 } as const;
/** A small model needs less: so much for each of its combinations. */
const shares = { quick: 8_000, thorough: 200_000 } as const;
/** What a step costs besides looking at combinations. */
const stepWork = 30;

/** How readily a change for the worse is taken, and for how many steps a cell that was changed rests. */
const temperature = 0.7;
const rest = 10;
const randomChange = 0.002;

/**
 * Takes rows away for as long as what they covered can be covered by the others.
 *
 * The row that holds the fewest combinations covered only once goes; then a damped tabu search repairs what is open: of the
 * rows that lack a random open combination by one cell, the change that loses least is made, a worse one with probability
 * exp(-loss / T) (simulated annealing: Kirkpatrick, Gelatt and Vecchi, 1983; tabu search: F. Glover, 1986). Cells that `fixed`
 * holds stay as they are, and so do the rows that have any.
 */
export function reduceRows(task: Reduction, effort: 'quick' | 'thorough'): number[][] {
  const search = new Search(task);
  const { axes, wanted, constraints } = task;
  return search.run(Math.min(budgets[effort], shares[effort] * search.size), constraints.isFree ? leastRows(axes, wanted) : 1);
}

/** No fewer rows can do: each combination of the longest axes of a group needs one of its own. */
const leastRows = ({ counts }: Axes, wanted: readonly Wanted[]): number =>
  Math.max(
    ...wanted.map(({ axes, strength }) =>
      axes
        .map((axis) => counts[axis] as number)
        .sort((a, b) => b - a)
        .slice(0, strength)
        .reduce((product, count) => product * count, 1),
    ),
  );

class Search {
  readonly #sets: AxisSet[] = [];
  /** For each axis, the sets that hold it and its place in each. */
  readonly #setsOf: { readonly set: AxisSet; readonly place: number }[][];
  readonly #setOf: Int32Array;
  readonly #counts: Int32Array;
  readonly #open: number[] = [];
  readonly #placeInOpen: Int32Array;
  readonly #rows: number[][];
  readonly #fixed: readonly (readonly number[])[];
  readonly #constraints: Constraints;
  readonly #levels: readonly number[];
  readonly #random: Random;
  #work = 0;

  constructor({ axes, wanted, isOwed, given, fixed, constraints, random }: Reduction) {
    let total = 0;
    for (const { axes: group, strength } of wanted) {
      for (const places of subsets(group.length, strength)) {
        const set = places.map((place) => group[place] as number);
        const strides = new Int32Array(set.length);
        let size = 1;
        for (let i = set.length - 1; i >= 0; i--) {
          strides[i] = size;
          size *= axes.counts[set[i] as number] as number;
        }
        this.#sets.push({ axes: Int32Array.from(set), strides, offset: total });
        total += size;
      }
    }
    this.#levels = axes.counts;
    this.#setsOf = axes.counts.map((_, axis) => this.#sets.flatMap((set) => (set.axes.includes(axis) ? [{ set, place: set.axes.indexOf(axis) }] : [])));
    this.#setOf = new Int32Array(total);
    this.#counts = new Int32Array(total);
    this.#placeInOpen = new Int32Array(total).fill(-1);
    this.#sets.forEach((set, number) => {
      const end = this.#sets[number + 1]?.offset ?? total;
      for (let index = set.offset; index < end; index++) {
        this.#setOf[index] = number;
        // What is not owed counts as covered many times over.
        if (!isOwed([...set.axes], this.#levelsOf(index, set))) this.#counts[index] = 1_000_000;
      }
    });
    this.#rows = given.map((row) => [...row]);
    this.#fixed = fixed;
    this.#constraints = constraints;
    this.#random = random;
    for (const row of this.#rows) this.#count(row, 1);
  }

  /** How many combinations there are. */
  get size(): number {
    return this.#counts.length;
  }

  run(budget: number, least: number): number[][] {
    let best = this.#rows.map((row) => [...row]);
    const resting = new Map<number, number>();
    for (let step = 0; this.#work < budget; step++, this.#work += stepWork) {
      if (this.#open.length === 0) {
        best = this.#rows.map((row) => [...row]);
        if (best.length <= least || !this.#removeRow()) break;
        resting.clear();
      } else this.#repair(step, resting);
    }
    return best;
  }

  #levelsOf(index: number, { axes, strides, offset }: AxisSet): number[] {
    const code = index - offset;
    return [...axes].map((axis, i) => Math.floor(code / (strides[i] as number)) % (this.#levels[axis] as number));
  }

  #count(row: readonly number[], by: 1 | -1): void {
    for (const { axes, strides, offset } of this.#sets) {
      let index = offset;
      for (let i = 0; i < axes.length; i++) index += (row[axes[i] as number] as number) * (strides[i] as number);
      this.#add(index, by);
    }
    this.#work += this.#sets.length;
  }

  #add(index: number, by: 1 | -1): void {
    const count = (this.#counts[index] as number) + by;
    this.#counts[index] = count;
    if (count === 0) {
      this.#placeInOpen[index] = this.#open.length;
      this.#open.push(index);
    } else if (count === 1 && by === 1 && (this.#placeInOpen[index] as number) >= 0) {
      const place = this.#placeInOpen[index] as number;
      const last = this.#open.pop() as number;
      if (last !== index) {
        this.#open[place] = last;
        this.#placeInOpen[last] = place;
      }
      this.#placeInOpen[index] = -1;
    }
  }

  /** Takes the row away of which least depends; false where none may go. */
  #removeRow(): boolean {
    let least = Number.POSITIVE_INFINITY;
    let which = -1;
    this.#rows.forEach((row, number) => {
      if ((this.#fixed[number]?.length ?? 0) > 0) return;
      let single = 0;
      for (const { axes, strides, offset } of this.#sets) {
        let index = offset;
        for (let i = 0; i < axes.length; i++) index += (row[axes[i] as number] as number) * (strides[i] as number);
        if (this.#counts[index] === 1) single++;
      }
      this.#work += this.#sets.length;
      if (single < least) [least, which] = [single, number];
    });
    if (which < 0 || this.#rows.length <= 1) return false;
    // Fixed rows stand first, so that the numbers of the others do not matter.
    const [gone] = this.#rows.splice(which, 1);
    this.#count(gone as number[], -1);
    return true;
  }

  /** How many more combinations would be open after a change of one cell. */
  #loss(row: readonly number[], axis: number, level: number): number {
    let loss = 0;
    const sets = this.#setsOf[axis] as { set: AxisSet; place: number }[];
    const old = row[axis] as number;
    for (const { set, place } of sets) {
      const { axes, strides, offset } = set;
      let index = offset;
      for (let i = 0; i < axes.length; i++) index += (row[axes[i] as number] as number) * (strides[i] as number);
      if (this.#counts[index] === 1) loss++;
      if (this.#counts[index + (level - old) * (strides[place] as number)] === 0) loss--;
    }
    this.#work += sets.length;
    return loss;
  }

  #change(row: number[], axis: number, level: number): void {
    const sets = this.#setsOf[axis] as { set: AxisSet; place: number }[];
    const old = row[axis] as number;
    for (const { set, place } of sets) {
      const { axes, strides, offset } = set;
      let index = offset;
      for (let i = 0; i < axes.length; i++) index += (row[axes[i] as number] as number) * (strides[i] as number);
      this.#add(index, -1);
      this.#add(index + (level - old) * (strides[place] as number), 1);
    }
    this.#work += sets.length * 2;
    row[axis] = level;
  }

  #mayChange(number: number, axis: number, level: number): boolean {
    if (this.#fixed[number]?.includes(axis)) return false;
    if (this.#constraints.isFree) return true;
    const row = this.#rows[number] as number[];
    const old = row[axis] as number;
    row[axis] = level;
    const breaks = this.#constraints.breaksAt(row, axis);
    row[axis] = old;
    return !breaks;
  }

  #repair(step: number, resting: Map<number, number>): void {
    const random = this.#random;
    if (random.real(0, 1) < randomChange) {
      const number = random.integer(0, this.#rows.length - 1);
      const axis = random.integer(0, this.#levels.length - 1);
      const level = random.integer(0, (this.#levels[axis] as number) - 1);
      if (level !== this.#rows[number]?.[axis] && this.#mayChange(number, axis, level)) this.#change(this.#rows[number] as number[], axis, level);
      return;
    }
    const index = this.#open[random.integer(0, this.#open.length - 1)] as number;
    const set = this.#sets[this.#setOf[index] as number] as AxisSet;
    const levels = this.#levelsOf(index, set);
    let best: { number: number; axis: number; level: number; loss: number } | undefined;
    let ties = 0;
    this.#rows.forEach((row, number) => {
      let lacking = -1;
      for (let i = 0; i < levels.length; i++) {
        if (row[set.axes[i] as number] === levels[i]) continue;
        if (lacking >= 0) return;
        lacking = i;
      }
      const axis = set.axes[lacking] as number;
      const level = levels[lacking] as number;
      if ((resting.get(number * this.#levels.length + axis) ?? -1) > step || !this.#mayChange(number, axis, level)) return;
      const loss = this.#loss(row, axis, level);
      if (!best || loss < best.loss) {
        best = { number, axis, level, loss };
        ties = 1;
      } else if (loss === best.loss && random.integer(0, ties++) === 0) best = { number, axis, level, loss };
    });
    this.#work += this.#rows.length;
    if (!best) this.#force(set, levels);
    else if (best.loss <= 0 || random.real(0, 1) < Math.exp(-best.loss / temperature)) {
      this.#change(this.#rows[best.number] as number[], best.axis, best.level);
      resting.set(best.number * this.#levels.length + best.axis, step + rest);
    }
  }

  /** No row lacks the combination by one cell: some row is given all of it. */
  #force(set: AxisSet, levels: readonly number[]): void {
    const number = this.#random.integer(0, this.#rows.length - 1);
    const row = this.#rows[number] as number[];
    const before = [...row];
    for (let i = 0; i < levels.length; i++) {
      const axis = set.axes[i] as number;
      if (row[axis] !== levels[i] && !this.#fixed[number]?.includes(axis)) this.#change(row, axis, levels[i] as number);
    }
    if (this.#constraints.isFree || !this.#constraints.breaks(row)) return;
    before.forEach((level, axis) => {
      if (row[axis] !== level) this.#change(row, axis, level);
    });
  }
}
