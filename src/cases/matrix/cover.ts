import type { Random } from '../random.ts';
import type { Axes } from './axes.ts';
import { Combinations, type CoverageTarget } from './combinations.ts';
import type { Constraints } from './constraints.ts';
import { construct, type SearchFallback } from './constructions.ts';
import { fillRow, greedy, partialRow } from './greedy.ts';
import { reduceRows } from './reduce.ts';
import { findStarterRows } from './starters.ts';

export type Effort = 'quick' | 'thorough';

/** The maximum number of examined combinations. A limit on work instead of time gives the same rows for a seed on every machine. */
const budgets = { quick: 12_000_000, thorough: 400_000_000 } as const;
/** Small models need less: the budget per combination. */
const shares = { quick: 8_000, thorough: 400_000 } as const;
/** With more combinations, each access takes longer, since they exceed the cache of the processor. */
const FAST_COMBINATIONS = 150_000;
/** The share of the budget for searching a part of a construction. */
const GREEDY_BUDGET_SHARE = 0.1;
/** The share of the budget for searching starter rows. */
const STARTER_BUDGET_SHARE = 0.4;
/** The share of the budget for the last reduction if starter rows were searched. */
const REDUCTION_BUDGET_SHARE = 0.7;
/** The number of candidates for each row. More are slower and seldom better. */
const candidates = { quick: 1, thorough: 5 } as const;

export interface CoveringProblem {
  readonly axes: Axes;
  readonly targets: readonly CoverageTarget[];
  readonly constraints: Constraints;
  /** Rows that must be included. Axes can be open. */
  readonly include: readonly (readonly number[])[];
  readonly random: Random;
  readonly effort: Effort;
}

/**
 * Generates rows that contain every feasible combination of any `strength` axes' values: a first set, then a smaller one. A combination whose
 * feasibility is not known within the budget is covered if a row is found.
 */
export function generateCoveringRows(task: CoveringProblem): readonly (readonly number[])[] {
  const { axes, targets, constraints, include, random, effort } = task;
  const combinations = new Combinations(axes.counts, targets);
  if (!constraints.isFree) releaseImpossible(combinations, axes, constraints);
  const constructed = constructRows(task, combinations);
  const rows = constructed ?? searchGreedily(task, combinations);
  const fixed = include.map((row) => row.flatMap((level, axis) => (level >= 0 ? [axis] : [])));
  const least = constraints.isFree ? computeLowerBound(axes.counts, targets) : 1;
  const budget = (constructed ? REDUCTION_BUDGET_SHARE : 1) * computeBudget(effort, combinations) * Math.min(1, FAST_COMBINATIONS / combinations.size);
  return reduceRows({ levels: axes.counts, combinations, rows, fixed, constraints, random, least }, budget);
}

const computeBudget = (effort: Effort, { size }: Combinations): number => Math.min(budgets[effort], shares[effort] * size);

function releaseImpossible(combinations: Combinations, axes: Axes, constraints: Constraints): void {
  for (let index = 0; index < combinations.size; index++) {
    const row = partialRow(axes.counts.length, combinations.getCombination(index));
    if (constraints.isFeasible(row) === false) combinations.release(index);
  }
}

/** A lower bound on the number of rows: each combination of the longest axes of a group needs its own row. */
const computeLowerBound = (counts: readonly number[], targets: readonly CoverageTarget[]): number =>
  Math.max(
    ...targets.map(({ axes, strength }) =>
      axes
        .map((axis) => counts[axis] as number)
        .sort((a, b) => b - a)
        .slice(0, strength)
        .reduce((product, count) => product * count, 1),
    ),
  );

/** The rows of a construction, counted, if one applies: equal axes, no constraints and no given rows. */
function constructRows({ axes, targets, constraints, include, random, effort }: CoveringProblem, combinations: Combinations): number[][] | undefined {
  const [levels] = axes.counts;
  const [only] = targets;
  if (!only || targets.length > 1 || !constraints.isFree || include.length > 0 || axes.counts.some((count) => count !== levels)) return undefined;
  const fallback: SearchFallback = (count, each, strength) => searchRows(count, each, strength, random, GREEDY_BUDGET_SHARE * budgets[effort]);
  const constructed = construct(axes.counts.length, levels as number, only.strength, fallback);
  const isOptimal = constructed && ((levels === 2 && only.strength === 2) || constructed.length === (levels as number) ** only.strength);
  const started = isOptimal
    ? undefined
    : findStarterRows(axes.counts.length, levels as number, only.strength, random, STARTER_BUDGET_SHARE * computeBudget(effort, combinations));
  // Constructions are not trusted: combinations that they may have missed are covered here.
  const [one, two] = [constructed, started].map((rows) => rows && completeRows(rows, axes.counts, combinations, random));
  if (!one || (two && two.length < one.length)) return two;
  if (two) {
    combinations.clear();
    for (const row of one) combinations.count(row, 1);
  }
  return one;
}

/** Fills open axes with any level, and adds rows for missing combinations. */
function completeRows(given: readonly (readonly number[])[], levels: readonly number[], combinations: Combinations, random: Random): number[][] {
  combinations.clear();
  const rows = given.map((row) => row.map((level, axis) => (level < 0 ? random.integer(0, (levels[axis] as number) - 1) : level)));
  for (const row of rows) combinations.count(row, 1);
  return [...rows, ...greedy(levels, combinations, undefined, random, 1)];
}

/** Searches rows for equal axes, from a greedy start. */
function searchRows(count: number, each: number, strength: number, random: Random, budget: number): readonly (readonly number[])[] {
  const levels = Array.from({ length: count }, () => each);
  const targets = [{ axes: levels.map((_, axis) => axis), strength: Math.min(strength, count) }];
  const combinations = new Combinations(levels, targets);
  const rows = greedy(levels, combinations, undefined, random, 1);
  const least = computeLowerBound(levels, targets);
  return reduceRows({ levels, combinations, rows, fixed: [], constraints: undefined, random, least }, budget);
}

function searchGreedily({ axes, constraints, include, random, effort }: CoveringProblem, combinations: Combinations): number[][] {
  const given: number[][] = [];
  for (const partial of include) {
    const row = fillRow(partial, axes.counts, combinations, constraints, random);
    if (!row) continue;
    combinations.count(row, 1);
    given.push(row);
  }
  return [...given, ...greedy(axes.counts, combinations, constraints, random, candidates[effort])];
}
