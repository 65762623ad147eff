import type { Random } from '../random.ts';
import type { Axes } from './axes.ts';
import { Combinations, type Wanted } from './combinations.ts';
import type { Constraints } from './constraints.ts';
import { construct, type Look } from './constructions.ts';
import { reduceRows } from './reduce.ts';

export type Effort = 'quick' | 'thorough';

/** So many times a combination may be looked at: work, not time, so that the same seed gives the same rows on any machine. */
const budgets = { quick: 12_000_000, thorough: 400_000_000 } as const;
/** A small model needs less: so much for each of its combinations. */
const shares = { quick: 8_000, thorough: 400_000 } as const;
/** What the search for a part of a construction may take. */
const partOfBudget = 0.1;
/** Rows tried for each that is kept: more are slower, and seldom better. */
const candidates = { quick: 1, thorough: 5 } as const;

export interface Task {
  readonly axes: Axes;
  readonly wanted: readonly Wanted[];
  readonly constraints: Constraints;
  /** Rows that must be there, perhaps with open axes. */
  readonly plus: readonly (readonly number[])[];
  readonly random: Random;
  readonly effort: Effort;
}

export interface Covered {
  readonly rows: readonly (readonly number[])[];
  /** Combinations of which the budget did not tell whether they can occur: covered where a row was found, else left out. */
  readonly undecided: number;
}

/** Rows in which every combination that can occur of any `strength` axes' values stands: a first set, then fewer. */
export function coverRows(task: Task): Covered {
  const { axes, wanted, constraints, plus, random, effort } = task;
  const combinations = new Combinations(axes.counts, wanted);
  const undecided = constraints.isFree ? 0 : releaseImpossible(combinations, axes, constraints);
  const rows = constructedRows(task, combinations) ?? greedyRows(task, combinations);
  const fixed = plus.map((row) => row.flatMap((level, axis) => (level >= 0 ? [axis] : [])));
  const least = constraints.isFree ? leastRows(axes.counts, wanted) : 1;
  const budget = Math.min(budgets[effort], shares[effort] * combinations.size);
  return { rows: reduceRows({ levels: axes.counts, combinations, rows, fixed, constraints, random, least }, budget), undecided };
}

function releaseImpossible(combinations: Combinations, axes: Axes, constraints: Constraints): number {
  let undecided = 0;
  for (let index = 0; index < combinations.size; index++) {
    const row = partialRow(axes.counts.length, combinations.combinationAt(index));
    const allowed = constraints.allows(row);
    if (allowed === undefined) undecided++;
    if (allowed === false) combinations.release(index);
  }
  return undecided;
}

function partialRow(length: number, { axes, levels }: ReturnType<Combinations['combinationAt']>): number[] {
  const row = Array.from({ length }, () => -1);
  for (const [i, axis] of axes.entries()) row[axis] = levels[i] as number;
  return row;
}

/** No fewer rows can do: each combination of the longest axes of a group needs one of its own. */
const leastRows = (counts: readonly number[], wanted: readonly Wanted[]): number =>
  Math.max(
    ...wanted.map(({ axes, strength }) =>
      axes
        .map((axis) => counts[axis] as number)
        .sort((a, b) => b - a)
        .slice(0, strength)
        .reduce((product, count) => product * count, 1),
    ),
  );

/** The rows of a construction, counted in, where one applies: axes alike, nothing forbidden, nothing given. */
function constructedRows({ axes, wanted, constraints, plus, random, effort }: Task, combinations: Combinations): number[][] | undefined {
  const [levels] = axes.counts;
  const [only] = wanted;
  if (!only || wanted.length > 1 || !constraints.isFree || plus.length > 0 || axes.counts.some((count) => count !== levels)) return undefined;
  const look: Look = (count, each, strength) => lookForRows(count, each, strength, random, partOfBudget * budgets[effort]);
  const rows = construct(axes.counts.length, levels as number, only.strength, look);
  const filled = rows?.map((row) => row.map((level) => (level < 0 ? random.integer(0, (levels as number) - 1) : level)));
  if (!filled) return undefined;
  for (const row of filled) combinations.count(row, 1);
  // Nothing is left to the construction's word: what it may have missed is covered here.
  return [...filled, ...greedy(axes.counts, combinations, undefined, random, 1)];
}

/** Rows for equal axes, from a greedy start. */
function lookForRows(count: number, each: number, strength: number, random: Random, budget: number): readonly (readonly number[])[] {
  const levels = Array.from({ length: count }, () => each);
  const wanted = [{ axes: levels.map((_, axis) => axis), strength: Math.min(strength, count) }];
  const combinations = new Combinations(levels, wanted);
  const rows = greedy(levels, combinations, undefined, random, 1);
  const least = leastRows(levels, wanted);
  return reduceRows({ levels, combinations, rows, fixed: [], constraints: undefined, random, least }, budget);
}

function greedyRows({ axes, constraints, plus, random, effort }: Task, combinations: Combinations): number[][] {
  const given: number[][] = [];
  for (const partial of plus) {
    const row = fillRow(partial, axes.counts, combinations, constraints, random);
    if (!row) continue;
    combinations.count(row, 1);
    given.push(row);
  }
  return [...given, ...greedy(axes.counts, combinations, constraints, random, candidates[effort])];
}

/**
 * One row at a time: each starts from a combination that is still open and is filled axis by axis with the level that covers most;
 * the best of some is kept. As greedy set cover does (V. Chvátal, 1979), on levels instead of whole rows.
 */
function greedy(levels: readonly number[], combinations: Combinations, constraints: Constraints | undefined, random: Random, tries: number): number[][] {
  const rows: number[][] = [];
  while (combinations.open > 0) {
    let best: { row: number[]; open: number } | undefined;
    let index = 0;
    for (let tried = 0; tried < tries; tried++) {
      index = combinations.openAt(random.integer(0, combinations.open - 1));
      const row = fillRow(partialRow(levels.length, combinations.combinationAt(index)), levels, combinations, constraints, random);
      if (!row) break;
      if (tries === 1) best = { row, open: 0 };
      else {
        combinations.count(row, 1);
        if (!best || combinations.open < best.open) best = { row, open: combinations.open };
        combinations.count(row, -1);
      }
    }
    if (best) {
      combinations.count(best.row, 1);
      rows.push(best.row);
    } else combinations.release(index);
  }
  return rows;
}

/** Fills the open axes of a row, in any order; nothing where what is set can be in no row, as far as the budget tells. */
function fillRow(
  start: readonly number[],
  levels: readonly number[],
  combinations: Combinations,
  constraints: Constraints | undefined,
  random: Random,
): number[] | undefined {
  const row = [...start];
  const free = constraints === undefined || constraints.isFree;
  const gains = new Int32Array(Math.max(...levels));
  for (const axis of random.shuffle(row.flatMap((level, at) => (level < 0 ? [at] : [])))) {
    const count = levels[axis] as number;
    gains.fill(0);
    combinations.gains(row, axis, gains);
    const order = random.shuffle(Array.from({ length: count }, (_, level) => level));
    if (!free) order.sort((a, b) => (gains[b] as number) - (gains[a] as number));
    const chosen = free
      ? order.reduce((best, level) => ((gains[level] as number) > (gains[best] as number) ? level : best))
      : order.find((level) => {
          row[axis] = level;
          const allowed = !constraints.breaksAt(row, axis) && constraints.allows(row) === true;
          row[axis] = -1;
          return allowed;
        });
    if (chosen === undefined) return undefined;
    row[axis] = chosen;
  }
  return free || !constraints.breaks(row) ? row : undefined;
}
