import type { Random } from '../random.ts';
import type { Constraints } from './constraints.ts';

/** Rows that are compared before one is kept: more for small models. */
const MIN_CANDIDATES = 6;
const MAX_CANDIDATES = 24;
const CANDIDATE_BUDGET = 4_000;
/** Small models are searched several times. */
const MAX_ATTEMPTS = 12;
const ATTEMPT_BUDGET = 400_000;
/** Two combinations are separated in this number of random ways before it is proven whether they can be. */
const MAX_TRIES = 12;
/** The maximum of the number of points to the power of the strength: four bytes for each. */
export const MAX_LOCATED = 40_000_000;

export interface LocatingProblem {
  /** The number of levels of each axis. */
  readonly counts: readonly number[];
  readonly strength: number;
  /** Rows that contain every feasible combination of `strength` levels. */
  readonly rows: readonly (readonly number[])[];
  /** The number of these rows that must be included, whatever they cover. */
  readonly required: number;
  readonly constraints: Constraints;
  readonly random: Random;
}

/**
 * Finds rows that contain every combination of up to `strength` levels, each in a different set of rows. If a single combination makes rows
 * fail, the set of failing rows identifies it. Combinations that no feasible row separates are treated as one (locating arrays:
 * C. J. Colbourn, D. W. McClary, 2008).
 *
 * Combinations in the same rows are a class. Each row is filled level by level so that it splits classes as evenly as possible.
 */
export function findLocatingRows(problem: LocatingProblem): readonly (readonly number[])[] {
  const { counts, strength, rows, required } = problem;
  let best: readonly (readonly number[])[] | undefined;
  const work = counts.length ** strength * Math.max(...counts) * rows.length * candidatesFor(counts, strength);
  const attempts = Math.max(1, Math.min(MAX_ATTEMPTS, Math.floor(ATTEMPT_BUDGET / work)));
  for (let attempt = 0; attempt < attempts; attempt++) {
    // Covering rows are few because each contains as much as possible that the others lack, which makes their combinations similar.
    const startsFromRows = required > 0 || attempt % 2 === 0;
    const found = findRows(problem, startsFromRows);
    const all = startsFromRows ? [...rows, ...found] : found;
    if (!best || all.length < best.length) best = all;
  }
  return best as readonly (readonly number[])[];
}

const candidatesFor = (counts: readonly number[], strength: number): number =>
  Math.max(MIN_CANDIDATES, Math.min(MAX_CANDIDATES, Math.floor(CANDIDATE_BUDGET / counts.length ** strength)));

function findRows(problem: LocatingProblem, startsFromRows: boolean): number[][] {
  const { counts, random, strength } = problem;
  const classes = new Classes(problem, startsFromRows);
  const added: number[][] = [];
  const tries = new Map<number, number>();
  const candidates = candidatesFor(counts, strength);
  for (let pair = classes.pickPair(random); pair; pair = classes.pickPair(random)) {
    const [contained, avoided] = pair;
    let best: { readonly row: number[]; readonly gain: number } | undefined;
    for (let i = 0; i < candidates; i++) {
      const row = fillSeparating(problem, classes, contained, avoided);
      const gain = row ? classes.computeGain(row) : 0;
      if (row && gain > (best?.gain ?? 0)) best = { row, gain };
    }
    if (best) {
      classes.split(best.row);
      added.push(best.row);
      continue;
    }
    const count = (tries.get(contained) ?? 0) + 1;
    tries.set(contained, count);
    if (count > MAX_TRIES || !canSeparate(problem, classes, contained, avoided)) classes.join(contained, avoided);
  }
  if (startsFromRows) return added;
  // One combination can remain that is in no row.
  const missing = classes.findMissing(problem.rows, added);
  return missing ? [...added, [...missing]] : added;
}

/** A level of an axis, as a number. */
type Point = number;

/** Combinations by their points, in rising order, with the class of each. Smaller combinations repeat the last point. */
class Classes {
  readonly axisOf: readonly number[];
  readonly levelOf: readonly number[];
  readonly #starts: readonly number[];
  readonly #size: number;
  readonly #strength: number;
  /** The class of a combination; 0 if it is the only one in its class, or is in no row. */
  readonly #classOf: Int32Array;
  readonly #members = new Map<number, Set<number>>();
  #next = 1;

  /** Starts from the given rows, or from none: then they only show which combinations are feasible. */
  constructor({ counts, strength, rows, random }: LocatingProblem, startsFromRows: boolean) {
    let size = 0;
    this.#starts = counts.map((count) => (size += count) - count);
    this.axisOf = counts.flatMap((count, axis) => Array.from({ length: count }, () => axis));
    this.levelOf = counts.flatMap((count) => Array.from({ length: count }, (_, level) => level));
    this.#size = size;
    this.#strength = strength;
    this.#classOf = new Int32Array(size ** strength);
    const sums = new Map<number, number>();
    // An axis with one level separates nothing.
    this.#varied = counts.map((count) => count > 1);
    for (const row of rows) {
      const mark = random.integer(1, 2 ** 40);
      for (const combination of this.listCombinationsIn(row)) sums.set(combination, (sums.get(combination) ?? 0) + mark);
    }
    const bySum = new Map<number, number[]>();
    for (const [combination, sum] of sums) {
      // Without given rows, all combinations are in the same rows: in none.
      const same = bySum.get(startsFromRows ? sum : 0);
      if (same) same.push(combination);
      else bySum.set(startsFromRows ? sum : 0, [combination]);
    }
    for (const same of bySum.values()) this.#keep(same);
  }

  readonly #varied: readonly boolean[];

  /** The points of a combination. */
  listPoints(combination: number): Point[] {
    const points: Point[] = [];
    for (let rest = combination, i = 0; i < this.#strength; i++, rest = Math.floor(rest / this.#size)) {
      const point = rest % this.#size;
      if (points.at(-1) !== point) points.push(point);
    }
    return points.reverse();
  }

  /** All combinations of up to `strength` levels in a row. */
  *listCombinationsIn(row: readonly number[]): Generator<number> {
    const points = row.flatMap((level, axis) => (this.#varied[axis] ? [(this.#starts[axis] as number) + level] : []));
    yield* this.#extend(points, 0, 0, 0);
  }

  *#extend(points: readonly Point[], from: number, code: number, length: number): Generator<number> {
    for (let at = from; at < points.length; at++) {
      const point = points[at] as number;
      const longer = code * this.#size + point;
      yield this.#padded(longer, point, length + 1);
      if (length + 1 < this.#strength) yield* this.#extend(points, at + 1, longer, length + 1);
    }
  }

  #padded(code: number, last: Point, length: number): number {
    let padded = code;
    for (let i = length; i < this.#strength; i++) padded = padded * this.#size + last;
    return padded;
  }

  /** Returns two combinations of a class with more than one, or undefined if every class has only one. */
  pickPair(random: Random): readonly [number, number] | undefined {
    const next = this.#members.values().next();
    if (next.done) return undefined;
    const [first, second] = next.value;
    return random.integer(0, 1) ? [first as number, second as number] : [second as number, first as number];
  }

  /**
   * How much better a row would split classes with one more point: in a class of n combinations, c of them in the row, c (n - c) pairs are
   * separated. `counts` contains c for each class.
   */
  computeMargin(row: readonly number[], point: Point, counts: ReadonlyMap<number, number>): number {
    let margin = 0;
    for (const combination of this.#with(row, point)) {
      const group = this.#classOf[combination] as number;
      if (group > 0) margin += (this.#members.get(group) as Set<number>).size - 2 * (counts.get(group) ?? 0) - 1;
    }
    return margin;
  }

  count(row: readonly number[], point: Point, counts: Map<number, number>): void {
    for (const combination of this.#with(row, point)) {
      const classNumber = this.#classOf[combination] as number;
      if (classNumber > 0) counts.set(classNumber, (counts.get(classNumber) ?? 0) + 1);
    }
  }

  /** The combinations of a point with the set points of a row. */
  *#with(row: readonly number[], point: Point): Generator<number> {
    yield this.#padded(point, point, 1);
    const points = row.flatMap((level, axis) =>
      level >= 0 && this.#varied[axis] && axis !== this.axisOf[point] ? [(this.#starts[axis] as number) + level] : [],
    );
    for (const others of subsetsUpTo(points, this.#strength - 1)) {
      const all = [...others, point].sort((a, b) => a - b);
      yield this.#padded(
        all.reduce((code, one) => code * this.#size + one, 0),
        all.at(-1) as number,
        all.length,
      );
    }
  }

  pointAt(axis: number, level: number): Point {
    return (this.#starts[axis] as number) + level;
  }

  /** A row with a combination that other rows lack. */
  findMissing(rows: readonly (readonly number[])[], others: readonly (readonly number[])[]): readonly number[] | undefined {
    const covered = new Set(others.flatMap((row) => [...this.listCombinationsIn(row)]));
    return rows.find((row) => [...this.listCombinationsIn(row)].some((combination) => !covered.has(combination)));
  }

  computeGain(row: readonly number[]): number {
    const counts = new Map<number, number>();
    for (const combination of this.listCombinationsIn(row)) {
      const classNumber = this.#classOf[combination] as number;
      if (classNumber > 0) counts.set(classNumber, (counts.get(classNumber) ?? 0) + 1);
    }
    let gain = 0;
    for (const [classNumber, count] of counts) gain += count * ((this.#members.get(classNumber) as Set<number>).size - count);
    return gain;
  }

  split(row: readonly number[]): void {
    const inside = new Map<number, number[]>();
    for (const combination of this.listCombinationsIn(row)) {
      const classNumber = this.#classOf[combination] as number;
      if (classNumber === 0) continue;
      const members = inside.get(classNumber);
      if (members) members.push(combination);
      else inside.set(classNumber, [combination]);
    }
    for (const [classNumber, members] of inside) {
      const all = this.#members.get(classNumber) as Set<number>;
      for (const member of members) all.delete(member);
      this.#members.delete(classNumber);
      this.#keep([...all]);
      this.#keep(members);
    }
  }

  /** Treats two combinations as one, since no row separates them. */
  join(first: number, second: number): void {
    const classNumber = this.#classOf[first] as number;
    const all = this.#members.get(classNumber) as Set<number>;
    all.delete(second);
    this.#classOf[second] = 0;
    this.#members.delete(classNumber);
    this.#keep([...all]);
  }

  #keep(members: readonly number[]): void {
    const classNumber = members.length > 1 ? this.#next++ : 0;
    for (const member of members) this.#classOf[member] = classNumber;
    if (classNumber > 0) this.#members.set(classNumber, new Set(members));
  }
}

/** A row with one combination and without another, filled so that it splits other classes as well. */
function fillSeparating({ counts, constraints, random }: LocatingProblem, classes: Classes, contained: number, avoided: number): number[] | undefined {
  const row = counts.map(() => -1);
  for (const point of classes.listPoints(contained)) row[classes.axisOf[point] as number] = classes.levelOf[point] as number;
  const others = classes.listPoints(avoided).filter((point) => row[classes.axisOf[point] as number] !== classes.levelOf[point]);
  const broken = others[random.integer(0, others.length - 1)] as number;
  if (others.length === 0) return undefined;
  const brokenAxis = classes.axisOf[broken] as number;
  const inClass = new Map<number, number>();
  const set = counts.map(() => -1);
  for (const [axis, level] of row.entries()) {
    if (level < 0) continue;
    classes.count(set, classes.pointAt(axis, level), inClass);
    set[axis] = level;
  }
  const open = random.shuffle([...counts.keys()].filter((axis) => (row[axis] as number) < 0));
  // The axis that separates the two is set first, while most levels are possible.
  if (open.includes(brokenAxis)) open.unshift(...open.splice(open.indexOf(brokenAxis), 1));
  for (const axis of open) {
    let [best, bestMargin] = [-1, Number.NEGATIVE_INFINITY];
    for (const level of random.shuffle(Array.from({ length: counts[axis] as number }, (_, at) => at))) {
      if (axis === brokenAxis && level === classes.levelOf[broken]) continue;
      const margin = classes.computeMargin(row, classes.pointAt(axis, level), inClass);
      if (margin <= bestMargin) continue;
      row[axis] = level;
      const isPossible = constraints.isFree || (!constraints.violatesAt(row, axis) && constraints.isFeasible(row) !== false);
      row[axis] = -1;
      if (isPossible) [best, bestMargin] = [level, margin];
    }
    if (best < 0) return undefined;
    classes.count(row, classes.pointAt(axis, best), inClass);
    row[axis] = best;
  }
  return row;
}

/** Whether a feasible row has one of two combinations and not the other. */
function canSeparate({ counts, constraints }: LocatingProblem, classes: Classes, one: number, two: number): boolean {
  const separates = (contained: number, avoided: number): boolean => {
    const row = counts.map(() => -1);
    for (const point of classes.listPoints(contained)) row[classes.axisOf[point] as number] = classes.levelOf[point] as number;
    return classes.listPoints(avoided).some((point) => {
      const axis = classes.axisOf[point] as number;
      if (row[axis] !== -1) return row[axis] !== classes.levelOf[point] && constraints.isFeasible(row) !== false;
      return Array.from({ length: counts[axis] as number }, (_, level) => level).some(
        (level) => level !== classes.levelOf[point] && constraints.isFeasible(row.with(axis, level)) !== false,
      );
    });
  };
  return separates(one, two) || separates(two, one);
}

/** All subsets of up to `size` items, except the empty one. */
function* subsetsUpTo<T>(items: readonly T[], size: number, from = 0, set: readonly T[] = []): Generator<readonly T[]> {
  if (set.length > 0) yield set;
  if (set.length === size) return;
  for (let at = from; at < items.length; at++) yield* subsetsUpTo(items, size, at + 1, [...set, items[at] as T]);
}
