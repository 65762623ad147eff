import type { Random } from '../random.ts';
import { buildField, findPrimePowerFrom } from './galois.ts';
import { greedy } from './greedy.ts';
import { Orbits, type PermutationGroup } from './orbits.ts';
import { RowReducer, STEP_WORK } from './reduce.ts';

/** For few rows that each contain much: worse changes are accepted rarely, and cells rest briefly. */
const annealing = { temperature: 0.4, rest: 5 };
/**
 * The number of orbits per starter that can be missing for pairs. A search among all rows finds room for them, and gets further from there
 * than from rows in which nothing can move. For more than pairs it takes too long.
 */
const PAIR_SLACK_ROWS = 1;

/**
 * Generates rows for equal axes: searches a few starter rows and applies a group of permutations of the levels to them. Returns undefined
 * for numbers of levels without such a group. The search space is smaller by the order of the group, and is solved far better.
 *
 * (M. A. Chateauneuf, C. J. Colbourn and D. L. Kreher, Covering arrays of strength three, 1999; K. Meagher and B. Stevens, Group
 * construction of covering arrays, 2005.)
 */
export function findStarterRows(axes: number, levels: number, strength: number, random: Random, budget: number): number[][] | undefined {
  const group = chooseGroup(levels, strength);
  if (!group) return undefined;
  const all = Array.from({ length: axes }, () => levels);
  const orbits = new Orbits(axes, levels, strength, group);
  const search = new RowReducer({
    levels: all,
    combinations: orbits,
    rows: greedy(all, orbits, undefined, random, 1),
    fixed: [],
    constraints: undefined,
    random,
    least: 1,
    temperature: annealing,
  });
  const starters = findFewest(search, orbits, strength === 2 ? PAIR_SLACK_ROWS : 0, orbits.work + budget);
  return developOrbits(starters, group);
}

/** Searches for the fewest starters if up to `missing` orbits of each can be uncovered. */
function findFewest(search: RowReducer, orbits: Orbits, missing: number, end: number): readonly (readonly number[])[] {
  let found = search.copy();
  for (let more = true; more; more = orbits.work < end && search.removeRow()) {
    let [closest, open] = [search.copy(), orbits.uncoveredCount];
    for (let step = 0; orbits.work < end && open > missing * closest.length; step++, orbits.work += STEP_WORK) {
      search.repair(step);
      if (orbits.uncoveredCount < open) [closest, open] = [search.copy(), orbits.uncoveredCount];
    }
    if (open <= 2 * missing * closest.length) found = closest;
  }
  return found;
}

/** All images of starters, each once, and the rows for what orbits leave out. */
function developOrbits(starters: readonly (readonly number[])[], group: PermutationGroup): number[][] {
  const rows = new Map<string, number[]>();
  const put = (row: number[]): void => void rows.set(row.join(), row);
  for (const row of starters) for (const permutation of group) put(row.map((level) => permutation[level] as number));
  for (const level of (group[0] as readonly number[]).keys()) if (isLeftOut(level, group)) put((starters[0] ?? []).map(() => level));
  return [...rows.values()];
}

/** Whether orbits leave out the combinations of this level only. */
const isLeftOut = (level: number, group: PermutationGroup): boolean =>
  group.length > (group[0] as readonly number[]).length || group.every((permutation) => permutation[level] === level);

/**
 * For pairs, the shifts of all levels but one. For more, the affine maps of a field, which map any two levels to any others, and fix at
 * most one level that the field lacks.
 */
function chooseGroup(levels: number, strength: number): PermutationGroup | undefined {
  const numbersBelow = (size: number): number[] => Array.from({ length: size }, (_, number) => number);
  if (strength === 2) {
    const shifted = numbersBelow(levels - 1);
    return levels < 3 ? undefined : shifted.map((by) => [...shifted.map((number) => (number + by) % (levels - 1)), levels - 1]);
  }
  const size = findPrimePowerFrom(levels) === levels ? levels : levels - 1;
  if (size < 2 || findPrimePowerFrom(size) !== size) return undefined;
  const field = buildField(size);
  const numbers = numbersBelow(size);
  const alone = size === levels ? [] : [size];
  return numbers.slice(1).flatMap((factor) => numbers.map((by) => [...numbers.map((number) => field.add(field.multiply(factor, number), by)), ...alone]));
}
