import {
  findInvalidArguments,
  findInvalidOptions,
  functionSpec,
  isObject,
  listOf,
  type OptionSpecs,
  oneOfSpecs,
  recordOf,
} from '../../problems/option-specs.ts';
import type { Problem } from '../../problems/problem.ts';
import { ProblemError, throwProblem } from '../../problems/problem-error.ts';
import { hash } from '../hash.ts';
import { createRandom } from '../random.ts';
import type { ExpansionContext, RowEntry } from '../row.ts';
import { type CaseSource, CaseSourceImpl, type Datum } from '../source.ts';
import { formatShortValue } from '../values.ts';
import { type Axes, buildRow, countCombinations, findLevel, parseAxes } from './axes.ts';
import { buildCombinations, type CoverageTarget, MAX_COMBINATIONS } from './combinations.ts';
import { Constraints } from './constraints.ts';
import { parseExclusions } from './exclusions.ts';
import { summarizeMatrix } from './facts.ts';
import { MAX_LOCATED } from './locate.ts';
import { countSetsOfTwo, MAX_LOCATED_SETS } from './locate-two.ts';
import type { MatrixOptions } from './options.ts';

/** The number of combinations in a batch. */
const BATCH_ROWS = 1024;

/**
 * Create a case source from a combinatorial matrix: all combinations of the axes' values, or a covering array.
 *
 * ```ts
 * matrix({ loa: [6, 9, 12], hull: ['mono', 'cat', 'tri'], season: ['summer', 'winter'] }, {
 *   strength: 2, // pairwise: every pair of values occurs in at least one row
 *   exclude: [{ hull: 'tri', loa: 6 }],
 * })
 * ```
 *
 * Plan errors: an axis without values or with a duplicate one, an unknown axis or value in an option, exclusions that leave nothing.
 */
export function matrix<const A extends Readonly<Record<string, Datum>>>(
  axes: { readonly [K in keyof A]: readonly A[K][] },
  options: MatrixOptions<NoInfer<A>> = {},
): CaseSource<A> {
  const misread = [
    ...findInvalidArguments({ axes }, { axes: recordOf('values for each axis') }, 'matrix'),
    ...findInvalidOptions(options, matrixSpecs, 'matrix'),
  ];
  if (misread.length > 0) return new CaseSourceImpl<A>({ description: 'a matrix', problems: misread, open: () => [] });
  const model = parseAxes(axes as Readonly<Record<string, readonly unknown[]>>);
  const excluded = parseExclusions(options.exclude, model.names);
  const constraints = new Constraints(model, excluded.exclusions);
  const given = options as MatrixOptions<Record<string, unknown>>;
  const isCovering = typeof options.strength === 'number' && options.strength < model.names.length;
  const problems = [...validateAxes(model, axes), ...validateOptions(model, options), ...excluded.problems, ...constraints.problems];
  const targets = isCovering && problems.length === 0 ? buildCoverageTargets(model, given) : [];
  const required = targets.reduce(
    (sum, { axes: group, strength }) =>
      sum +
      buildCombinations(
        group.map((axis) => model.counts[axis] as number),
        strength,
      ),
    0,
  );
  if (required > MAX_COMBINATIONS)
    problems.push({ code: 'coverage-limit-exceeded', required, limit: MAX_COMBINATIONS, strength: options.strength as number, axes: model.names.length });
  // Covering rows are searched once, however often they are requested.
  let covered: Promise<CoveringRows> | undefined;
  const find = (expansion: ExpansionContext): Promise<CoveringRows> => {
    covered ??= loadCoveringRows(model, targets, given, constraints, expansion);
    return covered;
  };
  return new CaseSourceImpl<A>({
    description: isCovering ? `a matrix of ${model.names.length} axes, strength ${options.strength}` : `a matrix of ${model.names.length} axes`,
    columns: model.names,
    problems,
    rebuild: (entry) => rebuildRow(model, constraints, entry),
    open: (expansion) => (isCovering ? openCoveringRows(find(expansion), model) : multiplyAxes(model, given, constraints)),
    facts: [async (expansion) => summarizeMatrix(model, given, isCovering ? await find(expansion) : undefined)],
  });
}

/** Rebuilds a row from other values. Undefined if the row is excluded, or a value is not on its axis. */
function rebuildRow(axes: Axes, constraints: Constraints, entry: RowEntry): RowEntry | undefined {
  const row = entry.row as Readonly<Record<string, unknown>>;
  const levels = axes.names.map((name, axis) => (Object.hasOwn(row, name) ? findLevel(axes.values[axis] as readonly unknown[], row[name]) : -1));
  return levels.includes(-1) || constraints.violates(levels) ? undefined : { row: buildRow(axes, levels) };
}

/** Covering rows as levels. */
interface CoveringRows {
  readonly rows: readonly (readonly number[])[];
  /** The number of rows that were added so that failing rows locate a combination. */
  readonly locating?: number | undefined;
}

function validateAxes({ names, values }: Axes, given: Readonly<Record<string, unknown>>): Problem[] {
  const problems: Problem[] = names.length === 0 ? [{ code: 'invalid-type', expected: 'axis', got: 'nothing', owner: 'matrix' }] : [];
  for (const [axis, name] of names.entries()) {
    const list = values[axis] as readonly unknown[];
    if (!Array.isArray(given[name]))
      problems.push({ code: 'invalid-type', expected: 'array of values', got: formatShortValue(given[name]), owner: `axis "${name}"` });
    else if (list.length === 0) problems.push({ code: 'empty-axis', axis: name });
    for (const [i, value] of list.entries())
      if (findLevel(list, value) !== i) problems.push({ code: 'duplicate-axis-value', axis: name, value: formatShortValue(value) });
  }
  return problems;
}

const isStrength = (value: unknown): boolean => Number.isInteger(value) && (value as number) >= 1 && (value as number) <= 6;

const matrixSpecs: OptionSpecs<MatrixOptions<any>> = {
  strength: { expected: "strength from 1 to 6 (2 is pairwise), or 'all'", matches: (value) => value === 'all' || isStrength(value) },
  mixedStrength: listOf('objects like { axes, strength }', (group) => isObject(group) && Array.isArray((group as { axes?: unknown }).axes)),
  exclude: oneOfSpecs('array of exclusions, or function that returns one', listOf('combinations', isObject), functionSpec),
  include: listOf('rows', isObject),
  locate: { expected: '1 or 2', matches: (value) => value === 1 || value === 2 },
  seed: { expected: 'number', matches: (value) => typeof value === 'number' },
  effort: { expected: "'quick' or 'thorough'", matches: (value) => value === 'quick' || value === 'thorough' },
};

function validateOptions({ names, counts }: Axes, options: MatrixOptions<any>): Problem[] {
  const { strength, mixedStrength = [], include = [], locate } = options;
  const problems: Problem[] = [];
  if (locate && typeof strength !== 'number')
    problems.push({ code: 'invalid-type', expected: 'numeric strength', got: String(strength), owner: '`locate` needs a `strength`' });
  const points = counts.reduce((sum, count) => sum + count, 0);
  if (locate && typeof strength === 'number' && points ** strength > MAX_LOCATED)
    problems.push({ code: 'locate-limit-exceeded', required: points ** strength, limit: MAX_LOCATED, locate: 1 });
  else if (locate === 2 && typeof strength === 'number' && countSetsOfTwo(counts, strength) > MAX_LOCATED_SETS)
    problems.push({ code: 'locate-limit-exceeded', required: countSetsOfTwo(counts, strength), limit: MAX_LOCATED_SETS, locate: 2 });
  const known = (name: string, owner: string): void => {
    if (!names.includes(name)) problems.push({ code: 'unknown-axis', name, owner, known: names });
  };
  for (const { axes, strength: higher } of mixedStrength) {
    if (!isStrength(higher)) problems.push({ code: 'invalid-type', expected: 'strength from 1 to 6', got: formatShortValue(higher), owner: 'mixedStrength' });
    for (const name of axes) known(String(name), 'mixedStrength');
  }
  for (const row of include) for (const name of Object.keys(row)) known(name, 'include');
  return problems;
}

/** All feasible combinations. The last axis changes fastest. */
function* multiplyAxes(axes: Axes, options: MatrixOptions<Record<string, unknown>>, constraints: Constraints): Generator<readonly RowEntry[]> {
  // Validates the rows to include: every feasible row is among all combinations.
  appendRows(axes, options, constraints);
  const total = countCombinations(axes);
  let entries: RowEntry[] = [];
  let any = false;
  for (let number = 0; number < total; number++) {
    const levels: number[] = [];
    let rest = number;
    for (let axis = axes.counts.length - 1; axis >= 0; axis--) {
      levels[axis] = rest % (axes.counts[axis] as number);
      rest = Math.floor(rest / (axes.counts[axis] as number));
    }
    if (!constraints.violates(levels)) entries.push({ row: buildRow(axes, levels) });
    if (entries.length === BATCH_ROWS || (number === total - 1 && entries.length > 0)) {
      any = true;
      yield entries;
      entries = [];
    }
  }
  if (!any && total > 0) throw new ProblemError([{ code: 'no-feasible-combination' }]);
}

async function* openCoveringRows(found: Promise<CoveringRows>, axes: Axes): AsyncGenerator<readonly RowEntry[]> {
  yield (await found).rows.map((levels) => ({ row: buildRow(axes, levels) }));
}

function buildCoverageTargets(axes: Axes, options: MatrixOptions<Record<string, unknown>>): CoverageTarget[] {
  const numbered = (names: readonly unknown[]): number[] => names.map((name) => axes.names.indexOf(String(name))).sort((a, b) => a - b);
  return [
    ...(options.mixedStrength ?? []).map((group) => ({ axes: numbered(group.axes), strength: Math.min(group.strength, group.axes.length) })),
    { axes: axes.names.map((_, axis) => axis), strength: options.strength as number },
  ];
}

/** Raise this if the same seed produces other rows: cached rows would be stale. */
const ROW_CACHE_VERSION = 'covering rows 4';

async function loadCoveringRows(
  axes: Axes,
  targets: readonly CoverageTarget[],
  options: MatrixOptions<Record<string, unknown>>,
  constraints: Constraints,
  { kept }: ExpansionContext,
): Promise<CoveringRows> {
  if (constraints.isFeasible(axes.names.map(() => -1)) === false) throw new ProblemError([{ code: 'no-feasible-combination' }]);
  const include = appendRows(axes, options, constraints);
  const { seed = 1, effort = 'quick', locate } = options;
  const forbidden = constraints.serialize();
  // Equal problems share cached rows: rows are levels, whatever the values are called.
  const content = forbidden === undefined ? undefined : JSON.stringify([ROW_CACHE_VERSION, axes.counts, targets, forbidden, include, seed, effort, locate]);
  const key = content === undefined ? undefined : `rows-${hash(content)}`;
  const before = key === undefined ? undefined : ((await kept?.get(key)) as (CoveringRows & { readonly content: string }) | undefined);
  if (before?.content === content) return before as CoveringRows;
  // The search is loaded when rows are searched.
  const { generateCoveringRows } = await import('./cover.ts');
  const covered = { rows: generateCoveringRows({ axes, targets, constraints, include, random: createRandom(`matrix ${seed}`), effort }) };
  const found = locate ? await addLocatingRows(covered, axes, options.strength as number, locate, include.length, constraints, seed) : covered;
  if (key !== undefined) await kept?.set(key, { content, ...found });
  return found;
}

async function addLocatingRows(
  covered: CoveringRows,
  axes: Axes,
  strength: number,
  locate: 1 | 2,
  required: number,
  constraints: Constraints,
  seed: number,
): Promise<CoveringRows> {
  const { findLocatingRows } = await import('./locate.ts');
  const problem = { counts: axes.counts, strength, required, constraints, random: createRandom(`locate ${seed}`) };
  const one = findLocatingRows({ ...problem, rows: covered.rows });
  const rows = locate === 1 ? one : [...one, ...(await import('./locate-two.ts')).findRowsForTwo({ ...problem, rows: one })];
  return { ...covered, rows, locating: rows.length - covered.rows.length };
}

/** The rows to include, as levels. */
function appendRows(axes: Axes, { include = [] }: MatrixOptions<Record<string, unknown>>, constraints: Constraints): number[][] {
  return include.map((row) => {
    const levels = findLevels(axes, row);
    return constraints.isFeasible(levels) === false ? throwProblem({ code: 'infeasible-row', row: formatShortValue(row) }) : levels;
  });
}

function findLevels(axes: Axes, row: Readonly<Record<string, unknown>>): number[] {
  return axes.names.map((name, axis) => {
    if (!(name in row)) return -1;
    const level = findLevel(axes.values[axis] as readonly unknown[], row[name]);
    if (level < 0)
      throwProblem({
        code: 'unknown-value',
        name: formatShortValue(row[name]),
        owner: `include, axis "${name}"`,
        known: (axes.values[axis] as readonly unknown[]).map(formatShortValue),
      });
    return level;
  });
}
