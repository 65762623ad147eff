import type { Random } from '../random.ts';
import type { Constraints } from './constraints.ts';
import type { LocatingProblem } from './locate.ts';

/** The largest number of sets of one or two combinations: each takes 16 bytes, and a million take some seconds to verify. */
export const MAX_LOCATED_SETS = 1_000_000;
/** Rows that are compared before one is kept. */
const CANDIDATES = 12;
/** Sets by which candidates are compared. */
const SAMPLE_SIZE = 6_000;

/** A level of an axis. */
interface Point {
  readonly axis: number;
  readonly level: number;
}
type Combination = readonly Point[];

/**
 * Finds further rows, so that the rows that contain one combination of up to `strength` levels, or one of two, are different for each such
 * set. If one or two combinations make rows fail, the failing rows identify them. Sets that no feasible row separates are treated as one
 * (locating arrays: C. J. Colbourn, D. W. McClary, 2008). `rows` must contain every feasible combination.
 */
export function findRowsForTwo({ counts, strength, rows, constraints, random }: LocatingProblem): readonly (readonly number[])[] {
  const sets = new CombinationSets(listCombinations(counts, strength, rows));
  for (const row of rows) sets.split(row);
  const added: number[][] = [];
  for (let pair = sets.findPair(counts, constraints, random); pair; pair = sets.findPair(counts, constraints, random)) {
    sets.takeSample(random);
    let best: { row: number[]; gain: number } | undefined;
    for (let i = 0; i < CANDIDATES; i++) {
      const row = completeAtRandom(pair, counts, constraints, random);
      const gain = sets.computeGain(row);
      if (gain > (best?.gain ?? -1)) best = { row, gain };
    }
    const { row } = best as { row: number[] };
    improve(row, pair, counts, constraints, sets, random);
    sets.split(row);
    added.push(row);
  }
  return added;
}

/** The number of sets of one or two combinations of up to `strength` levels. */
export function countSetsOfTwo(counts: readonly number[], strength: number): number {
  // The elementary symmetric sums of the numbers of levels.
  const sums = [1, ...Array.from({ length: strength }, () => 0)];
  for (const count of counts) for (let size = strength; size > 0; size--) sums[size] = (sums[size] as number) + (sums[size - 1] as number) * count;
  const combinations = sums.slice(1).reduce((sum, size) => sum + size, 0);
  return (combinations * (combinations + 1)) / 2;
}

/** The combinations of up to `strength` levels in some rows. */
function listCombinations(counts: readonly number[], strength: number, rows: readonly (readonly number[])[]): Combination[] {
  const found = new Map<string, Combination>();
  // An axis with one level separates nothing.
  const axes = [...counts.keys()].filter((axis) => (counts[axis] as number) > 1);
  for (const row of rows) {
    for (const chosen of subsetsUpTo(axes, strength)) {
      const key = chosen.map((axis) => `${axis}:${row[axis]}`).join();
      if (!found.has(key))
        found.set(
          key,
          chosen.map((axis) => ({ axis, level: row[axis] as number })),
        );
    }
  }
  return [...found.values()].sort((a, b) => a.length - b.length);
}

function* subsetsUpTo<T>(items: readonly T[], size: number, from = 0, set: readonly T[] = []): Generator<readonly T[]> {
  if (set.length > 0) yield set;
  if (set.length === size) return;
  for (let at = from; at < items.length; at++) yield* subsetsUpTo(items, size, at + 1, [...set, items[at] as T]);
}

const isIn = (row: readonly number[], combination: Combination): boolean => combination.every(({ axis, level }) => row[axis] === level);
const contains = (larger: Combination, smaller: Combination): boolean =>
  smaller.every((point) => larger.some(({ axis, level }) => axis === point.axis && level === point.level));

/** Sets of one or two combinations that no row separates yet. All sets of a class have combinations in the same rows. */
class CombinationSets {
  readonly #combinations: readonly Combination[];
  /** The combinations of each set, the same one twice if it is alone; the smaller sets first. */
  readonly #first: Int32Array;
  readonly #second: Int32Array;
  readonly #classOf: Int32Array;
  #open: Int32Array;
  #classes = 1;
  #sample: readonly number[] = [];
  #sampleSizes = new Map<number, number>();

  constructor(combinations: readonly Combination[]) {
    this.#combinations = combinations;
    const [first, second]: [number[], number[]] = [[], []];
    for (const [i, one] of combinations.entries()) {
      for (let j = i; j < combinations.length; j++) {
        // A combination adds nothing to one that it contains.
        if (j > i && contains(combinations[j] as Combination, one)) continue;
        first.push(i);
        second.push(j);
      }
    }
    this.#first = Int32Array.from(first);
    this.#second = Int32Array.from(second);
    this.#classOf = new Int32Array(first.length);
    this.#open = Int32Array.from(first.keys());
  }

  #combinationsOf(set: number): Combination[] {
    const [first, second] = [this.#first[set] as number, this.#second[set] as number];
    return (first === second ? [first] : [first, second]).map((at) => this.#combinations[at] as Combination);
  }

  #listIn(row: readonly number[]): Uint8Array {
    return Uint8Array.from(this.#combinations, (combination) => Number(isIn(row, combination)));
  }

  /** Splits each class into the sets with a combination in the row and the other sets. */
  split(row: readonly number[]): void {
    const inRow = this.#listIn(row);
    const next = new Int32Array(2 * this.#classes).fill(-1);
    const sizes: number[] = [];
    for (const set of this.#open) {
      const isMet = (inRow[this.#first[set] as number] as number) | (inRow[this.#second[set] as number] as number);
      const key = 2 * (this.#classOf[set] as number) + isMet;
      if ((next[key] as number) < 0) next[key] = sizes.push(0) - 1;
      const classNumber = next[key] as number;
      this.#classOf[set] = classNumber;
      sizes[classNumber] = (sizes[classNumber] as number) + 1;
    }
    this.#open = this.#open.filter((set) => (sizes[this.#classOf[set] as number] as number) > 1);
    this.#classes = sizes.length;
  }

  /** Finds levels with which a row separates two sets of a class. Drops the sets of a class that no feasible row separates. */
  findPair(counts: readonly number[], constraints: Constraints, random: Random): readonly number[] | undefined {
    while (this.#open.length > 0) {
      const classNumber = this.#classOf[this.#open[random.integer(0, this.#open.length - 1)] as number];
      const members = this.#open.filter((set) => this.#classOf[set] === classNumber);
      const first = members[0] as number;
      const alike = new Set<number>();
      for (const other of random.shuffle([...members.subarray(1)])) {
        const found = findSeparation(this.#combinationsOf(first), this.#combinationsOf(other), counts, constraints, random);
        if (found) {
          this.#drop(alike);
          return found;
        }
        alike.add(other);
      }
      this.#drop(alike.add(first));
    }
    return undefined;
  }

  #drop(sets: ReadonlySet<number>): void {
    if (sets.size > 0) this.#open = this.#open.filter((set) => !sets.has(set));
  }

  takeSample(random: Random): void {
    const from = this.#open;
    this.#sample = from.length <= SAMPLE_SIZE ? [...from] : Array.from({ length: SAMPLE_SIZE }, () => from[random.integer(0, from.length - 1)] as number);
    this.#sampleSizes = new Map();
    for (const set of this.#sample) {
      const classNumber = this.#classOf[set] as number;
      this.#sampleSizes.set(classNumber, (this.#sampleSizes.get(classNumber) ?? 0) + 1);
    }
  }

  /** The number of pairs of sets in the sample that a row separates. */
  computeGain(row: readonly number[]): number {
    const inRow = this.#listIn(row);
    const counts = new Map<number, number>();
    for (const set of this.#sample) {
      if (!(inRow[this.#first[set] as number] || inRow[this.#second[set] as number])) continue;
      const classNumber = this.#classOf[set] as number;
      counts.set(classNumber, (counts.get(classNumber) ?? 0) + 1);
    }
    let gain = 0;
    for (const [classNumber, count] of counts) gain += count * ((this.#sampleSizes.get(classNumber) as number) - count);
    return gain;
  }
}

/**
 * Finds levels of a feasible row that contains a combination of one set and none of the other. Returns undefined if such a row does not
 * exist.
 */
function findSeparation(one: readonly Combination[], two: readonly Combination[], counts: readonly number[], constraints: Constraints, random: Random) {
  const directions = random.integer(0, 1)
    ? ([
        [one, two],
        [two, one],
      ] as const)
    : ([
        [two, one],
        [one, two],
      ] as const);
  for (const [contained, avoided] of directions) {
    for (const combination of random.shuffle([...contained])) {
      const row = counts.map(() => -1);
      for (const { axis, level } of combination) row[axis] = level;
      const found = breakAll(row, avoided, counts, constraints, random);
      if (found) return found;
    }
  }
  return undefined;
}

/** Sets further levels, so that a row contains none of some combinations. */
function breakAll(
  row: readonly number[],
  [first, ...others]: readonly Combination[],
  counts: readonly number[],
  constraints: Constraints,
  random: Random,
): readonly number[] | undefined {
  if (constraints.isFeasible(row) === false) return undefined;
  if (!first) return row;
  for (const { axis, level } of random.shuffle([...first])) {
    const set = row[axis] as number;
    if (set >= 0 && set === level) continue;
    const levels = set >= 0 ? [set] : random.shuffle([...Array(counts[axis] as number).keys()].filter((other) => other !== level));
    for (const other of levels) {
      const found = breakAll(row.with(axis, other), others, counts, constraints, random);
      if (found) return found;
    }
  }
  return undefined;
}

function completeAtRandom(start: readonly number[], counts: readonly number[], constraints: Constraints, random: Random): number[] {
  let row = [...start];
  for (const axis of random.shuffle([...counts.keys()].filter((one) => (start[one] as number) < 0))) {
    const levels = random.shuffle([...Array(counts[axis] as number).keys()]);
    const level = levels.find((one) => constraints.isFree || constraints.isFeasible(row.with(axis, one)) !== false);
    row = row.with(axis, level ?? (levels[0] as number));
  }
  return row;
}

/** Changes one level after another if the row then separates more. */
function improve(row: number[], start: readonly number[], counts: readonly number[], constraints: Constraints, sets: CombinationSets, random: Random): void {
  let gain = sets.computeGain(row);
  for (const axis of random.shuffle([...counts.keys()].filter((one) => (start[one] as number) < 0))) {
    const before = row[axis] as number;
    let best = before;
    for (let level = 0; level < (counts[axis] as number); level++) {
      row[axis] = level;
      if (level === before || (!constraints.isFree && constraints.violates(row))) continue;
      const other = sets.computeGain(row);
      if (other > gain) [gain, best] = [other, level];
    }
    row[axis] = best;
  }
}
