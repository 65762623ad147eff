import type { Random } from '../random.ts';
import type { Axes } from './axes.ts';
import { Combinations, type CoverageTarget } from './combinations.ts';
import type { Constraints } from './constraints.ts';
import { construct, type SearchFallback } from './constructions.ts';
import { fillRow, greedy, partialRow } from './greedy.ts';
import { reduceRows } from './reduce.ts';
import { starterRows } from './starters.ts';

export type Effort = 'quick' | 'thorough';

/** How often combinations may be examined: work instead of time, so that a seed gives the same rows on every machine. */
const budgets = { quick: 12_000_000, thorough: 400_000_000 } as const;
/** A small model needs less: so much for each of its combinations. */
const shares = { quick: 8_000, thorough: 400_000 } as const;
/** Each look at more than these takes longer: they are too far from the processor. */
const FAST_COMBINATIONS = 150_000;
/** What the search for a part of a construction may take. */
const GREEDY_BUDGET_SHARE = 0.1;
/** What the search for rows to start from may take. */
const STARTER_BUDGET_SHARE = 0.4;
/** What the last search may take where rows to start from were looked for. */
const REDUCTION_BUDGET_SHARE = 0.7;
/** Rows tried for each that is kept: more are slower, and seldom better. */
const candidates = { quick: 1, thorough: 5 } as const;

export interface CoveringProblem {
  readonly axes: Axes;
  readonly wanted: readonly CoverageTarget[];
  readonly constraints: Constraints;
  /** Rows that must be there, perhaps with open axes. */
  readonly include: readonly (readonly number[])[];
  readonly random: Random;
  readonly effort: Effort;
}

export interface Covered {
  readonly rows: readonly (readonly number[])[];
  /** Combinations whose feasibility exceeded the budget: covered if a row was found, otherwise omitted. */
  readonly undecided: number;
}

/** Rows in which every combination that can occur of any `strength` axes' values stands: a first set, then fewer. */
export function generateCoveringRows(task: CoveringProblem): Covered {
  const { axes, wanted, constraints, include, random, effort } = task;
  const combinations = new Combinations(axes.counts, wanted);
  const undecided = constraints.isFree ? 0 : releaseImpossible(combinations, axes, constraints);
  const constructed = constructRows(task, combinations);
  const rows = constructed ?? greedyRows(task, combinations);
  const fixed = include.map((row) => row.flatMap((level, axis) => (level >= 0 ? [axis] : [])));
  const least = constraints.isFree ? computeLowerBound(axes.counts, wanted) : 1;
  const budget = (constructed ? REDUCTION_BUDGET_SHARE : 1) * budgetFor(effort, combinations) * Math.min(1, FAST_COMBINATIONS / combinations.size);
  return { rows: reduceRows({ levels: axes.counts, combinations, rows, fixed, constraints, random, least }, budget), undecided };
}

const budgetFor = (effort: Effort, { size }: Combinations): number => Math.min(budgets[effort], shares[effort] * size);

function releaseImpossible(combinations: Combinations, axes: Axes, constraints: Constraints): number {
  let undecided = 0;
  for (let index = 0; index < combinations.size; index++) {
    const row = partialRow(axes.counts.length, combinations.combinationAt(index));
    const allowed = constraints.isFeasible(row);
    if (allowed === undefined) undecided++;
    if (allowed === false) combinations.release(index);
  }
  return undecided;
}

/** No fewer rows can do: each combination of the longest axes of a group needs one of its own. */
const computeLowerBound = (counts: readonly number[], wanted: readonly CoverageTarget[]): number =>
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
function constructRows({ axes, wanted, constraints, include, random, effort }: CoveringProblem, combinations: Combinations): number[][] | undefined {
  const [levels] = axes.counts;
  const [only] = wanted;
  if (!only || wanted.length > 1 || !constraints.isFree || include.length > 0 || axes.counts.some((count) => count !== levels)) return undefined;
  const look: SearchFallback = (count, each, strength) => searchRows(count, each, strength, random, GREEDY_BUDGET_SHARE * budgets[effort]);
  const constructed = construct(axes.counts.length, levels as number, only.strength, look);
  const isOptimal = constructed && ((levels === 2 && only.strength === 2) || constructed.length === (levels as number) ** only.strength);
  const started = isOptimal
    ? undefined
    : starterRows(axes.counts.length, levels as number, only.strength, random, STARTER_BUDGET_SHARE * budgetFor(effort, combinations));
  // Nothing is left to a construction's word: what it may have missed is covered here.
  const [one, two] = [constructed, started].map((rows) => rows && completeRows(rows, axes.counts, combinations, random));
  if (!one || (two && two.length < one.length)) return two;
  if (two) {
    combinations.clear();
    for (const row of one) combinations.count(row, 1);
  }
  return one;
}

/** With any level where one is open, and with rows for what is missing. */
function completeRows(given: readonly (readonly number[])[], levels: readonly number[], combinations: Combinations, random: Random): number[][] {
  combinations.clear();
  const rows = given.map((row) => row.map((level, axis) => (level < 0 ? random.integer(0, (levels[axis] as number) - 1) : level)));
  for (const row of rows) combinations.count(row, 1);
  return [...rows, ...greedy(levels, combinations, undefined, random, 1)];
}

/** Rows for equal axes, from a greedy start. */
function searchRows(count: number, each: number, strength: number, random: Random, budget: number): readonly (readonly number[])[] {
  const levels = Array.from({ length: count }, () => each);
  const wanted = [{ axes: levels.map((_, axis) => axis), strength: Math.min(strength, count) }];
  const combinations = new Combinations(levels, wanted);
  const rows = greedy(levels, combinations, undefined, random, 1);
  const least = computeLowerBound(levels, wanted);
  return reduceRows({ levels, combinations, rows, fixed: [], constraints: undefined, random, least }, budget);
}

function greedyRows({ axes, constraints, include, random, effort }: CoveringProblem, combinations: Combinations): number[][] {
  const given: number[][] = [];
  for (const partial of include) {
    const row = fillRow(partial, axes.counts, combinations, constraints, random);
    if (!row) continue;
    combinations.count(row, 1);
    given.push(row);
  }
  return [...given, ...greedy(axes.counts, combinations, constraints, random, candidates[effort])];
}
