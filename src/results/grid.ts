import { formatShortValue } from '../cases/values.ts';
import type { Status } from '../running/result.ts';
import { getValueAt } from '../suites/row-condition.ts';
import { worstFirst } from './status-strip.ts';
import { flattenCells, type Scalar, toScalar } from './where/condition.ts';

/** The fields of a result that a grid needs. */
export interface GridInput {
  readonly row: Readonly<Record<string, unknown>>;
  readonly status: Status;
  readonly times: { readonly setup: number; readonly body: number; readonly teardown: number };
}

/** A column that can be a side of a grid: few values, but more than one. */
export interface Axis {
  readonly column: string;
  /** In order of first occurrence. Numbers are sorted. */
  readonly values: readonly Scalar[];
}

/** The cases that share the values of the axes, in one cell. */
export interface Cell<Result extends GridInput = GridInput> {
  readonly results: readonly Result[];
  /** The worst status of its cases. */
  readonly status: Status;
  readonly failing: number;
  readonly milliseconds: number;
}

export interface Grid<Result extends GridInput = GridInput> {
  readonly down: readonly string[];
  readonly across: readonly string[];
  /** The values above each column: one for each axis across. */
  readonly columnHeaders: readonly (readonly Scalar[])[];
  readonly lines: readonly { readonly values: readonly Scalar[]; readonly cells: readonly (Cell<Result> | undefined)[] }[];
}

/** A column with more values cannot be the side of a grid. */
export const MAX_AXIS_VALUES = 24;

/** The columns of some rows that have 2 to 24 values, each shared by several rows. */
export function findAxes(rows: Iterable<GridInput['row']>): Axis[] {
  const columns = new Map<string, Map<string, Scalar>>();
  const wide = new Set<string>();
  let count = 0;
  for (const row of rows) {
    count++;
    for (const [column, value] of flattenCells(row)) {
      if (wide.has(column)) continue;
      let values = columns.get(column);
      if (!values) columns.set(column, (values = new Map()));
      values.set(JSON.stringify(value), value);
      if (values.size > MAX_AXIS_VALUES) {
        wide.add(column);
        columns.delete(column);
      }
    }
  }
  return [...columns]
    .map(([column, values]): Axis => ({ column, values: inOrder([...values.values()]) }))
    .filter(({ values }) => values.length > 1 && values.length * 2 <= count);
}

const inOrder = (values: Scalar[]): Scalar[] => (values.every((value) => typeof value === 'number') ? values.sort((a, b) => a - b) : values);

/** Arranges results by the values of some columns. Cases that differ in other columns share a cell. */
export function buildGrid<Result extends GridInput>(
  results: Iterable<Result>,
  axes: readonly Axis[],
  down: readonly string[],
  across: readonly string[],
): Grid<Result> {
  const cells = new Map<string, Result[]>();
  const key = (values: readonly (Scalar | undefined)[]): string => JSON.stringify(values);
  for (const result of results) {
    const at = key([...down, ...across].map((column) => toScalar(getValueAt(result.row, column))));
    const cell = cells.get(at);
    if (cell) cell.push(result);
    else cells.set(at, [result]);
  }
  const valuesOf = (columns: readonly string[]): Scalar[][] =>
    columns.reduce<Scalar[][]>(
      (lists, column) => {
        const values = axes.find((axis) => axis.column === column)?.values ?? [];
        return lists.flatMap((list) => values.map((value) => [...list, value]));
      },
      [[]],
    );
  const columnHeaders = valuesOf(across).filter((head) => valuesOf(down).some((values) => cells.has(key([...values, ...head]))));
  const lines = valuesOf(down).map((values) => ({ values, cells: columnHeaders.map((head) => findCell(cells.get(key([...values, ...head])))) }));
  return { down, across, columnHeaders, lines: lines.filter((line) => line.cells.some((cell) => cell !== undefined)) };
}

function findCell<Result extends GridInput>(results: readonly Result[] | undefined): Cell<Result> | undefined {
  if (!results) return undefined;
  const statuses = new Set(results.map(({ status }) => status));
  return {
    results,
    status: worstFirst.find((status) => statuses.has(status)) ?? 'passed',
    failing: results.filter(({ status }) => status === 'failed' || status === 'errored').length,
    milliseconds: results.reduce((sum, { times }) => sum + times.setup + times.body + times.teardown, 0),
  };
}

/**
 * Chooses axes if none are given: columns that explain failures first, then those with the most values. The one with the most values goes
 * across if there is room, and up to two go down.
 */
export function chooseAxes(
  axes: readonly Axis[],
  telling: ReadonlySet<string>,
  fits: (axis: Axis) => boolean,
): { down: string[]; across: string[] } | undefined {
  const ranked = [...axes].sort((a, b) => Number(telling.has(b.column)) - Number(telling.has(a.column)) || b.values.length - a.values.length).slice(0, 3);
  const across = [...ranked].sort((a, b) => b.values.length - a.values.length).find(fits);
  const down = ranked.filter((axis) => axis !== across);
  if (!across || down.length === 0) return undefined;
  const size = down.reduce((product, { values }) => product * values.length, 1);
  return { across: [across.column], down: (size > 36 ? down.slice(0, 1) : down).map(({ column }) => column) };
}

export const formatGridValue = (value: Scalar): string => (value === '' ? '(empty)' : formatShortValue(value));
