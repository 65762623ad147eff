import type { Random } from '../random.ts';
import { buildField, primePowerFrom } from './galois.ts';
import { greedy } from './greedy.ts';
import { type Group, Orbits } from './orbits.ts';
import { Search, STEP_WORK } from './reduce.ts';

/** Few rows with much to each: changes for the worse are taken seldom, and cells rest shortly. */
const temper = { temperature: 0.4, rest: 5 };
/**
 * So many orbits for each starter may be missing where pairs are wanted: a search among all rows finds room for them, and does better
 * from there than from rows in which nothing can move. For more than pairs it takes too long.
 */
const PAIR_SLACK_ROWS = 1;

/**
 * Rows for equal axes that a group of permutations of their levels makes of a few, which a search finds; nothing where there is no such
 * group. What is searched is smaller by the order of the group, and is solved far better.
 *
 * (M. A. Chateauneuf, C. J. Colbourn and D. L. Kreher, Covering arrays of strength three, 1999; K. Meagher and B. Stevens, Group
 * construction of covering arrays, 2005.)
 */
export function starterRows(axes: number, levels: number, strength: number, random: Random, budget: number): number[][] | undefined {
  const group = groupFor(levels, strength);
  if (!group) return undefined;
  const all = Array.from({ length: axes }, () => levels);
  const orbits = new Orbits(axes, levels, strength, group);
  const search = new Search({
    levels: all,
    combinations: orbits,
    rows: greedy(all, orbits, undefined, random, 1),
    fixed: [],
    constraints: undefined,
    random,
    least: 1,
    temperature: temper,
  });
  const starters = fewest(search, orbits, strength === 2 ? PAIR_SLACK_ROWS : 0, orbits.work + budget);
  return developOrbits(starters, group);
}

/** Searches for the fewest starters, if up to `missing` orbits may be uncovered for each. */
function fewest(search: Search, orbits: Orbits, missing: number, end: number): readonly (readonly number[])[] {
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

/** All that the permutations make of starters, each once, and what orbits leave out. */
function developOrbits(starters: readonly (readonly number[])[], group: Group): number[][] {
  const rows = new Map<string, number[]>();
  const put = (row: number[]): void => void rows.set(row.join(), row);
  for (const row of starters) for (const permutation of group) put(row.map((level) => permutation[level] as number));
  for (const level of (group[0] as readonly number[]).keys()) if (isLeftOut(level, group)) put((starters[0] ?? []).map(() => level));
  return [...rows.values()];
}

/** Whether orbits leave out the combinations of this level alone. */
const isLeftOut = (level: number, group: Group): boolean =>
  group.length > (group[0] as readonly number[]).length || group.every((permutation) => permutation[level] === level);

/**
 * For pairs the shifts of all levels but one; for more the affine maps of a field, which take any two levels to any others, and leave
 * alone at most one that the field lacks.
 */
function groupFor(levels: number, strength: number): Group | undefined {
  const numbersBelow = (size: number): number[] => Array.from({ length: size }, (_, number) => number);
  if (strength === 2) {
    const shifted = numbersBelow(levels - 1);
    return levels < 3 ? undefined : shifted.map((by) => [...shifted.map((number) => (number + by) % (levels - 1)), levels - 1]);
  }
  const size = primePowerFrom(levels) === levels ? levels : levels - 1;
  if (size < 2 || primePowerFrom(size) !== size) return undefined;
  const field = buildField(size);
  const numbers = numbersBelow(size);
  const alone = size === levels ? [] : [size];
  return numbers.slice(1).flatMap((factor) => numbers.map((by) => [...numbers.map((number) => field.add(field.multiply(factor, number), by)), ...alone]));
}
