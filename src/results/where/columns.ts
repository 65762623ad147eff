import { compareCells, countItems, isDate, listValues, type Scalar, walkCells } from './condition.ts';
import { findPrefixGroups, type PrefixGroup } from './prefixes.ts';

/** A column of a sample of rows, or one derived from it: its distinct values in order, and the value of each row. */
export interface Column {
  readonly name: string;
  readonly of: 'value' | 'length' | 'size' | 'member' | 'part' | 'order';
  /** For an order: the column that it is compared with. */
  readonly other?: string | undefined;
  /** How its values are ordered. Texts are sorted, so that those with a common prefix are adjacent. */
  readonly order: 'number' | 'date' | 'text' | 'none';
  readonly values: readonly Scalar[];
  /** For each row, the index of its value, or `missing`. For members, those of all rows, one row after the other. */
  readonly codes: Int32Array;
  /** For members: the position of each row's members in `codes`. Has one more entry than there are rows. */
  readonly starts?: Int32Array | undefined;
  readonly isSometimesMissing: boolean;
  /** For texts: the prefixes that several values share. */
  readonly prefixes: readonly PrefixGroup[];
}

export const missing = -1;

/** The maximum number of columns. In wider rows, those that most rows have are searched. */
const MAX_COLUMNS = 120;
/** The maximum number of paths in the documents of all rows. */
const MAX_PATHS = 5_000;
const MAX_MEMBERS = 500;
/** The maximum number of words of a column of texts. */
const MAX_PARTS = 40;
const wordPattern = /[\p{L}\p{N}]{2,}/gu;
/** With fewer texts, each is treated as a separate value. */
const MIN_TEXTS = 12;
/** The maximum number of pairs of columns that are compared. */
const MAX_ORDERS = 30;
const LESS = 0;
const EQUAL = 1;
const GREATER = 2;

type Row = Readonly<Record<string, unknown>>;
type Cells = unknown[];

/** Converts rows to columns, the failing rows first. Columns with one value explain nothing and are left out. */
export function buildColumns(rows: readonly Row[], failingCount: number): Column[] {
  const cells = new Map<string, { values: Cells; filled: number }>();
  for (const [i, row] of rows.entries()) {
    for (const [path, value] of walkCells(row)) {
      let column = cells.get(path);
      if (!column) {
        if (cells.size >= MAX_PATHS) continue;
        column = { values: new Array(rows.length), filled: 0 };
        cells.set(path, column);
      }
      column.values[i] = value;
      column.filled++;
    }
  }
  const byUse = [...cells].sort(([, a], [, b]) => b.filled - a.filled).slice(0, MAX_COLUMNS);
  const columns = byUse.flatMap(([name, { values }]) => [...deriveColumns(name, values, failingCount)]).filter(isVaried);
  return [...columns, ...compareColumns(columns)];
}

const isVaried = ({ of, values, isSometimesMissing }: Column): boolean =>
  of === 'member' || of === 'part' ? values.length > 0 : values.length + (isSometimesMissing ? 1 : 0) > 1;

/** Derives columns: texts have a length, lists and objects have a size and members. Of equivalent explanations, the first one is used. */
function* deriveColumns(name: string, cells: Cells, failingCount: number): Generator<Column> {
  if (cells.some((value) => typeof value === 'object' && value !== null)) {
    yield buildColumn(name, 'size', mapCells(cells, countItems));
    yield buildMembers(name, 'member', cells, listValues);
  }
  const plain = buildColumn(name, 'value', mapCells(cells, toPlain), !cells.some(Array.isArray));
  yield plain;
  const lengthOf = (value: unknown): number | undefined => (typeof value === 'string' ? value.length : undefined);
  if (plain.order === 'text') yield buildColumn(name, 'length', mapCells(cells, lengthOf));
  if (plain.order === 'text' && plain.values.length > MIN_TEXTS) {
    const parts = findParts(cells, failingCount);
    yield buildMembers(name, 'part', cells, (cell) => (typeof cell === 'string' ? parts.filter((part) => cell.includes(part)) : []));
  }
}

/** The words that are most frequent in failing rows, relative to the passing ones. */
function findParts(cells: Cells, failingCount: number): readonly string[] {
  const counts = new Map<string, { failing: number; passing: number }>();
  for (let i = 0; i < cells.length; i++) {
    const cell = cells[i];
    if (typeof cell !== 'string') continue;
    for (const word of new Set(cell.match(wordPattern) ?? [])) {
      const count = counts.get(word) ?? { failing: 0, passing: 0 };
      counts.set(word, count);
      if (i < failingCount) count.failing++;
      else count.passing++;
    }
  }
  const passingShare = failingCount / Math.max(1, cells.length - failingCount);
  const weight = ({ failing, passing }: { failing: number; passing: number }): number => failing - passing * passingShare;
  return [...counts]
    .filter(([, { failing }]) => failing > 1)
    .sort(([, a], [, b]) => weight(b) - weight(a))
    .slice(0, MAX_PARTS)
    .map(([word]) => word);
}

/** Compares columns of the same type row by row. Columns that always compare the same way are left out. */
function compareColumns(columns: readonly Column[]): Column[] {
  const found: Column[] = [];
  const comparable = columns.filter(({ of, order }) => of === 'value' && order !== 'none');
  for (const [at, one] of comparable.entries()) {
    for (const two of comparable.slice(at + 1)) {
      if (one.order !== two.order || found.length === MAX_ORDERS) continue;
      const codes = Int32Array.from(one.codes, (code, row) => {
        const order = compareCells(one.values[code], two.values[two.codes[row] as number]);
        return order === undefined ? missing : order === 0 ? EQUAL : order < 0 ? LESS : one.order === 'text' ? LESS : GREATER;
      });
      const used = new Set(codes);
      // For texts, only equality is of interest.
      if (!used.has(EQUAL) && (one.order === 'text' || !used.has(LESS) || !used.has(GREATER))) continue;
      found.push({
        name: one.name,
        of: 'order',
        other: two.name,
        order: 'none',
        values: one.order === 'text' ? ['!=', '='] : ['<', '=', '>'],
        codes,
        isSometimesMissing: false,
        prefixes: [],
      });
    }
  }
  return found;
}

/** Lists are compared as wholes, by their JSON. Objects are only compared by their parts. */
const toPlain = (value: unknown): Scalar | undefined =>
  typeof value !== 'object' || value === null ? (value as Scalar) : Array.isArray(value) ? JSON.stringify(value) : undefined;

// Missing cells are holes in the array, which only a counting loop visits.
function mapCells(cells: Cells, map: (value: unknown) => Scalar | undefined): (Scalar | undefined)[] {
  const mapped = new Array<Scalar | undefined>(cells.length);
  for (let i = 0; i < cells.length; i++) mapped[i] = map(cells[i]);
  return mapped;
}

function buildColumn(name: string, of: Column['of'], cells: readonly (Scalar | undefined)[], areTexts = true): Column {
  const distinct = new Set<Scalar>();
  let isSometimesMissing = false;
  for (const value of cells) {
    if (value === undefined) isSometimesMissing = of === 'value';
    else distinct.add(value);
  }
  const found = findOrder(distinct);
  const order = found === 'text' && !areTexts ? 'none' : found;
  const values = sortValues(distinct, order);
  const codeOf = new Map(values.map((value, code) => [value, code]));
  const codes = Int32Array.from(cells, (value) => codeOf.get(value as Scalar) ?? missing);
  return { name, of, order, values, codes, isSometimesMissing, prefixes: order === 'text' ? findPrefixGroups(values as readonly string[]) : [] };
}

function buildMembers(name: string, of: 'member' | 'part', cells: Cells, membersOf: (cell: unknown) => readonly Scalar[]): Column {
  const counts = new Map<Scalar, number>();
  const members = Array.from(cells, membersOf);
  for (const inRow of members) for (const value of inRow) counts.set(value, (counts.get(value) ?? 0) + 1);
  // Members of a single row, or of every row, distinguish nothing.
  const common = [...counts].filter(([, count]) => count > 1 && count < cells.length).sort(([, a], [, b]) => b - a);
  const values = sortValues(new Set(common.slice(0, MAX_MEMBERS).map(([value]) => value)), 'none');
  const codeOf = new Map(values.map((value, code) => [value, code]));
  const starts = new Int32Array(cells.length + 1);
  const codes: number[] = [];
  for (const [i, inRow] of members.entries()) {
    for (const value of inRow) {
      const code = codeOf.get(value);
      if (code !== undefined) codes.push(code);
    }
    starts[i + 1] = codes.length;
  }
  return { name, of, order: 'none', values, codes: Int32Array.from(codes), starts, isSometimesMissing: false, prefixes: [] };
}

const sortValues = (values: ReadonlySet<Scalar>, order: Column['order']): Scalar[] =>
  [...values].sort(order === 'number' ? (a, b) => (a as number) - (b as number) : (a, b) => (String(a) < String(b) ? -1 : 1));

function findOrder(values: ReadonlySet<Scalar>): Column['order'] {
  let order: Column['order'] | undefined;
  for (const value of values) {
    const one = typeof value === 'number' ? 'number' : isDate(value) ? 'date' : typeof value === 'string' ? 'text' : 'none';
    if (order === undefined) order = one;
    else if (order !== one) return (order === 'date' && one === 'text') || (order === 'text' && one === 'date') ? 'text' : 'none';
  }
  return order ?? 'none';
}
