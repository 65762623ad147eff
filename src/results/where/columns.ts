import { flattenCells, isDate, type Scalar } from './condition.ts';

/** One column of a sample of rows: its distinct values in order, and which of them each row has. */
export interface Column {
  readonly name: string;
  /** What its values are ordered by; texts are sorted, so that those with one start stand together. */
  readonly order: 'number' | 'date' | 'length' | 'text' | 'none';
  /** Lengths, where it is the length of a text column. */
  readonly values: readonly Scalar[];
  /** Of each row, the index of its value; `missing` where it has none. */
  readonly codes: Int32Array;
  readonly isSometimesMissing: boolean;
}

export const missing = -1;

/** Wider rows are looked at as far as this. */
const MAX_COLUMNS = 60;

/** Takes rows apart into columns. Those that have one value throughout explain nothing, and are left out. */
export function buildColumns(rows: readonly Readonly<Record<string, unknown>>[]): Column[] {
  const cells = new Map<string, (Scalar | undefined)[]>();
  rows.forEach((row, i) => {
    for (const [column, value] of flattenCells(row)) {
      let values = cells.get(column);
      if (!values) {
        if (cells.size >= MAX_COLUMNS) continue;
        cells.set(column, (values = new Array<Scalar | undefined>(rows.length)));
      }
      values[i] = value;
    }
  });
  const columns: Column[] = [];
  for (const [name, values] of cells) {
    const column = buildColumn(name, values);
    columns.push(column);
    if (column.order === 'text')
      columns.push({
        ...buildColumn(
          name,
          Array.from(values, (value) => (typeof value === 'string' ? value.length : undefined)),
        ),
        order: 'length',
      });
  }
  return columns.filter(({ values, isSometimesMissing }) => values.length + (isSometimesMissing ? 1 : 0) > 1);
}

function buildColumn(name: string, cells: readonly (Scalar | undefined)[]): Column {
  const distinct = new Set<Scalar>();
  let isSometimesMissing = false;
  // Rows that lack it are holes, which only a counted loop sees.
  for (let i = 0; i < cells.length; i++) {
    const value = cells[i];
    if (value === undefined) isSometimesMissing = true;
    else distinct.add(value);
  }
  const order = findOrder(distinct);
  const values = [...distinct].sort(order === 'number' ? (a, b) => (a as number) - (b as number) : (a, b) => (String(a) < String(b) ? -1 : 1));
  const codeOf = new Map(values.map((value, code) => [value, code]));
  const codes = Int32Array.from({ length: cells.length }, (_, i) => codeOf.get(cells[i] as Scalar) ?? missing);
  return { name, order, values, codes, isSometimesMissing };
}

function findOrder(values: ReadonlySet<Scalar>): Column['order'] {
  let order: Column['order'] | undefined;
  for (const value of values) {
    const one = typeof value === 'number' ? 'number' : isDate(value) ? 'date' : typeof value === 'string' ? 'text' : 'none';
    if (order === undefined) order = one;
    else if (order !== one) return (order === 'date' && one === 'text') || (order === 'text' && one === 'date') ? 'text' : 'none';
  }
  return order ?? 'none';
}
