import { findInvalidArguments, isText, listOf, type OptionSpec, recordOf, text } from '../problems/option-specs.ts';
import type { Problem } from '../problems/problem.ts';
import { type CapturedStack, captureStack } from '../problems/source-location.ts';
import type { ExpansionContext, RowEntry } from './row.ts';
import { type CaseSource, CaseSourceImpl, type Datum } from './source.ts';
import { formatShortValue } from './values.ts';

export type Distinct<C extends readonly unknown[]> = C extends readonly [infer H, ...infer T]
  ? H extends T[number]
    ? { readonly 'duplicate column': H }
    : Distinct<T>
  : unknown;

/**
 * Create a case source from a table: column names, then rows of values.
 *
 * ```ts
 * table(['loa', 'nights', 'due'], [
 *   [8, 1, 16],
 *   [12, 3, 72],
 * ])
 * ```
 *
 * A duplicate column or a row of another length is a compile-time error, and a plan error.
 */
export function table<const C extends readonly [string, ...string[]], D extends Datum, R extends readonly { readonly [I in keyof C]: D }[]>(
  columns: C & Distinct<C>,
  rows: readonly [...R],
): CaseSource<{ [I in Exclude<keyof C, keyof (readonly [])> as C[I] & string]: R[number][I & keyof R[number]] }> {
  const problems = findInvalidArguments({ columns, rows }, { columns: listOf('strings', isText), rows: listOf('rows') }, 'table');
  if (problems.length > 0) return buildInvalidSource('a table', problems);
  const origin = captureStack(table, 1);
  columns.forEach((column, i) => {
    if (columns.indexOf(column) !== i) problems.push({ code: 'duplicate-column', column, source: 'a table' });
  });
  (rows as readonly (readonly unknown[])[]).forEach((row, i) => {
    if (!Array.isArray(row)) problems.push({ code: 'invalid-row', row: i + 1, got: formatShortValue(row), expected: 'array of cells' });
    else if (row.length !== columns.length) problems.push({ code: 'row-length-mismatch', row: i + 1, cells: row.length, columns });
  });
  return new CaseSourceImpl({
    description: 'a table',
    columns,
    problems,
    open: (expansion) => [
      locateRow(
        (rows as readonly (readonly unknown[])[]).map((cells) => ({ row: Object.fromEntries(columns.map((column, i) => [column, cells[i]])) })),
        origin,
        expansion,
      ),
    ],
  });
}

/**
 * Create a case source from an iterable, or from a function that returns one. Pass the function if the iterable can be read only once.
 *
 * ```ts
 * rows([{ loa: 8 }, { loa: 12 }])
 * rows(async function* () { yield* readQuotes(); })
 * ```
 */
export function rows<Row extends object>(given: Iterable<Row> | AsyncIterable<Row> | (() => Iterable<Row> | AsyncIterable<Row>)): CaseSource<Row> {
  const problems = findInvalidArguments({ rows: given }, { rows: iterable }, 'rows');
  if (problems.length > 0) return buildInvalidSource('rows', problems);
  const origin = captureStack(rows, 1);
  return new CaseSourceImpl<Row>({
    description: 'rows',
    columns: Array.isArray(given) && given.length ? findColumns(given) : undefined,
    problems: Array.isArray(given) ? given.flatMap((row, i) => invalidRow(row, i)) : [],
    async *open(expansion) {
      const places = Array.isArray(given) ? expansion.rowLines?.of(origin) : undefined;
      let chunk: RowEntry[] = [];
      let index = 0;
      try {
        for await (const row of typeof given === 'function' ? given() : given) {
          const problems = invalidRow(row, index++);
          const written = Array.isArray(given) ? { written: { origin, index: index - 1 } } : undefined;
          chunk.push({ ...(problems.length ? { row: {}, problems } : { row }), ...places?.[index - 1], ...written });
          // A first row at once, then more at a time.
          if (chunk.length >= Math.min(index, 64)) {
            yield chunk;
            chunk = [];
          }
        }
      } catch (error) {
        // The rows before the error run.
        if (chunk.length) yield chunk;
        throw error;
      }
      if (chunk.length) yield chunk;
    },
  });
}

/** Adds the places of entries, and their lines if a line of the test file was selected. */
function locateRow(entries: readonly RowEntry[], origin: CapturedStack, { rowLines }: ExpansionContext): readonly RowEntry[] {
  const places = rowLines?.of(origin);
  const isKnown = places?.length === entries.length;
  return entries.map((entry, index) => ({ ...entry, ...(isKnown && places[index]), written: { origin, index } }));
}

const iterable: OptionSpec = {
  expected: 'iterable, or function that returns one',
  matches: (value) =>
    typeof value === 'function' || (typeof value === 'object' && value !== null && (Symbol.iterator in value || Symbol.asyncIterator in value)),
};

/** A source that only has problems. */
const buildInvalidSource = (description: string, problems: readonly Problem[]): CaseSourceImpl<any> =>
  new CaseSourceImpl({ description, problems, open: () => [] });

const invalidRow = (row: unknown, index: number): Problem[] =>
  typeof row === 'object' && row !== null && !Array.isArray(row)
    ? []
    : [{ code: 'invalid-row', row: index + 1, got: formatShortValue(row), expected: 'object with columns' }];

const findColumns = (given: readonly object[]): string[] => [
  ...new Set(given.flatMap((row) => (typeof row === 'object' && row !== null ? Object.keys(row) : []))),
];

/**
 * Create a case source from named rows: the keys name the cases.
 *
 * ```ts
 * namedRows({ 'a short stay': { nights: 1 }, 'a long stay': { nights: 28 } })
 * ```
 */
export function namedRows<Row extends object, D extends Datum = Datum>(
  given: Readonly<Record<string, Row & { readonly [K in keyof Row]: D }>>,
): CaseSource<Row> {
  const problems = findInvalidArguments({ rows: given }, { rows: recordOf('rows by name') }, 'namedRows');
  if (problems.length > 0) return buildInvalidSource('named rows', problems);
  const origin = captureStack(namedRows, 1);
  const entries = Object.entries(given);
  return new CaseSourceImpl<Row>({
    description: 'named rows',
    columns: findColumns(entries.map(([, row]) => row)),
    problems: entries.flatMap(([, row], i) => invalidRow(row, i)),
    open: (expansion) => [
      locateRow(
        entries.map(([name, row]) => ({ name, row })),
        origin,
        expansion,
      ),
    ],
  });
}

/**
 * Create one column with one row per value.
 *
 * ```ts
 * values('hull', ['mono', 'cat', 'tri'])
 * ```
 */
export function values<const K extends string, V extends readonly D[], D extends Datum = Datum>(column: K, given: V): CaseSource<{ [P in K]: V[number] }> {
  const problems = findInvalidArguments({ column, values: given }, { column: text, values: listOf('values') }, 'values');
  if (problems.length > 0) return buildInvalidSource('values', problems);
  const origin = captureStack(values, 1);
  return new CaseSourceImpl<{ [P in K]: V[number] }>({
    description: 'values',
    columns: [column],
    open: (expansion) => [
      locateRow(
        given.map((value) => ({ row: { [column]: value } })),
        origin,
        expansion,
      ),
    ],
  });
}

/**
 * Create one column that counts from `from` to `to`, both included, by `by` (default: 1).
 *
 * ```ts
 * range('nights', 1, 28)
 * ```
 */
export function range<const K extends string>(column: K, from: number, to: number, by = 1): CaseSource<{ [P in K]: number }> {
  const steps = (to - from) / by;
  const problems: Problem[] =
    Number.isFinite(steps) && steps >= 0
      ? []
      : [{ code: 'invalid-type', expected: 'finite range', got: `${from} to ${to} by ${by}`, owner: `range "${column}"` }];
  return new CaseSourceImpl<{ [P in K]: number }>({
    description: 'a range',
    columns: [column],
    problems,
    isReplayable: true,
    *open() {
      // Multiplied instead of added up: 0.1 added ten times is not 1. Rounding removes the error of the multiplication.
      const size = Math.floor(steps + 1e-9);
      for (let start = 0; start <= size; start += 1024) {
        yield Array.from({ length: Math.min(1024, size - start + 1) }, (_, i) => ({ row: { [column]: Number((from + (start + i) * by).toPrecision(15)) } }));
      }
    },
  });
}
