import { type Problem, ProblemError } from '../../problems/problem.ts';
import { randomFrom } from '../random.ts';
import type { Entry } from '../row.ts';
import { type CaseSource, Cases, type Datum } from '../source.ts';
import { shortValue } from '../values.ts';
import { type Axes, axesOf, combinations, rowOf } from './axes.ts';
import { Constraints, neverOf } from './constraints.ts';
import type { Wanted } from './cover.ts';

export interface MatrixOptions<Row> {
  /** 'all' combinations (the default), or enough rows that each combination of any `n` axes' values stands in one. */
  cover?: 'all' | number | undefined;
  /** Groups of axes to cover more strongly than the rest. */
  stronger?: readonly { axes: readonly (keyof Row)[]; cover: number }[] | undefined;
  /** Combinations that cannot occur: never generated, and not owed. Each names the axes that it reads. */
  except?:
    | (
        | readonly Impossible<Row>[]
        | ((never: <const K extends keyof Row>(reads: readonly K[], when: (row: Pick<Row, K>) => boolean) => Impossible<Row>) => readonly Impossible<Row>[])
      )
    | undefined;
  /** Rows that must be there; what they cover is not covered again. */
  plus?: readonly Partial<Row>[] | undefined;
  seed?: number | undefined;
  /** How long to look for fewer rows; the same effort and seed give the same rows. */
  effort?: 'quick' | 'thorough' | undefined;
}
declare const impossible: unique symbol;
export type Impossible<Row> = { [K in keyof Row]?: Row[K] | readonly Row[K][] } | { readonly [impossible]: 'impossible' };

/** Rows are made in chunks of so many combinations. */
const chunk = 1024;

/**
 * Axes multiplied out, or covered.
 *
 * ```ts
 * matrix({ loa: [6, 9, 12], hull: ['mono', 'cat', 'tri'], season: ['summer', 'winter'] }, {
 *   cover: 2, // every pair of values stands in a row
 *   except: [{ hull: 'tri', loa: 6 }],
 * })
 * ```
 *
 * Errors of the plan: an axis without values or with one twice, a constraint on what is not there, constraints that leave nothing.
 */
export function matrix<A extends Readonly<Record<string, Datum>>>(
  axes: { readonly [K in keyof A]: readonly A[K][] },
  options: MatrixOptions<NoInfer<A>> = {},
): CaseSource<A> {
  const model = axesOf(axes as Readonly<Record<string, readonly unknown[]>>);
  const except =
    typeof options.except === 'function'
      ? options.except((reads, when) => neverOf(reads as readonly string[], when as never) as never)
      : (options.except ?? []);
  const constraints = new Constraints(model, except as readonly object[]);
  const problems = [...axisProblems(model), ...optionProblems(model, options), ...constraints.problems];
  const isCovering = typeof options.cover === 'number' && options.cover < model.names.length;
  // Covering rows are looked for once, however often they are asked for.
  let covered: Promise<readonly Entry[]> | undefined;
  const rows = (): Promise<readonly Entry[]> => {
    covered ??= covering(model, options as MatrixOptions<Record<string, unknown>>, constraints);
    return covered;
  };
  return new Cases<A>({
    what: isCovering ? `a matrix of ${model.names.length} axes, any ${options.cover} covered` : `a matrix of ${model.names.length} axes`,
    columns: model.names,
    problems,
    open: () => (isCovering ? once(rows) : product(model, constraints)),
  });
}

function axisProblems({ names, values }: Axes): Problem[] {
  const problems: Problem[] = names.length === 0 ? [{ code: 'not-a', wanted: 'axis', got: 'nothing', owner: 'matrix' }] : [];
  for (const [axis, name] of names.entries()) {
    const list = values[axis] as readonly unknown[];
    if (list.length === 0) problems.push({ code: 'axis-without-values', axis: name });
    for (const [i, value] of list.entries()) if (list.indexOf(value) !== i) problems.push({ code: 'repeated-value', axis: name, value: shortValue(value) });
  }
  return problems;
}

function optionProblems({ names }: Axes, { cover, stronger = [], plus = [] }: MatrixOptions<any>): Problem[] {
  const problems: Problem[] = [];
  const known = (name: string, owner: string): void => {
    if (!names.includes(name)) problems.push({ code: 'no-such-name', kind: 'axis', name, owner, known: names });
  };
  for (const strength of [cover, ...stronger.map((group) => group.cover)]) {
    if (strength !== undefined && strength !== 'all' && !(Number.isInteger(strength) && strength >= 1 && strength <= 6))
      problems.push({ code: 'not-a', wanted: 'strength from 1 to 6', got: String(strength), owner: 'cover' });
  }
  for (const { axes } of stronger) for (const name of axes) known(String(name), 'stronger');
  for (const row of plus) for (const name of Object.keys(row)) known(name, 'plus');
  return problems;
}

/** All combinations that can occur, the last axis fastest. */
function* product(axes: Axes, constraints: Constraints): Generator<readonly Entry[]> {
  const total = combinations(axes);
  let entries: Entry[] = [];
  let any = false;
  for (let number = 0; number < total; number++) {
    const levels: number[] = [];
    let rest = number;
    for (let axis = axes.counts.length - 1; axis >= 0; axis--) {
      levels[axis] = rest % (axes.counts[axis] as number);
      rest = Math.floor(rest / (axes.counts[axis] as number));
    }
    if (!constraints.breaks(levels)) entries.push({ row: rowOf(axes, levels) });
    if (entries.length === chunk || (number === total - 1 && entries.length > 0)) {
      any = true;
      yield entries;
      entries = [];
    }
  }
  if (!any && total > 0) throw new ProblemError([{ code: 'nothing-possible' }]);
}

async function* once(rows: () => Promise<readonly Entry[]>): AsyncGenerator<readonly Entry[]> {
  yield await rows();
}

async function covering(axes: Axes, options: MatrixOptions<Record<string, unknown>>, constraints: Constraints): Promise<readonly Entry[]> {
  const all = axes.names.map((_, axis) => axis);
  const numbered = (names: readonly unknown[]): number[] => names.map((name) => axes.names.indexOf(String(name))).sort((a, b) => a - b);
  const wanted: Wanted[] = [
    ...(options.stronger ?? []).map((group) => ({ axes: numbered(group.axes), strength: Math.min(group.cover, group.axes.length) })),
    { axes: all, strength: options.cover as number },
  ];
  if (constraints.allows(all.map(() => -1)) === false) throw new ProblemError([{ code: 'nothing-possible' }]);
  const plus = (options.plus ?? []).map((row) => levelsOf(axes, row));
  for (const [i, levels] of plus.entries()) {
    if (constraints.allows(levels) === false) throw new ProblemError([{ code: 'impossible-row', row: shortValue(options.plus?.[i]) }]);
  }
  // The search is loaded when rows are looked for.
  const { coverRows } = await import('./cover.ts');
  const { rows } = coverRows(axes, wanted, constraints, plus, randomFrom(`matrix ${options.seed ?? 1}`), options.effort ?? 'quick');
  return rows.map((levels) => ({ row: rowOf(axes, levels) }));
}

function levelsOf(axes: Axes, row: Readonly<Record<string, unknown>>): number[] {
  return axes.names.map((name, axis) => {
    if (!(name in row)) return -1;
    const level = (axes.values[axis] as readonly unknown[]).indexOf(row[name]);
    if (level < 0)
      throw new ProblemError([
        {
          code: 'no-such-name',
          kind: `value on axis "${name}"`,
          name: shortValue(row[name]),
          owner: 'plus',
          known: (axes.values[axis] as readonly unknown[]).map(shortValue),
        },
      ]);
    return level;
  });
}
