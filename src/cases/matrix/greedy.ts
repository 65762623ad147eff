import type { Random } from '../random.ts';
import type { Combinations } from './combinations.ts';
import type { Constraints } from './constraints.ts';

/**
 * Adds one row at a time: each starts from an uncovered combination and is filled axis by axis with the level that covers most; the best of
 * several candidates is kept. This is greedy set cover (V. Chvátal, 1979), on levels instead of whole rows.
 */
export function greedy(levels: readonly number[], combinations: Combinations, constraints: Constraints | undefined, random: Random, tries: number): number[][] {
  const rows: number[][] = [];
  while (combinations.uncoveredCount > 0) {
    let best: { row: number[]; open: number } | undefined;
    let index = 0;
    for (let tried = 0; tried < tries; tried++) {
      index = combinations.getUncovered(random.integer(0, combinations.uncoveredCount - 1));
      const row = fillRow(partialRow(levels.length, combinations.getCombination(index)), levels, combinations, constraints, random);
      if (!row) break;
      if (tries === 1) best = { row, open: 0 };
      else {
        combinations.count(row, 1);
        if (!best || combinations.uncoveredCount < best.open) best = { row, open: combinations.uncoveredCount };
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

/** Fills the open axes of a row, in any order. Undefined if the set axes are infeasible, as far as the budget shows. */
export function fillRow(
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
    combinations.addGains(row, axis, gains);
    const order = random.shuffle(Array.from({ length: count }, (_, level) => level));
    if (!free) order.sort((a, b) => (gains[b] as number) - (gains[a] as number));
    const chosen = free
      ? order.reduce((best, level) => ((gains[level] as number) > (gains[best] as number) ? level : best))
      : order.find((level) => {
          row[axis] = level;
          const allowed = !constraints.violatesAt(row, axis) && constraints.isFeasible(row) === true;
          row[axis] = -1;
          return allowed;
        });
    if (chosen === undefined) return undefined;
    row[axis] = chosen;
  }
  return free || !constraints.violates(row) ? row : undefined;
}

/** A row in which only the axes of a combination are set. */
export function partialRow(length: number, { axes, levels }: ReturnType<Combinations['getCombination']>): number[] {
  const row = Array.from({ length }, () => -1);
  for (const [i, axis] of axes.entries()) row[axis] = levels[i] as number;
  return row;
}
