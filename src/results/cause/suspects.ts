import { type Condition, flattenCells, type Scalar } from '../where/condition.ts';

type Row = Readonly<Record<string, unknown>>;

/** A combination of values that appears in failing rows and in no passing row. */
export interface Suspect {
  readonly conditions: readonly Condition[];
  /** The number of failing rows that contain it. */
  readonly failing: number;
}

/** The remaining suspects of a test's failures, if a combination of values causes them. */
export interface Suspects {
  /** Those that most failing rows contain first, then those with the fewest values. If no combination is in all failing rows, pairs that together are come first. */
  readonly combinations: readonly Suspect[];
  /** The number of values of the smallest combinations. */
  readonly size: number;
  /** The number of combinations of this size in the failing rows, and how many of them appear in passing rows. */
  readonly total: number;
  readonly cleared: number;
  /** Each failing row contains the same single combination. */
  readonly isLikelyCause: boolean;
}

/** Suspects, and whether the first two are the only pair with as few values of which each failing row contains at least one. */
export interface FoundSuspects {
  readonly suspects: Suspects;
  readonly isOnlyPair: boolean;
}

/** Values in one combination. */
const MAX_SIZE = 3;
/** Masks are 32-bit integers. */
const MAX_COLUMNS = 30;
const MAX_FAILING_ROWS = 60;
const MIN_PASSING_ROWS = 2;

/**
 * Finds the smallest combinations of values that could have caused the failures: every combination that appears in a passing row is
 * cleared, and so is every combination that contains a smaller one that was not. Assumes that each failure is caused by a combination of
 * at most three values, and that the same row always has the same result. Returns undefined if results contradict that, or if all
 * combinations are cleared.
 *
 * The idea of clearing combinations by passing rows is that of minimal failure-causing schemas (C. Nie, H. Leung, 2011).
 */
export function findSuspects(failing: readonly Row[], passing: readonly Row[]): FoundSuspects | undefined {
  if (failing.length === 0 || failing.length > MAX_FAILING_ROWS || passing.length < MIN_PASSING_ROWS) return undefined;
  const table = encode(failing, passing);
  if (table.columns.length < 2) return undefined;
  const found = new Map<string, { readonly parts: readonly number[]; readonly row: Int32Array; readonly rows: Set<number> }>();
  for (const [at, row] of table.failing.entries()) {
    const masks = findAgreements(row, table.passing);
    // The same values have passed as well.
    if (masks.has(allOf(row.length))) return undefined;
    for (const parts of findSmallestUncleared(row.length, masks)) {
      const key = parts.map((part) => `${part}=${row[part]}`).join();
      const known = found.get(key);
      if (known) known.rows.add(at);
      else found.set(key, { parts, row, rows: new Set([at]) });
    }
  }
  let suspects = [...found.values()].sort((a, b) => b.rows.size - a.rows.size || a.parts.length - b.parts.length);
  // If all failures can have the same cause, other suspects are not needed.
  const shared = suspects.filter(({ rows }) => rows.size === failing.length);
  const pairs = shared.length > 0 ? [] : findPairs(suspects, failing.length);
  suspects = shared.length > 0 ? shared : [...new Set([...pairs, ...suspects])];
  if (suspects.length === 0) return undefined;
  const size = Math.min(...suspects.map(({ parts }) => parts.length));
  return {
    suspects: {
      combinations: suspects.map(({ parts, row, rows }) => ({
        conditions: parts.map((part) => table.conditionOf(part, row[part] as number)),
        failing: rows.size,
      })),
      size,
      ...countCleared(table, size),
      isLikelyCause: suspects.length === 1 && shared.length === 1,
    },
    isOnlyPair: pairs.length === 2,
  };
}

/** The pairs of suspects of which each failing row contains at least one, with as few values as possible. */
function findPairs<T extends { readonly parts: readonly number[]; readonly rows: ReadonlySet<number> }>(suspects: readonly T[], failing: number): T[] {
  let minValues = Number.POSITIVE_INFINITY;
  let found: T[] = [];
  for (const [i, one] of suspects.entries()) {
    for (const other of suspects.slice(i + 1)) {
      // Suspects are sorted by failing rows: no later one is enough.
      if (one.rows.size + other.rows.size < failing) break;
      const values = one.parts.length + other.parts.length;
      if (values > minValues || new Set([...one.rows, ...other.rows]).size < failing) continue;
      if (values < minValues) found = [];
      minValues = values;
      found.push(one, other);
    }
  }
  return found;
}

interface Table {
  readonly columns: readonly string[];
  /** The codes of the values of each row, by column. */
  readonly failing: readonly Int32Array[];
  readonly passing: readonly Int32Array[];
  conditionOf(column: number, code: number): Condition;
}

/** Numbers the values of each column. Leaves out columns with one value, and columns in which nearly every row has another value. */
function encode(failing: readonly Row[], passing: readonly Row[]): Table {
  const rows = [...failing, ...passing].map((row) => new Map(flattenCells(row)));
  const names = [...new Set(rows.flatMap((row) => [...row.keys()]))];
  const codes = names.map(() => new Map<Scalar | undefined, number>());
  const encoded = rows.map((row) =>
    names.map((name, column) => {
      const values = codes[column] as Map<Scalar | undefined, number>;
      const value = row.get(name);
      if (!values.has(value)) values.set(value, values.size);
      return values.get(value) as number;
    }),
  );
  const isKept = (column: number): boolean => {
    const { size } = codes[column] as Map<unknown, number>;
    return size > 1 && size <= Math.max(2, rows.length / 2);
  };
  const chosen = [...names.keys()].filter(isKept).slice(0, MAX_COLUMNS);
  const narrowed = encoded.map((row) => Int32Array.from(chosen, (column) => row[column] as number));
  const values = chosen.map((column) => [...(codes[column] as Map<Scalar | undefined, number>).keys()]);
  return {
    columns: chosen.map((column) => names[column] as string),
    failing: narrowed.slice(0, failing.length),
    passing: narrowed.slice(failing.length),
    conditionOf(at, code) {
      const column = names[chosen[at] as number] as string;
      const value = values[at]?.[code];
      return value === undefined ? { kind: 'missing', column } : { kind: 'value', column, value };
    },
  };
}

const allOf = (columns: number): number => (1 << columns) - 1;

/** The columns of a row in which each passing row agrees with it, as masks. */
function findAgreements(row: Int32Array, passing: readonly Int32Array[]): Set<number> {
  const masks = new Set<number>();
  for (const other of passing) {
    let mask = 0;
    for (let column = 0; column < row.length; column++) if (row[column] === other[column]) mask |= 1 << column;
    masks.add(mask);
  }
  return masks;
}

/** The smallest sets of columns that no mask contains. None of them contains another. */
function findSmallestUncleared(columns: number, masks: ReadonlySet<number>): number[][] {
  const found: { readonly mask: number; readonly parts: number[] }[] = [];
  const all = [...masks];
  for (const parts of listColumnSets(columns)) {
    const mask = parts.reduce((sum, part) => sum | (1 << part), 0);
    if (found.some((smaller) => (smaller.mask & mask) === smaller.mask)) continue;
    if (!all.some((agreed) => (agreed & mask) === mask)) found.push({ mask, parts });
  }
  return found.map(({ parts }) => parts);
}

/** All sets of up to three columns, the smaller ones first. */
function* listColumnSets(columns: number): Generator<number[]> {
  for (let size = 1; size <= MAX_SIZE; size++) yield* ofSize(columns, size, 0);
}

function* ofSize(columns: number, size: number, from: number): Generator<number[]> {
  if (size === 0) yield [];
  for (let first = from; size > 0 && first < columns; first++) for (const rest of ofSize(columns, size - 1, first + 1)) yield [first, ...rest];
}

/** The number of combinations of a size in the failing rows, and how many of them appear in passing rows. */
function countCleared({ failing, passing, columns }: Table, size: number): { readonly total: number; readonly cleared: number } {
  const seen = new Map<string, boolean>();
  for (const row of failing) {
    const masks = [...findAgreements(row, passing)];
    for (const parts of ofSize(columns.length, size, 0)) {
      const key = parts.map((part) => `${part}=${row[part]}`).join();
      const mask = parts.reduce((sum, part) => sum | (1 << part), 0);
      if (!seen.has(key))
        seen.set(
          key,
          masks.some((agreed) => (agreed & mask) === mask),
        );
    }
  }
  return { total: seen.size, cleared: [...seen.values()].filter(Boolean).length };
}
