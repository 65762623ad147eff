import type { Random } from '../random.ts';
import type { Axes } from './axes.ts';
import type { Constraints } from './constraints.ts';
import { Coverage } from './coverage.ts';
import { reduceRows } from './reduce.ts';

/** What is to be covered: any so many axes of a group. */
export interface Wanted {
  readonly axes: readonly number[];
  readonly strength: number;
}

export interface Covered {
  readonly rows: readonly (readonly number[])[];
  /** Combinations owed, all of which stand in a row. */
  readonly owed: number;
  /** Combinations that could not be decided within the budget: treated as owed where a row could be found, else as impossible. */
  readonly undecided: number;
}

/** Rows tried for each that is kept: more are slower, and seldom better. */
const candidates = { quick: 1, thorough: 5 } as const;

/**
 * Rows in which every combination that can occur of any `strength` axes' values stands.
 *
 * One row at a time: each starts from a combination that is still open and is filled axis by axis with the level that covers
 * most; the best of some candidates is kept. Row by row, as greedy set cover does (V. Chvátal, 1979), on levels instead of whole
 * rows.
 */
export function coverRows(
  axes: Axes,
  wanted: readonly Wanted[],
  constraints: Constraints,
  plus: readonly (readonly number[])[],
  random: Random,
  effort: 'quick' | 'thorough',
): Covered {
  const coverages = wanted.map(({ axes: group, strength }) => new Coverage(group, axes.counts, strength));
  let undecided = 0;
  if (!constraints.isFree) {
    for (const coverage of coverages) {
      for (const { index, axes: set, levels } of coverage.all()) {
        const row = axes.counts.map(() => -1);
        set.forEach((axis, i) => {
          row[axis] = levels[i] as number;
        });
        const allowed = constraints.allows(row);
        if (allowed === undefined) undecided++;
        if (!allowed) coverage.release(index);
      }
    }
  }
  const rows: number[][] = [];
  const keep = (row: number[]): void => {
    rows.push(row);
    for (const coverage of coverages) coverage.cover(row);
  };
  const fill = (start: readonly number[]): number[] | undefined => fillRow(start, axes, coverages, constraints, random);
  for (const partial of plus) {
    const row = fill(partial);
    if (row) keep(row);
  }
  const owed = coverages.reduce((sum, coverage) => sum + coverage.owed, 0);
  for (const coverage of coverages) {
    const open = random.shuffle([...coverage.all()]);
    while (coverage.left > 0) {
      let best: { row: number[]; gained: number } | undefined;
      while (open.length > 0 && !coverage.isOpen((open.at(-1) as { index: number }).index)) open.pop();
      for (let tried = 0; tried < candidates[effort]; tried++) {
        const seed = tried === 0 ? open.at(-1) : openAmong(open, coverage, random);
        if (!seed) break;
        const start = axes.counts.map(() => -1);
        seed.axes.forEach((axis, i) => {
          start[axis] = seed.levels[i] as number;
        });
        const row = fill(start);
        if (!row) continue;
        const gained = gainOf(row, coverages);
        if (!best || gained > best.gained) best = { row, gained };
      }
      if (best) keep(best.row);
      else {
        const lost = open.pop();
        if (lost) coverage.release(lost.index);
      }
    }
  }
  const fixed = plus.map((row) => row.flatMap((level, axis) => (level >= 0 ? [axis] : [])));
  const decided = new Map(
    coverages.flatMap((coverage) =>
      constraints.isFree ? [] : [...coverage.all()].map(({ index, axes: set, levels }) => [keyOf(set, levels), coverage.isOwed(index)] as const),
    ),
  );
  const isOwed = (set: readonly number[], levels: readonly number[]): boolean => decided.get(keyOf(set, levels)) ?? true;
  const reduced = reduceRows({ axes, wanted, isOwed, given: rows, fixed, constraints, random }, effort);
  return { rows: reduced, owed, undecided };
}

const keyOf = (axes: readonly number[], levels: readonly number[]): string => `${axes.join()}:${levels.join()}`;

type Combination = { readonly index: number; readonly axes: readonly number[]; readonly levels: readonly number[] };

/** Some combination that is still open: a few draws, then the last one that is known to be. */
function openAmong(open: readonly Combination[], coverage: Coverage, random: Random): Combination | undefined {
  for (let draw = 0; draw < 10; draw++) {
    const one = random.pick(open);
    if (coverage.isOpen(one.index)) return one;
  }
  return open.at(-1);
}

/** What a whole row covers that is open, counted by building it up. */
function gainOf(row: readonly number[], coverages: readonly Coverage[]): number {
  const partial = row.map(() => -1);
  let gained = 0;
  row.forEach((level, axis) => {
    for (const coverage of coverages) gained += coverage.gain(partial, axis, level);
    partial[axis] = level;
  });
  return gained;
}

function fillRow(start: readonly number[], axes: Axes, coverages: readonly Coverage[], constraints: Constraints, random: Random): number[] | undefined {
  const row = [...start];
  const order = random.shuffle(row.flatMap((level, axis) => (level < 0 ? [axis] : [])));
  const levelsOf = (axis: number): number[] => random.shuffle(Array.from({ length: axes.counts[axis] as number }, (_, level) => level));
  for (const axis of order) {
    const ranked = levelsOf(axis)
      .map((level) => ({ level, gain: coverages.reduce((sum, coverage) => sum + coverage.gain(row, axis, level), 0) }))
      .sort((a, b) => b.gain - a.gain);
    const chosen = ranked.find(({ level }) => {
      if (constraints.isFree) return true;
      row[axis] = level;
      const allowed = !constraints.breaksAt(row, axis) && constraints.allows(row) === true;
      row[axis] = -1;
      return allowed;
    });
    if (!chosen) return undefined;
    row[axis] = chosen.level;
  }
  return constraints.breaks(row) ? undefined : row;
}
