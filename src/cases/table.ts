import { notYet, type Problem } from '../problems/problem.ts';
import type { Entry } from './row.ts';
import { type CaseSource, Cases, type Datum } from './source.ts';
import { shortValue } from './values.ts';

export type Distinct<C extends readonly unknown[]> = C extends readonly [infer H, ...infer T]
  ? H extends T[number]
    ? { readonly 'this column stands twice': H }
    : Distinct<T>
  : unknown;

/**
 * Rows written out under their columns.
 *
 * ```ts
 * table(['loa', 'nights', 'due'], [
 *   [8, 1, 16],
 *   [12, 3, 72],
 * ])
 * ```
 *
 * A column that stands twice, or a row of another length, is refused by the compiler, and by the plan.
 */
export function table<const C extends readonly [string, ...string[]], D extends Datum, R extends readonly { readonly [I in keyof C]: D }[]>(
  columns: C & Distinct<C>,
  rows: readonly [...R],
): CaseSource<{ [I in Exclude<keyof C, keyof (readonly [])> as C[I] & string]: R[number][I & keyof R[number]] }> {
  const problems: Problem[] = [];
  columns.forEach((column, i) => {
    if (columns.indexOf(column) !== i) problems.push({ code: 'repeated-column', column, source: 'a table' });
  });
  (rows as readonly (readonly unknown[])[]).forEach((row, i) => {
    if (!Array.isArray(row)) problems.push({ code: 'not-a-row', row: i + 1, got: shortValue(row) });
    else if (row.length !== columns.length) problems.push({ code: 'row-length', row: i + 1, cells: row.length, columns });
  });
  return new Cases({
    what: 'a table',
    columns,
    problems,
    open: () => [(rows as readonly (readonly unknown[])[]).map((cells) => ({ row: Object.fromEntries(columns.map((column, i) => [column, cells[i]])) }))],
  });
}

/** Rows from an iterable, or from a function that makes one each time: a generator that can run only once needs the function. */
export function rows<Row extends object>(given: Iterable<Row> | AsyncIterable<Row> | (() => Iterable<Row> | AsyncIterable<Row>)): CaseSource<Row> {
  return new Cases<Row>({
    what: 'rows',
    columns: Array.isArray(given) && given.length ? columnsOf(given) : undefined,
    problems: Array.isArray(given) ? given.flatMap((row, i) => notARow(row, i)) : [],
    async *open() {
      let chunk: Entry[] = [];
      let index = 0;
      for await (const row of typeof given === 'function' ? given() : given) {
        const problems = notARow(row, index++);
        chunk.push(problems.length ? { row: {}, problems } : { row });
        // A first row at once, then more at a time.
        if (chunk.length >= Math.min(index, 64)) {
          yield chunk;
          chunk = [];
        }
      }
      if (chunk.length) yield chunk;
    },
  });
}

const notARow = (row: unknown, index: number): Problem[] =>
  typeof row === 'object' && row !== null && !Array.isArray(row) ? [] : [{ code: 'not-a-row', row: index + 1, got: shortValue(row) }];

const columnsOf = (given: readonly object[]): string[] => [
  ...new Set(given.flatMap((row) => (typeof row === 'object' && row !== null ? Object.keys(row) : []))),
];

/** Rows under names of their own: the keys are the cases' names. */
export function named<Row extends object, D extends Datum = Datum>(given: Readonly<Record<string, Row & { readonly [K in keyof Row]: D }>>): CaseSource<Row> {
  const entries = Object.entries(given);
  return new Cases<Row>({
    what: 'named rows',
    columns: columnsOf(entries.map(([, row]) => row)),
    problems: entries.flatMap(([, row], i) => notARow(row, i)),
    open: () => [entries.map(([name, row]) => ({ name, row }))],
  });
}

/** One column with a row for each value. */
export function values<const K extends string, V extends readonly D[], D extends Datum = Datum>(column: K, given: V): CaseSource<{ [P in K]: V[number] }> {
  return new Cases<{ [P in K]: V[number] }>({
    what: 'values',
    columns: [column],
    open: () => [given.map((value) => ({ row: { [column]: value } }))],
  });
}

/** One column that counts from `from` to `to`, both included, `by` 1 unless said. */
export function range<const K extends string>(column: K, from: number, to: number, by = 1): CaseSource<{ [P in K]: number }> {
  const steps = (to - from) / by;
  const problems: Problem[] =
    Number.isFinite(steps) && steps >= 0 ? [] : [{ code: 'not-a', wanted: 'range that ends', got: `${from} to ${to} by ${by}`, owner: `range "${column}"` }];
  return new Cases<{ [P in K]: number }>({
    what: 'a range',
    columns: [column],
    problems,
    *open() {
      // Multiplied, not added up: 0.1 ten times is not 1. The rounding takes off what the multiplication adds.
      const size = Math.floor(steps + 1e-9);
      for (let start = 0; start <= size; start += 1024) {
        yield Array.from({ length: Math.min(1024, size - start + 1) }, (_, i) => ({ row: { [column]: Number((from + (start + i) * by).toPrecision(15)) } }));
      }
    },
  });
}

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

/** Axes multiplied out, or covered. */
export function matrix<A extends Readonly<Record<string, Datum>>>(
  _axes: { readonly [K in keyof A]: readonly A[K][] },
  _options?: MatrixOptions<NoInfer<A>>,
): CaseSource<A> {
  return notYet('matrix');
}

/** Which owed combinations stand in no row, and which rows hold an impossible one; shares no code with the search. */
export function verifyCover<A extends Readonly<Record<string, Datum>>>(
  _axes: { readonly [K in keyof A]: readonly A[K][] },
  _rows: Iterable<A>,
  _options?: MatrixOptions<NoInfer<A>>,
): { readonly owed: number; readonly missing: readonly Partial<A>[]; readonly wrong: readonly A[] } {
  return notYet('verifyCover');
}
