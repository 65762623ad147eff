/** Axes by number, with their numbers of values: what constraints and searches use. Rows are arrays of levels; -1 is an open axis. */
export interface Axes {
  readonly names: readonly string[];
  readonly values: readonly (readonly unknown[])[];
  readonly counts: readonly number[];
}

/** An axis that is not a list, which untyped code can pass, has no values. */
export function parseAxes(given: Readonly<Record<string, readonly unknown[]>>): Axes {
  const names = Object.keys(given);
  const values = names.map((name) => (Array.isArray(given[name]) ? given[name] : []));
  return { names, values, counts: values.map((list) => list.length) };
}

/** The index of a value on its axis, or -1. NaN equals NaN. */
export const findLevel = (values: readonly unknown[], value: unknown): number =>
  Number.isNaN(value) ? values.findIndex((one) => Number.isNaN(one)) : values.indexOf(value);

/** The number of all combinations. */
export const countCombinations = ({ counts }: Axes): number => counts.reduce((product, count) => product * count, 1);

export const buildRow = ({ names, values }: Axes, levels: readonly number[]): Record<string, unknown> =>
  Object.fromEntries(names.map((name, axis) => [name, values[axis]?.[levels[axis] as number]]));
