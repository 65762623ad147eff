import { formatValuesName } from '../../../src/cases/ids.ts';
import type { Item } from './store.ts';

/** A column of a test's rows in the list. */
export interface RowColumn {
  readonly name: string;
  /** In characters. */
  readonly width: number;
  readonly isNumeric: boolean;
}

/** The rows of a test as columns: those that differ, and those with the same value in all rows. */
export interface RowColumns {
  readonly columns: readonly RowColumn[];
  readonly shared: readonly (readonly [string, string])[];
}

/** The number of rows that are measured. Longer values of later ones are shortened. */
const MAX_MEASURED = 300;
/** In characters. */
const MAX_WIDTH = 18;

export const formatCell = (value: unknown): string => (value === '' ? '(empty)' : typeof value === 'string' ? value : (JSON.stringify(value) ?? ''));

/** The name of a case within its test: the part of its title that follows the path. */
export function nameInTest({ result, test }: Item): string {
  const parts = result.title.split(' › ').slice(test.header.path.length - 1);
  return parts.length > 1 ? parts.slice(1).join(' › ') : (parts[0] ?? result.title);
}

/** Whether a case is named by the values of its row. */
const isNamedByRow = (item: Item): boolean => nameInTest(item) === formatValuesName(item.result.row);

/** Whether the cases of a test are shown as rows with columns. Only the first and the last case are checked: a list can have thousands of tests. */
export function areRows(items: readonly Item[]): boolean {
  const [first, last] = [items[0], items.at(-1)];
  return first !== undefined && last !== undefined && first !== last && Object.keys(first.result.row).length > 0 && isNamedByRow(first) && isNamedByRow(last);
}

const known = new WeakMap<readonly Item[], RowColumns>();

/** The columns of cases that are rows, measured when they are first shown. */
export function layOutRows(items: readonly Item[]): RowColumns {
  let columns = known.get(items);
  if (!columns) known.set(items, (columns = measureRows(items)));
  return columns;
}

function measureRows(items: readonly Item[]): RowColumns {
  const columns: RowColumn[] = [];
  const shared: (readonly [string, string])[] = [];
  const rows = items.map(({ result }) => result.row);
  for (const name of Object.keys(rows[0] ?? {})) {
    const value = formatCell(rows[0]?.[name]);
    if (rows.every((row) => formatCell(row[name]) === value)) {
      shared.push([name, value]);
      continue;
    }
    const measured = rows.slice(0, MAX_MEASURED).map((row) => row[name]);
    const width = measured.reduce<number>((max, one) => Math.max(max, formatCell(one).length), name.length);
    columns.push({ name, width: Math.min(MAX_WIDTH, width), isNumeric: measured.every((one) => typeof one === 'number') });
  }
  return { columns, shared };
}

/** Blanks between columns, in characters. */
const GAP = 2.5;

/** The first columns for which a number of characters suffices, at least one. */
export function fitColumns({ columns }: RowColumns, characters: number): readonly RowColumn[] {
  let used = 0;
  const end = columns.findIndex(({ width }, i) => (used += width + GAP) > characters && i > 0);
  return end < 0 ? columns : columns.slice(0, end);
}

/** The columns in the syntax of a CSS grid. */
export const gridTemplate = (columns: readonly RowColumn[]): string => columns.map(({ width }) => `${width + 1}ch`).join(' ');
