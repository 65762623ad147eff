import { describeThrown, isInstanceOf } from '../problems/instance-of.ts';
import type { Problem } from '../problems/problem.ts';
import { ProblemError, throwProblem } from '../problems/problem-error.ts';
import { outsideTests } from './ambient-host.ts';
import { type Annotations, mergeAnnotations, type RowAnnotations, validateAnnotations } from './annotations.ts';
import type { ColumnCell } from './column-cell.ts';
import { mergeDistinct, mergeEntries } from './merge-entries.ts';
import type { Partition } from './partition.ts';
import { createRandom } from './random.ts';
import { type ExpansionContext, MAX_ROWS, type RowBatches, type RowEntry } from './row.ts';
import { formatShortValue } from './values.ts';

/** A value of a row. String literals keep their literal type; numbers and objects are widened. */
export type Datum = string | {} | null | undefined;
export type Simplify<T> = { [K in keyof T]: T[K] };
type OverrideColumns<Row, More> = Simplify<Omit<Row, keyof More> & More>;
/** A source whose columns are all new. */
type DisjointColumns<Row, Other> = keyof Row & keyof Other extends never ? unknown : { readonly 'columns in both sources': keyof Row & keyof Other };
type Either<A, B> = Simplify<A & { [K in Exclude<keyof B, keyof A>]?: undefined }> | Simplify<B & { [K in Exclude<keyof A, keyof B>]?: undefined }>;

type Renamed<Row, Names> = Simplify<{
  [Column in keyof Row as Column extends keyof Names ? (Names[Column] extends string ? Names[Column] : Column) : Column]: Row[Column];
}>;

/**
 * A lazy, reusable sequence of rows. Each row is a case. Methods return a new source and do not change this one.
 *
 * Iterate over it with `for await` to use its rows outside tests.
 */
export interface CaseSource<Row extends object> {
  /** Combines every row with every row of another source. The columns must be different. */
  cross<Other extends object>(other: CaseSource<Other> & DisjointColumns<Row, Other>): CaseSource<Simplify<Row & Other>>;
  /** Combines the first rows of both sources, then the second rows, and so on. Both need the same number of rows. */
  zip<Other extends object>(other: CaseSource<Other> & DisjointColumns<Row, Other>): CaseSource<Simplify<Row & Other>>;
  /** Appends the rows of another source. */
  concat<Other extends object>(other: CaseSource<Other>): CaseSource<Either<Row, Other>>;
  /** Keeps the rows that satisfy a condition. */
  filter(condition: (row: Row) => boolean): CaseSource<Row>;
  /** Keeps only these columns. */
  select<Column extends keyof Row>(...columns: readonly Column[]): CaseSource<Simplify<Pick<Row, Column>>>;
  /** Renames columns: `{ 'Berth no.': 'berth' }`. */
  rename<const Names extends { readonly [Column in keyof Row]?: string }>(names: Names): CaseSource<Renamed<Row, Names>>;
  /** Adds columns computed from a row. A column that exists is replaced. */
  derive<More extends object>(compute: (row: Row) => More): CaseSource<OverrideColumns<Row, More>>;
  /** Replaces each row by the rows computed from it. */
  expand<Other extends object>(compute: (row: Row) => CaseSource<Other> | readonly Other[]): CaseSource<OverrideColumns<Row, Other>>;
  /** Keeps a repeatable sample of up to `count` rows, in their order. Its seed (default: 1) is independent of the run's seed. */
  sample(count: number, seed?: number): CaseSource<Row>;
  /** Names each case. Default: a name made from its values. A row without a name is an errored case. */
  nameBy(name: (row: Row, index: number) => string): CaseSource<Row>;
  /** Annotates single rows: tags, a skip, a known failure, a time limit. */
  annotate(annotations: (row: Row) => RowAnnotations | undefined | void): CaseSource<Row>;
  [Symbol.asyncIterator](): AsyncIterator<Row>;
}

/** The parts of a source. */
export interface SourceDefinition {
  /** For messages and lists: `a table`, `dues.csv`, `a table × a range`. */
  readonly description: string;
  /** Its columns, if they are known without reading a row. */
  readonly columns?: readonly string[] | undefined;
  /** The declarations of its columns in a file. */
  readonly cells?: ReadonlyMap<string, ColumnCell> | undefined;
  /** Problems of the whole source, before a row is read. */
  readonly problems?: readonly Problem[] | undefined;
  open(expansion: ExpansionContext): RowBatches;
  /** Rebuilds an entry from other values as the source would produce it, or returns undefined. Default: the entry unchanged. */
  readonly rebuild?: ((entry: RowEntry) => RowEntry | undefined) | undefined;
  /** Reading it again gives the same rows at little cost. */
  readonly isReplayable?: boolean | undefined;
  /** The rows of one partition. Equal rows are in the same one. Undefined if all rows must be read. */
  openPartition?(expansion: ExpansionContext, share: Partition): Promise<SharedChunks | undefined>;
  /** Facts about all rows. Lost if rows are left out. */
  readonly facts?: readonly ((expansion: ExpansionContext) => Promise<SourceSummary>)[] | undefined;
}

/** Rows of one partition, each with its number among all rows. */
export interface SharedChunk {
  readonly entries: readonly RowEntry[];
  readonly ordinals: readonly number[];
  /** The number of rows read so far, including those of other partitions. */
  readonly rows: number;
}

export type SharedChunks = AsyncIterable<SharedChunk>;

/** A summary of a source's rows, with warnings. */
export interface SourceSummary {
  /** One line: `48 rows for 31,104 combinations; every pair of values occurs (612 of 612)`. */
  readonly summary: string;
  readonly warnings: readonly Problem[];
}

/** An entry whose row a user's function could not handle. Only its own case fails. */
function reportThrown(error: unknown, entry: RowEntry, source: string): RowEntry {
  const problems = isInstanceOf(error, ProblemError) ? error.problems : [{ code: 'row-threw', source, reason: describeThrown(error) } as const];
  return { ...entry, problems: problems.map((problem) => ({ ...problem, at: problem.at ?? entry.location })) };
}

const unchanged = (entry: RowEntry): RowEntry => entry;

function tryChange(entry: RowEntry, source: string, change: (entry: RowEntry) => RowEntry | undefined): RowEntry | undefined {
  try {
    return change(entry);
  } catch (error) {
    return reportThrown(error, entry, source);
  }
}

/** Implements `CaseSource`: parts, and the operations on them. */
export class CaseSourceImpl<Row extends object = object> implements CaseSource<Row> {
  readonly #parts: SourceDefinition;

  constructor(parts: SourceDefinition) {
    this.#parts = parts;
  }

  static partsOf(source: CaseSource<any>): SourceDefinition {
    if (source instanceof CaseSourceImpl) return source.#parts;
    return throwProblem({ code: 'invalid-type', expected: 'case source', got: String(source), owner: 'cases' });
  }

  cross<Other extends object>(other: CaseSource<Other>): CaseSource<any> {
    return this.#with(other, '×', async function* (left, right, expansion) {
      for await (const lefts of left.open(expansion)) {
        for (const entry of lefts) {
          for await (const rights of right.open(expansion)) yield rights.map((rightEntry) => mergeDistinct(entry, rightEntry, 'cross'));
        }
      }
    });
  }

  zip<Other extends object>(other: CaseSource<Other>): CaseSource<any> {
    return this.#with(other, 'zip', async function* (left, right, expansion) {
      const [lefts, rights] = [flattenBatches(left.open(expansion)), flattenBatches(right.open(expansion))];
      for (let rows = 0; ; rows++) {
        const [one, two] = [await lefts.next(), await rights.next()];
        if (one.done && two.done) return;
        if (one.done || two.done) {
          let longer = rows + 1;
          for await (const _ of one.done ? rights : lefts) longer++;
          throw new ProblemError([{ code: 'zip-length-mismatch', left: one.done ? rows : longer, right: two.done ? rows : longer }]);
        }
        yield [mergeDistinct(one.value, two.value, 'zip')];
      }
    });
  }

  concat<Other extends object>(other: CaseSource<Other>): CaseSource<any> {
    const [left, right] = [this.#parts, CaseSourceImpl.partsOf(other)];
    return new CaseSourceImpl({
      description: `${left.description} + ${right.description}`,
      columns: left.columns && right.columns && [...new Set([...left.columns, ...right.columns])],
      cells: new Map([...(left.cells ?? []), ...(right.cells ?? [])]),
      problems: [...(left.problems ?? []), ...(right.problems ?? [])],
      async *open(expansion) {
        yield* left.open(expansion);
        yield* right.open(expansion);
      },
    });
  }

  filter(condition: (row: Row) => boolean): CaseSource<Row> {
    return this.#map(this.#parts.columns, undefined, unchanged, () => (entry) => (entry.problems || condition(entry.row as Row) ? entry : undefined));
  }

  select(...columns: readonly PropertyKey[]): CaseSource<any> {
    const names = columns.map(String);
    return this.#reshape(
      names,
      names,
      (row) => Object.fromEntries(names.filter((name) => Object.hasOwn(row, name)).map((name) => [name, row[name]])),
      // A row cannot be rebuilt from some of its columns: the others can be needed to compute a column, or to exclude the row.
      this.#parts.columns?.every((column) => names.includes(column)) ? (row) => row : undefined,
    );
  }

  rename(names: Readonly<Record<string, string | undefined>>): CaseSource<any> {
    const nameOf = (column: string): string => (Object.hasOwn(names, column) && names[column]) || column;
    const oldNames = new Map(Object.entries(names).map(([column, name]) => [name, column]));
    const renamed = (row: Readonly<Record<string, unknown>>, name: (column: string) => string): object =>
      Object.fromEntries(Object.entries(row).map(([column, value]) => [name(column), value]));
    return this.#reshape(
      Object.keys(names),
      this.#parts.columns?.map(nameOf),
      (row) => renamed(row, nameOf),
      (row) => renamed(row, (column) => oldNames.get(column) ?? column),
      nameOf,
    );
  }

  /** The same rows with other columns. `restore` is the inverse; without it, rows cannot be rebuilt. `used` are the columns that must exist. */
  #reshape(
    used: readonly string[],
    columns: readonly string[] | undefined,
    reshape: (row: Readonly<Record<string, unknown>>) => object,
    restore: ((row: Readonly<Record<string, unknown>>) => object) | undefined,
    nameOf?: (column: string) => string,
  ): CaseSourceImpl<any> {
    const { columns: known, description } = this.#parts;
    const missing = known ? used.filter((column) => !known.includes(column)) : [];
    const duplicate = columns?.find((column, i) => columns.indexOf(column) < i);
    const problems: Problem[] = missing.map((column) => ({ code: 'missing-column', column, known: known as readonly string[] }));
    if (duplicate !== undefined) problems.push({ code: 'duplicate-column', column: duplicate, source: description });
    const reshaped = this.#map(
      columns,
      this.#parts.facts,
      restore && ((entry) => ({ ...entry, row: restore(entry.row as Record<string, unknown>) })),
      () => (entry) => (entry.problems ? entry : { ...entry, row: reshape(entry.row as Record<string, unknown>) }),
    );
    const parts = CaseSourceImpl.partsOf(reshaped);
    const cells = nameOf && new Map([...(parts.cells ?? [])].map(([column, one]) => [nameOf(column), one]));
    return new CaseSourceImpl({
      ...parts,
      cells: cells ?? parts.cells,
      problems: problems.length === 0 ? parts.problems : [...(this.#parts.problems ?? []), ...problems],
    });
  }

  derive<More extends object>(compute: (row: Row) => More): CaseSource<any> {
    return this.#map(
      undefined,
      this.#parts.facts,
      unchanged,
      () => (entry) => (entry.problems ? entry : { ...entry, row: { ...entry.row, ...compute(entry.row as Row) } }),
    );
  }

  expand<Other extends object>(compute: (row: Row) => CaseSource<Other> | readonly Other[]): CaseSource<any> {
    const parts = this.#parts;
    return new CaseSourceImpl({
      description: `${parts.description}, expanded`,
      problems: parts.problems,
      async *open(expansion) {
        for await (const chunk of parts.open(expansion)) {
          for (const entry of chunk) {
            if (entry.problems) yield [entry];
            else {
              let chunks: RowBatches;
              try {
                const inner = compute(entry.row as Row);
                chunks = Array.isArray(inner) ? [inner.map((row) => ({ row }))] : CaseSourceImpl.partsOf(inner as CaseSource<Other>).open(expansion);
              } catch (error) {
                yield [reportThrown(error, entry, parts.description)];
                continue;
              }
              for await (const rows of chunks) yield rows.map((rightEntry) => mergeEntries(entry, rightEntry));
            }
          }
        }
      },
    });
  }

  sample(count: number, seed = 1): CaseSource<Row> {
    const parts = this.#parts;
    return new CaseSourceImpl({
      columns: parts.columns,
      problems: parts.problems,
      cells: parts.cells,
      rebuild: parts.rebuild,
      description: `${count} of ${parts.description}`,
      // Reservoir sampling: algorithm R (J. S. Vitter, 1985), with each row's index kept beside it for the order.
      async *open(expansion) {
        const sample: { index: number; entry: RowEntry }[] = [];
        const random = createRandom(String(seed));
        let index = 0;
        for await (const entry of flattenBatches(parts.open(expansion))) {
          const slot = index < count ? index : random.integer(0, index);
          if (slot < count) sample[slot] = { index, entry };
          index++;
        }
        yield sample.sort((a, b) => a.index - b.index).map(({ entry }) => entry);
      },
    });
  }

  nameBy(name: (row: Row, index: number) => string): CaseSource<Row> {
    return this.#map(this.#parts.columns, this.#parts.facts, unchanged, () => {
      let index = 0;
      return (entry) => {
        // An invalid row counts too, so that the others keep their names when it is fixed.
        const at = index++;
        if (entry.problems) return entry;
        const given: unknown = name(entry.row as Row, at);
        if (given !== undefined && given !== '' && typeof given !== 'object') return { ...entry, name: String(given) };
        return {
          ...entry,
          problems: [{ code: 'invalid-type', expected: 'name', got: formatShortValue(given), owner: `nameBy, row ${at + 1}`, at: entry.location }],
        };
      };
    });
  }

  annotate(annotations: (row: Row) => RowAnnotations | undefined | void): CaseSource<Row> {
    return this.#map(this.#parts.columns, this.#parts.facts, unchanged, () => (entry) => {
      const added = entry.problems ? undefined : annotations(entry.row as Row);
      if (!added) return entry;
      const problems = validateAnnotations(added, 'annotate').map((problem) => ({ ...problem, at: entry.location }));
      return problems.length > 0 ? { ...entry, problems } : { ...entry, annotations: mergeAnnotations<Annotations>(entry.annotations ?? {}, added) };
    });
  }

  async *[Symbol.asyncIterator](): AsyncGenerator<Row> {
    for await (const entry of readEntries(this, outsideTests())) {
      if (entry.problems) throw new ProblemError(entry.problems);
      yield entry.row as Row;
    }
  }

  /** Changes each entry. `restore` finds the entry before the change, as far as the source needs it; without it, rows cannot be rebuilt. */
  #map(
    columns: readonly string[] | undefined,
    facts: SourceDefinition['facts'],
    restore: ((entry: RowEntry) => RowEntry) | undefined,
    begin: () => (entry: RowEntry) => RowEntry | undefined,
  ): CaseSourceImpl<any> {
    const parts = this.#parts;
    return new CaseSourceImpl({
      description: parts.description,
      columns,
      cells: parts.cells,
      problems: parts.problems,
      facts,
      rebuild:
        restore &&
        ((entry) => {
          const inner = restore(entry);
          const rebuilt = parts.rebuild ? parts.rebuild(inner) : inner;
          return rebuilt && tryChange(rebuilt, parts.description, begin());
        }),
      async *open(expansion) {
        const change = begin();
        for await (const chunk of parts.open(expansion)) {
          const changed = chunk.map((entry) => tryChange(entry, parts.description, change)).filter((entry) => entry !== undefined);
          if (changed.length) yield changed;
        }
      },
    });
  }

  #with(
    other: CaseSource<any>,
    sign: string,
    open: (left: SourceDefinition, right: SourceDefinition, expansion: ExpansionContext) => RowBatches,
  ): CaseSourceImpl<any> {
    const [left, right] = [this.#parts, CaseSourceImpl.partsOf(other)];
    const shared = left.columns && right.columns ? left.columns.filter((column) => right.columns?.includes(column)) : [];
    const clash: Problem[] = shared.length ? [{ code: 'overlapping-columns', columns: shared, operation: sign === 'zip' ? 'zip' : 'cross' }] : [];
    return new CaseSourceImpl({
      facts: [...(left.facts ?? []), ...(right.facts ?? [])],
      description: `${left.description} ${sign} ${right.description}`,
      columns: left.columns && right.columns && [...left.columns, ...right.columns],
      cells: new Map([...(left.cells ?? []), ...(right.cells ?? [])]),
      problems: [...(left.problems ?? []), ...(right.problems ?? []), ...clash],
      rebuild(entry) {
        const [one, two] = [rebuildPart(left, entry), rebuildPart(right, entry)];
        return one && two && mergeEntries(entry, mergeEntries(one, two));
      },
      open: (expansion) => open(left, right, expansion),
    });
  }
}

/** The entries of a source one by one, up to the maximum number. */
export async function* readEntries(source: CaseSource<any>, expansion: ExpansionContext): AsyncGenerator<RowEntry> {
  const parts = CaseSourceImpl.partsOf(source);
  if (parts.problems?.length) throw new ProblemError(parts.problems);
  yield* flattenBatches(parts.open(expansion));
}

async function* flattenBatches(chunks: RowBatches): AsyncGenerator<RowEntry> {
  let rows = 0;
  for await (const chunk of chunks) {
    rows += chunk.length;
    if (rows > MAX_ROWS) throwProblem({ code: 'too-many-rows', limit: MAX_ROWS });
    yield* chunk;
  }
}

/** The columns of an entry that come from one of two sources. All, if its columns are not known. */
function rebuildPart({ columns, rebuild }: SourceDefinition, entry: RowEntry): RowEntry | undefined {
  if (!rebuild) return { row: {} };
  return rebuild({ row: columns ? Object.fromEntries(Object.entries(entry.row).filter(([column]) => columns.includes(column))) : entry.row });
}
