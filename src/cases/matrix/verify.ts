import { findInvalidArguments, recordOf } from '../../problems/option-specs.ts';
import { ProblemError } from '../../problems/problem-error.ts';
import type { Datum } from '../source.ts';
import { buildReader, isNever, parseExclusions } from './exclusions.ts';
import type { MatrixOptions } from './options.ts';

type Row = Readonly<Record<string, unknown>>;
type Axes = Readonly<Record<string, readonly unknown[]>>;

/** A constraint: the axes that it reads, and whether their values are excluded. */
interface Rule {
  readonly reads: readonly string[];
  readonly forbids: (row: Row) => boolean;
}

const iterable = { expected: 'iterable of rows', matches: (value: unknown) => typeof value === 'object' && value !== null && Symbol.iterator in value };

/** The number of combinations that are tried to decide whether one can occur. After that, it is undecided. */
const MAX_TRIED_ROWS = 100_000;

/**
 * Verify that rows cover a matrix: which required combinations are missing, and which rows contain an excluded one.
 *
 * ```ts
 * verifyCoverage(axes, rows, { strength: 2 }).missing // [] if every pair of values occurs in a row
 * ```
 *
 * Goes through all combinations and rows, independently of the code that generates rows. A combination is required if it can be
 * completed to a row without an exclusion. If that is not known after 100,000 tries, it counts as `undecided`, and is required only
 * if it occurs in a row. With `locate: 1`, `indistinct` are pairs of combinations of up to `strength` values that are in the same rows, though a
 * possible row has only one of them; with `locate: 2`, the same for sets of one or two combinations.
 *
 * Throws a ProblemError for invalid arguments, and for axes in `exclude` and `mixedStrength` that do not exist.
 */
export function verifyCoverage<A extends Readonly<Record<string, Datum>>>(
  axes: { readonly [K in keyof A]: readonly A[K][] },
  rows: Iterable<A>,
  options: MatrixOptions<NoInfer<A>> = {},
): {
  readonly required: number;
  readonly missing: readonly Partial<A>[];
  readonly wrong: readonly A[];
  readonly undecided: number;
  readonly indistinct: readonly (readonly [readonly Partial<A>[], readonly Partial<A>[]])[];
} {
  const problems = findInvalidArguments({ axes, rows }, { axes: recordOf('values for each axis', Array.isArray), rows: iterable }, 'verifyCoverage');
  if (problems.length > 0) throw new ProblemError(problems);
  const names = Object.keys(axes);
  const given = [...rows];
  const rules = buildRules(options.exclude, names);
  assertKnownAxes(rules, options, names);
  const everywhere = options.strength === undefined || options.strength === 'all' ? names.length : options.strength;
  const groups = [
    { axes: names, strength: everywhere },
    ...(options.mixedStrength ?? []).map((group) => ({ axes: group.axes as readonly string[], strength: group.strength })),
  ];
  const missing: Partial<A>[] = [];
  let [required, undecided] = [0, 0];
  for (const group of groups) {
    for (const set of listAxisSets(group.axes, Math.min(group.strength, group.axes.length))) {
      const places = new Map(set.map((name) => [name, new Map((axes as Axes)[name]?.map((value, place) => [value, place]))]));
      const formatLevels = (row: Row): string => set.map((name) => places.get(name)?.get(row[name])).join();
      const covered = new Set(given.map(formatLevels));
      for (const combination of multiply(set, axes)) {
        const isCovered = covered.has(formatLevels(combination));
        const possible = rules.length === 0 || canOccur(combination, axes, rules);
        if (possible === undefined) undecided++;
        if (possible === false || (possible === undefined && !isCovered)) continue;
        required++;
        if (!isCovered) missing.push(combination as Partial<A>);
      }
    }
  }
  const indistinct = options.locate ? findIndistinct(names, Math.min(everywhere, names.length), options.locate, axes, given, rules) : [];
  const isRow = (row: A): boolean => names.every((name) => (axes as Axes)[name]?.includes(row[name]));
  const isBroken = (row: Row): boolean => rules.some(({ forbids }) => forbids(row));
  return {
    required,
    missing,
    wrong: given.filter((row) => !isRow(row) || isBroken(row)),
    undecided,
    indistinct: indistinct as [Partial<A>[], Partial<A>[]][],
  };
}

/** Sets of up to `locate` combinations that are in the same rows as another set, with that set. */
function findIndistinct(
  names: readonly string[],
  strength: number,
  locate: number,
  axes: Axes,
  rows: readonly Row[],
  rules: readonly Rule[],
): [Row[], Row[]][] {
  const combinations: { readonly combination: Row; readonly rows: bigint }[] = [];
  for (let size = 1; size <= strength; size++) {
    for (const set of listAxisSets(names, size)) {
      for (const combination of multiply(set, axes)) {
        const inRows = rows.reduce((bits, row, i) => (set.every((name) => row[name] === combination[name]) ? bits | (1n << BigInt(i)) : bits), 0n);
        // A combination in no row is missing, or cannot occur.
        if (inRows > 0n) combinations.push({ combination, rows: inRows });
      }
    }
  }
  const byRows = new Map<bigint, Row[][]>();
  const found: [Row[], Row[]][] = [];
  const compare = (set: Row[], inRows: bigint): void => {
    const same = byRows.get(inRows);
    if (!same) return void byRows.set(inRows, [set]);
    const other = same.find((one) => canMeetOnly(one, set, axes, rules) || canMeetOnly(set, one, axes, rules));
    // Sets in the same feasible rows are equivalent: one of them is enough.
    if (!other) return;
    found.push([other, set]);
    same.push(set);
  };
  for (const one of combinations) compare([one.combination], one.rows);
  if (locate === 1) return found;
  for (const [i, one] of combinations.entries()) {
    for (const other of combinations.slice(i + 1)) {
      const isWithin = Object.entries(one.combination).every(([name, value]) => other.combination[name] === value);
      if (!isWithin) compare([one.combination, other.combination], one.rows | other.rows);
    }
  }
  return found;
}

/** Whether a feasible row contains a combination of one set and none of another. */
const canMeetOnly = (set: readonly Row[], other: readonly Row[], axes: Axes, rules: readonly Rule[]): boolean =>
  set.some((combination) => canLackAll(combination, other, axes, rules));

function canLackAll(row: Row, [first, ...others]: readonly Row[], axes: Axes, rules: readonly Rule[]): boolean {
  if (!first) return canOccur(row, axes, rules) === true;
  return Object.entries(first).some(([name, value]) =>
    name in row
      ? row[name] !== value && canLackAll(row, others, axes, rules)
      : (axes[name] as readonly unknown[]).some((level) => level !== value && canLackAll({ ...row, [name]: level }, others, axes, rules)),
  );
}

/** Tries to complete the set axes, only as far as rules connect them. Undefined if that takes too long. */
function canOccur(combination: Row, axes: Axes, rules: readonly Rule[]): boolean | undefined {
  let tried = 0;
  const settled = (row: Row, rule: Rule): boolean => rule.reads.every((name) => name in row);
  const complete = (row: Row): boolean | undefined => {
    if (++tried > MAX_TRIED_ROWS) return undefined;
    if (rules.some((rule) => settled(row, rule) && rule.forbids(row))) return false;
    // The rule with the fewest open axes comes next: it decides soonest.
    const [next] = rules
      .filter((rule) => !settled(row, rule))
      .map((rule) => rule.reads.filter((name) => !(name in row)))
      .sort((a, b) => a.length - b.length);
    if (!next) return true;
    const name = next[0] as string;
    for (const value of axes[name] as readonly unknown[]) {
      const rest = complete({ ...row, [name]: value });
      if (rest !== false) return rest;
    }
    return false;
  };
  return complete(combination);
}

function buildRules(except: MatrixOptions<any>['exclude'], axes: readonly string[]): Rule[] {
  const { exclusions, problems } = parseExclusions(except, axes);
  if (problems.length > 0) throw new ProblemError(problems);
  return exclusions.map((one) => {
    if (isNever(one)) {
      const rowOf = buildReader(one, axes);
      return { reads: one.reads, forbids: (row) => one.when(rowOf((name) => row[name]) as never) };
    }
    const entries = Object.entries(one);
    return {
      reads: Object.keys(one),
      forbids: (row) => entries.every(([name, value]) => (Array.isArray(value) ? value : [value]).includes(row[name])),
    };
  });
}

function assertKnownAxes(rules: readonly Rule[], { mixedStrength = [] }: MatrixOptions<any>, known: readonly string[]): void {
  const readBy = { exclude: rules.flatMap(({ reads }) => reads), mixedStrength: mixedStrength.flatMap(({ axes }) => axes.map(String)) };
  const problems = Object.entries(readBy).flatMap(([owner, names]) =>
    names.filter((name) => !known.includes(name)).map((name) => ({ code: 'unknown-axis', name, owner, known }) as const),
  );
  if (problems.length > 0) throw new ProblemError(problems);
}

function* listAxisSets<T>(items: readonly T[], size: number): Generator<T[]> {
  if (size === 0) yield [];
  else for (const [i, first] of items.entries()) for (const rest of listAxisSets(items.slice(i + 1), size - 1)) yield [first, ...rest];
}

function* multiply(names: readonly string[], axes: Axes): Generator<Row> {
  const [first, ...others] = names;
  if (first === undefined) yield {};
  else for (const value of axes[first] as readonly unknown[]) for (const rest of multiply(others, axes)) yield { [first]: value, ...rest };
}
