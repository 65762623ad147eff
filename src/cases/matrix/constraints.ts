import type { Problem } from '../../problems/problem.ts';
import { formatShortValue } from '../values.ts';
import { type Axes, findLevel } from './axes.ts';
import { buildReader, isNever, type PredicateExclusion } from './exclusions.ts';

/** A constraint whose axes have more combinations has no table. */
const MAX_ANSWERS = 10_000_000;
const ALLOWED = 1;
const EXCLUDED = 2;

/** A compiled constraint. If its axes have few combinations, it looks results up in a table; otherwise it computes them. */
interface Constraint {
  readonly axes: readonly number[];
  forbids(levels: readonly number[]): boolean;
}

/** The constraints of a matrix, and what they imply together. */
export class Constraints {
  readonly #axes: Axes;
  readonly #all: readonly Constraint[];
  /** The constraints that read an axis. */
  readonly #reading: readonly (readonly Constraint[])[];
  readonly problems: readonly Problem[];

  constructor(axes: Axes, given: readonly object[]) {
    const problems: Problem[] = [];
    this.#axes = axes;
    this.#all = given.map((one) => (isNever(one) ? predicate(one, axes, problems) : forbidden(one as Record<string, unknown>, axes, problems)));
    this.#reading = axes.names.map((_, axis) => this.#all.filter((constraint) => constraint.axes.includes(axis)));
    this.problems = problems;
  }

  get isFree(): boolean {
    return this.#all.length === 0;
  }

  /** Whether the set axes of a row violate a constraint. */
  violates(levels: readonly number[]): boolean {
    return this.#all.some((constraint) => isWhole(constraint, levels) && constraint.forbids(levels));
  }

  /** The same for one axis that was just set. */
  violatesAt(levels: readonly number[], axis: number): boolean {
    return (this.#reading[axis] as readonly Constraint[]).some((constraint) => isWhole(constraint, levels) && constraint.forbids(levels));
  }

  /**
   * Whether a row contains the set levels. What several constraints imply together is found by search, axis by axis, starting with those
   * that constraints connect to the set ones. Undefined if that takes more than `budget` steps.
   */
  isFeasible(levels: readonly number[], budget = 100_000): boolean | undefined {
    if (this.violates(levels)) return false;
    const row = [...levels];
    const open = this.#openAround(row);
    let steps = 0;
    const fill = (at: number): boolean | undefined => {
      if (at === open.length) return true;
      const axis = open[at] as number;
      for (let level = 0; level < (this.#axes.counts[axis] as number); level++) {
        if (++steps > budget) return undefined;
        row[axis] = level;
        if (this.violatesAt(row, axis)) continue;
        const rest = fill(at + 1);
        if (rest !== false) return rest;
      }
      row[axis] = -1;
      return false;
    };
    return fill(0);
  }

  /**
   * The open axes that constraints connect to the set ones, directly or through others, nearest first. If none is set, all that are in any
   * constraint. Other axes can be filled if the matrix has any row.
   */
  #openAround(row: readonly number[]): number[] {
    const set = row.flatMap((level, axis) => (level >= 0 ? [axis] : []));
    const reached = new Set(set.length > 0 ? set : row.flatMap((_, axis) => (this.#reading[axis]?.length ? [axis] : [])));
    for (const axis of reached) for (const { axes } of this.#reading[axis] as readonly Constraint[]) for (const other of axes) reached.add(other);
    return [...reached].filter((axis) => (row[axis] as number) < 0);
  }

  /** The forbidden combinations as a text that equal constraints share. Undefined if the text would take too long. */
  serialize(maxCombinations = 20_000): string | undefined {
    const lists: string[] = [];
    for (const { axes, forbids } of this.#all) {
      const counts = axes.map((axis) => this.#axes.counts[axis] as number);
      const total = counts.reduce((product, count) => product * count, 1);
      if (total > maxCombinations) return undefined;
      const row = this.#axes.counts.map(() => -1);
      const codes: number[] = [];
      for (let code = 0; code < total; code++) {
        let rest = code;
        for (const [i, axis] of axes.entries()) {
          row[axis] = rest % (counts[i] as number);
          rest = Math.floor(rest / (counts[i] as number));
        }
        if (forbids(row)) codes.push(code);
      }
      lists.push(`${axes.join()}:${codes.join()}`);
    }
    return lists.join(';');
  }
}

function isWhole({ axes }: Constraint, levels: readonly number[]): boolean {
  for (const axis of axes) if ((levels[axis] as number) < 0) return false;
  return true;
}

function forbidden(given: Readonly<Record<string, unknown>>, axes: Axes, problems: Problem[]): Constraint {
  const parts = Object.entries(given).map(([name, excluded]) => {
    const axis = axes.names.indexOf(name);
    if (axis < 0) problems.push({ code: 'unknown-axis', name, owner: 'exclude', known: axes.names });
    const list = Array.isArray(excluded) ? excluded : [excluded];
    const values = axes.values[axis] ?? [];
    for (const value of list) {
      if (axis >= 0 && !values.includes(value))
        problems.push({ code: 'unknown-value', name: formatShortValue(value), owner: `exclude, axis "${name}"`, known: values.map(formatShortValue) });
    }
    const isListed = new Uint8Array(values.length);
    for (const value of list) if (values.includes(value)) isListed[findLevel(values, value)] = 1;
    return { axis, isListed };
  });
  return {
    axes: parts.map(({ axis }) => axis),
    forbids(levels) {
      for (const { axis, isListed } of parts) if (isListed[levels[axis] as number] !== 1) return false;
      return true;
    },
  };
}

function predicate(never: PredicateExclusion, axes: Axes, problems: Problem[]): Constraint {
  const { reads, when } = never;
  const rowOf = buildReader(never, axes.names);
  const numbers = reads.map((name) => {
    const axis = axes.names.indexOf(name);
    if (axis < 0) problems.push({ code: 'unknown-axis', name, owner: 'exclude', known: axes.names });
    return axis;
  });
  const isForbidden = (levels: readonly number[]): boolean =>
    Boolean(when(rowOf((_, i) => axes.values[numbers[i] as number]?.[levels[numbers[i] as number] as number]) as never));
  const size = numbers.reduce((product, axis) => product * (axes.counts[axis] ?? 1), 1);
  if (size > MAX_ANSWERS) return { axes: numbers, forbids: isForbidden };
  // Each combination is tested once, since a search asks millions of times.
  const answers = new Int8Array(size);
  return {
    axes: numbers,
    forbids(levels) {
      let code = 0;
      for (const axis of numbers) code = code * (axes.counts[axis] as number) + (levels[axis] as number);
      if (answers[code] === 0) answers[code] = isForbidden(levels) ? ALLOWED : EXCLUDED;
      return answers[code] === ALLOWED;
    },
  };
}
