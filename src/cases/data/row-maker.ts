import type { Column } from './columns.ts';

/** Makes a row of the values of all columns, in their order; those of marks are left out. */
export type MakeRow = (values: readonly unknown[]) => object;

/** With more columns, code for them is no gain. */
const mostColumns = 200;

/**
 * What makes the rows of a file in which all cells hold a value: an object that is written out costs a fifth of one whose properties
 * are set one after the other. It is compiled where that is allowed, as it is not in every page; no text of a file stands in its code.
 */
export function rowMaker(columns: readonly Column[]): MakeRow | undefined {
  const cells = columns.flatMap(({ reads }, index) => (reads.as === 'mark' ? [] : [index]));
  if (cells.length > mostColumns) return undefined;
  const names = cells.map((index) => (columns[index] as Column).property);
  const variables = cells.map((index) => `name${index}`).join(', ');
  const written = cells.map((index) => `[name${index}]: values[${index}]`).join(', ');
  try {
    return new Function('names', `const [${variables}] = names; return (values) => ({ ${written} });`)(names) as MakeRow;
  } catch {
    return undefined;
  }
}
