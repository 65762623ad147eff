import { type Axis, buildGrid, chooseAxes, findAxes, type Grid } from '../../../src/results/grid.ts';
import type { RecordedResult } from '../../../src/results/recorded-result.ts';
import type { WhereItFails } from '../../../src/results/where/causes.ts';
import { type Condition, holdAll } from '../../../src/results/where/condition.ts';

/** The maximum number of suspects that a grid outlines. */
const MAX_OUTLINED = 5;
/** Columns with more values are only put on a side if they are requested. */
const MAX_SIDE_VALUES = 24;
const MAX_DOWN = 3;
const MAX_ACROSS = 2;

/** The conditions that a grid outlines: causes, and suspects. */
export const outlinedConditions = (where: WhereItFails | undefined): readonly (readonly Condition[])[] =>
  [...(where?.causes ?? []), ...(where?.suspects?.combinations.slice(0, MAX_OUTLINED) ?? [])].map(({ conditions }) => conditions);

/** Whether all rows of a cell meet one of the outlined conditions. */
export const isOutlined = (results: readonly RecordedResult[], outlined: readonly (readonly Condition[])[]): boolean =>
  outlined.some((conditions) => results.every(({ row }) => holdAll(conditions, row)));

export interface Sides {
  readonly down: readonly string[];
  readonly across: readonly string[];
}

/** The columns of a grid: those that are requested, or else those that show failures best. */
export function chooseSides(axes: readonly Axis[], where: WhereItFails | undefined, requested: Partial<Sides> = {}): Sides {
  const causal = new Set(outlinedConditions(where).flatMap((conditions) => conditions.map(({ column }) => column)));
  const proposed = chooseAxes(axes, causal, ({ values }) => values.length <= MAX_SIDE_VALUES);
  const exists = (column: string): boolean => axes.some((axis) => axis.column === column);
  const down = (requested.down?.filter(exists) ?? proposed?.down ?? []).slice(0, MAX_DOWN);
  const across = (requested.across?.filter(exists) ?? proposed?.across ?? []).filter((column) => !down.includes(column)).slice(0, MAX_ACROSS);
  return { down, across };
}

/** The grid that shows the failures of a test best. Undefined without two columns of few values. */
export function buildTestGrid(results: readonly RecordedResult[], where: WhereItFails | undefined): Grid<RecordedResult> | undefined {
  const axes = findAxes(results.map(({ row }) => row));
  const { down, across } = chooseSides(axes, where);
  return down.length > 0 && across.length > 0 ? buildGrid(results, axes, down, across) : undefined;
}
