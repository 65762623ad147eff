/** A coverage target: all combinations of `strength` axes of a group. */
export interface CoverageTarget {
  readonly axes: readonly number[];
  readonly strength: number;
}

/**
 * Sets of axes in one array. The record of a set is the number of its first combination, then for each axis its number and the distance
 * between the codes of adjacent levels. Packed, since the search reads nothing else.
 */
export interface PackedAxisSets {
  readonly width: number;
  readonly data: Int32Array;
}

/** The maximum number of combinations: each takes 16 bytes. */
export const MAX_COMBINATIONS = 10_000_000;

/** The count of a combination that is not required. */
const INFEASIBLE = 1_000_000;

/** The number of combinations of any `strength` axes' values: the elementary symmetric polynomial of the counts. */
export function buildCombinations(counts: readonly number[], strength: number): number {
  const sums = [1, ...Array.from({ length: strength }, () => 0)];
  for (const count of counts) for (let size = strength; size > 0; size--) sums[size] = (sums[size] as number) + (sums[size - 1] as number) * count;
  return sums[strength] as number;
}

/** The required combinations, and the number of rows that contain each. Rows are arrays of levels; -1 is an open axis. */
export class Combinations {
  protected readonly levels: readonly number[];
  protected readonly sets: readonly PackedAxisSets[];
  /** For each axis, the sets that contain it, its own code distance before the others'. */
  protected readonly setsOf: readonly (readonly PackedAxisSets[])[];
  /** The number of the first combination of each set, and the position of the set's record. */
  protected readonly starts: Int32Array;
  protected readonly records: { readonly sets: PackedAxisSets; readonly at: number }[] = [];
  protected readonly counts: Int32Array;
  /** The uncovered combinations, in any order, and the position of each in that list. */
  readonly #uncovered: Int32Array;
  readonly #placeInOpen: Int32Array;
  /** The number of combinations that are required and in no row. */
  uncoveredCount = 0;
  requiredCount = 0;
  /** The number of combinations examined so far, which is how the budget of a search is measured. */
  work = 0;

  /** Each set of axes has one combination for each choice of levels, or `each` combinations if they are counted in another way. */
  constructor(levels: readonly number[], targets: readonly CoverageTarget[], each?: number) {
    this.levels = levels;
    const sets: PackedAxisSets[] = [];
    const setsOf: PackedAxisSets[][] = levels.map(() => []);
    const starts: number[] = [];
    let total = 0;
    for (const { axes, strength } of targets) {
      const width = 1 + 2 * strength;
      const data = new Int32Array(countSubsets(axes.length, strength) * width);
      const widthOfAxis = 2 * strength;
      const ofAxis = axes.map(() => new Int32Array(countSubsets(axes.length - 1, strength - 1) * widthOfAxis));
      const ends = new Int32Array(axes.length);
      let end = 0;
      for (const places of listSubsets(axes.length, strength)) {
        const begin = end;
        end += width;
        starts.push(total);
        data[begin] = total;
        let size = 1;
        for (let i = strength - 1; i >= 0; i--) {
          const axis = axes[places[i] as number] as number;
          data[begin + 1 + 2 * i] = axis;
          data[begin + 2 + 2 * i] = size;
          size *= levels[axis] as number;
        }
        for (let i = 0; i < strength; i++) {
          const place = places[i] as number;
          const list = ofAxis[place] as Int32Array;
          let at = ends[place] as number;
          list[at++] = total;
          list[at++] = data[begin + 2 + 2 * i] as number;
          for (let from = begin + 1; from < end; from += 2) {
            if (from === begin + 1 + 2 * i) continue;
            list[at++] = data[from] as number;
            list[at++] = data[from + 1] as number;
          }
          ends[place] = at;
        }
        total += each ?? size;
      }
      const records = { width, data };
      for (let at = 0; at < data.length; at += width) this.records.push({ sets: records, at });
      sets.push(records);
      axes.forEach((axis, place) => void setsOf[axis]?.push({ width: widthOfAxis, data: ofAxis[place] as Int32Array }));
    }
    this.sets = sets;
    this.setsOf = setsOf;
    this.starts = Int32Array.from(starts);
    this.counts = new Int32Array(total);
    this.#uncovered = new Int32Array(total);
    this.#placeInOpen = new Int32Array(total);
    this.clear();
  }

  /** Resets the coverage: all combinations are required and uncovered. The count of work stays. */
  clear(): void {
    const total = this.counts.length;
    this.counts.fill(0);
    for (let index = 0; index < total; index++) this.#uncovered[index] = this.#placeInOpen[index] = index;
    this.uncoveredCount = total;
    this.requiredCount = total;
  }

  /** The number of all combinations, required or not. */
  get size(): number {
    return this.counts.length;
  }

  /** The combination with a number. */
  getCombination(index: number): { readonly axes: readonly number[]; readonly levels: readonly number[] } {
    const { axes, distances, code } = this.setAt(index);
    return { axes, levels: axes.map((axis, i) => Math.floor(code / (distances[i] as number)) % (this.levels[axis] as number)) };
  }

  /** The ways in which a row can contain a numbered item. For a combination, there is one. */
  countAssignments(index: number): { readonly axes: readonly number[]; readonly ways: readonly (readonly number[])[] } {
    const { axes, levels } = this.getCombination(index);
    return { axes, ways: [levels] };
  }

  /** The axes of a numbered item, the code distances of their levels, and its code within the set of axes. */
  protected setAt(index: number): { readonly axes: readonly number[]; readonly distances: readonly number[]; readonly code: number } {
    let [low, high] = [0, this.starts.length - 1];
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((this.starts[middle] as number) <= index) low = middle;
      else high = middle - 1;
    }
    const { sets, at } = this.records[low] as { sets: PackedAxisSets; at: number };
    const axes: number[] = [];
    const distances: number[] = [];
    for (let i = at + 1; i < at + sets.width; i += 2) {
      axes.push(sets.data[i] as number);
      distances.push(sets.data[i + 1] as number);
    }
    return { axes, distances, code: index - (sets.data[at] as number) };
  }

  /** An uncovered combination, by its position in the list. */
  getUncovered(place: number): number {
    return this.#uncovered[place] as number;
  }

  /** Makes a combination that cannot occur not required. */
  release(index: number): void {
    if (this.counts[index] === 0) this.#close(index);
    this.counts[index] = INFEASIBLE;
    this.requiredCount--;
  }

  /** Adds or subtracts a whole row. */
  count(row: readonly number[], by: 1 | -1): void {
    for (const { width, data } of this.sets) {
      for (let at = 0; at < data.length; at += width) {
        let index = data[at] as number;
        for (let i = at + 1; i < at + width; i += 2) index += (row[data[i] as number] as number) * (data[i + 1] as number);
        this.add(index, by);
      }
      this.work += data.length / width;
    }
  }

  /** The number of combinations that only this row covers. Counts up to `limit`. */
  countUniquelyCovered(row: readonly number[], limit: number): number {
    let count = 0;
    for (const { width, data } of this.sets) {
      let at = 0;
      for (; at < data.length && count <= limit; at += width) {
        let index = data[at] as number;
        for (let i = at + 1; i < at + width; i += 2) index += (row[data[i] as number] as number) * (data[i + 1] as number);
        if (this.counts[index] === 1) count++;
      }
      this.work += at / width;
    }
    return count;
  }

  /** Adds to each level's count the number of uncovered combinations that it would cover on an axis, given the set axes of the row. */
  addGains(row: readonly number[], axis: number, gains: Int32Array): void {
    const levels = this.levels[axis] as number;
    for (const { width, data } of this.setsOf[axis] as readonly PackedAxisSets[]) {
      record: for (let at = 0; at < data.length; at += width) {
        let index = data[at] as number;
        for (let i = at + 2; i < at + width; i += 2) {
          const level = row[data[i] as number] as number;
          if (level < 0) continue record;
          index += level * (data[i + 1] as number);
        }
        const distance = data[at + 1] as number;
        for (let level = 0; level < levels; level++) if (this.counts[index + level * distance] === 0) gains[level] = (gains[level] as number) + 1;
      }
    }
  }

  /**
   * The increase in uncovered combinations if one cell of a counted row changes. Above `maxLoss`, the exact value does not matter. Losses are
   * counted first: no more can be gained than is uncovered.
   */
  coverageLoss(row: readonly number[], axis: number, level: number, maxLoss = Number.POSITIVE_INFINITY): number {
    const counts = this.counts;
    const old = row[axis] as number;
    const tooMany = maxLoss + this.uncoveredCount;
    let lost = 0;
    let won = 0;
    for (const { width, data } of this.setsOf[axis] as readonly PackedAxisSets[]) {
      let at = 0;
      for (; at < data.length && lost <= tooMany; at += width) {
        let index = data[at] as number;
        for (let i = at + 2; i < at + width; i += 2) index += (row[data[i] as number] as number) * (data[i + 1] as number);
        const distance = data[at + 1] as number;
        if (counts[index + old * distance] === 1) lost++;
        if (counts[index + level * distance] === 0) won++;
      }
      this.work += at / width;
    }
    return lost - won;
  }

  /** Changes one cell of a counted row. */
  change(row: number[], axis: number, level: number): void {
    const old = row[axis] as number;
    for (const { width, data } of this.setsOf[axis] as readonly PackedAxisSets[]) {
      for (let at = 0; at < data.length; at += width) {
        let index = data[at] as number;
        for (let i = at + 2; i < at + width; i += 2) index += (row[data[i] as number] as number) * (data[i + 1] as number);
        const distance = data[at + 1] as number;
        this.add(index + old * distance, -1);
        this.add(index + level * distance, 1);
      }
      this.work += (2 * data.length) / width;
    }
    row[axis] = level;
  }

  protected add(index: number, by: 1 | -1): void {
    const count = (this.counts[index] as number) + by;
    this.counts[index] = count;
    if (count === 0) {
      this.#placeInOpen[index] = this.uncoveredCount;
      this.#uncovered[this.uncoveredCount++] = index;
    } else if (count === 1 && by === 1) this.#close(index);
  }

  #close(index: number): void {
    const place = this.#placeInOpen[index] as number;
    const last = this.#uncovered[--this.uncoveredCount] as number;
    this.#uncovered[place] = last;
    this.#placeInOpen[last] = place;
  }
}

/** The number of subsets of size k of n numbers. */
function countSubsets(n: number, k: number): number {
  let count = 1;
  for (let i = 0; i < k; i++) count = (count * (n - i)) / (i + 1);
  return Math.max(0, count);
}

/** All subsets of size k of the numbers below n, each in rising order. The array is reused. */
function* listSubsets(n: number, k: number): Generator<readonly number[]> {
  const set = Array.from({ length: k }, (_, i) => i);
  if (k > n) return;
  for (;;) {
    yield set;
    let i = k - 1;
    while (i >= 0 && set[i] === n - k + i) i--;
    if (i < 0) return;
    set[i] = (set[i] as number) + 1;
    for (let j = i + 1; j < k; j++) set[j] = (set[j - 1] as number) + 1;
  }
}
