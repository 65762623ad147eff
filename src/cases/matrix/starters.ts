import type { Random } from '../random.ts';
import { Combinations } from './combinations.ts';
import { fieldOf, primePowerFrom } from './galois.ts';
import { greedy } from './greedy.ts';
import { type Group, Orbits } from './orbits.ts';
import { Search } from './reduce.ts';

/** Few rows with much to each: changes for the worse are taken seldom, and cells rest shortly. */
const temper = { temperature: 0.4, rest: 5 };
const stepWork = 30;

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
  const starters = search(new Orbits(axes, levels, strength, group), axes, levels, random, budget);
  const rows = new Map<string, number[]>();
  const put = (row: number[]): void => void rows.set(row.join(), row);
  for (const row of starters) for (const permutation of group) put(row.map((level) => permutation[level] as number));
  for (let level = 0; level < levels; level++) if (isLeftOut(level, group)) put(Array.from({ length: axes }, () => level));
  return completed([...rows.values()], axes, levels, strength, random);
}

/** Starters that hold one of each orbit, or nearly so: what few are missing costs less than another starter. */
function search(orbits: Orbits, axes: number, levels: number, random: Random, budget: number): readonly (readonly number[])[] {
  const all = Array.from({ length: axes }, () => levels);
  const rows = greedy(all, orbits, undefined, random, 1);
  const end = orbits.work + budget;
  const search = new Search({ levels: all, combinations: orbits, rows, fixed: [], constraints: undefined, random, least: 1, temper });
  let whole = search.copy();
  let nearly: { readonly rows: number[][]; readonly open: number } | undefined;
  for (let step = 0; orbits.work < end; step++, orbits.work += stepWork) {
    if (orbits.open > 0) {
      search.repair(step);
      if (orbits.open < (nearly?.open ?? Number.POSITIVE_INFINITY)) nearly = { rows: search.copy(), open: orbits.open };
    } else {
      whole = search.copy();
      nearly = undefined;
      if (!search.removeRow()) break;
    }
  }
  return nearly && nearly.open <= nearly.rows.length / 2 ? nearly.rows : whole;
}

function completed(rows: readonly number[][], axes: number, levels: number, strength: number, random: Random): number[][] {
  const all = Array.from({ length: axes }, () => levels);
  const combinations = new Combinations(all, [{ axes: all.map((_, axis) => axis), strength }]);
  for (const row of rows) combinations.count(row, 1);
  return [...rows, ...greedy(all, combinations, undefined, random, 1)];
}

/** Whether orbits leave out the combinations of this level alone. */
const isLeftOut = (level: number, group: Group): boolean =>
  group.length > (group[0] as readonly number[]).length || group.every((permutation) => permutation[level] === level);

/**
 * For pairs the shifts of all levels but one; for more the affine maps of a field, which take any two levels to any others, and leave
 * alone at most one that the field lacks.
 */
function groupFor(levels: number, strength: number): Group | undefined {
  if (strength === 2) return levels < 3 ? undefined : shifts(levels - 1).map((shift) => [...shift, levels - 1]);
  const size = primePowerFrom(levels) === levels ? levels : levels - 1;
  if (size < 2 || primePowerFrom(size) !== size) return undefined;
  const field = fieldOf(size);
  const numbers = Array.from({ length: size }, (_, number) => number);
  const alone = size === levels ? [] : [size];
  return numbers.slice(1).flatMap((factor) => numbers.map((by) => [...numbers.map((number) => field.add(field.multiply(factor, number), by)), ...alone]));
}

/** The additive group of a field where there is one of the size, else that of whole numbers modulo the size. */
function shifts(size: number): Group {
  const field = size > 1 && primePowerFrom(size) === size ? fieldOf(size) : undefined;
  const numbers = Array.from({ length: size }, (_, number) => number);
  return numbers.map((by) => numbers.map((number) => (field ? field.add(number, by) : (number + by) % size)));
}
