import type { ColumnCell } from '../column-cell.ts';
import type { Simplify } from '../source.ts';
import { type Cell, CellReader, cell, writePlain } from './cells.ts';

/** The part of the Standard Schema specification that Red Lattice uses: https://standardschema.dev */
export interface StandardSchema<Out> {
  readonly '~standard': {
    readonly version: 1;
    readonly vendor: string;
    validate(value: unknown): unknown;
    readonly types?: { readonly input: any; readonly output: Out } | undefined;
  };
}

/** The columns of a data file, by property: a cell type, or a Standard Schema that validates the cell's text. */
export type Columns = Readonly<Record<string, Cell<any> | StandardSchema<any>>>;
type Optional<C> = { [K in keyof C]: C[K] extends { readonly absent: true } ? K : never }[keyof C];
type CellValue<T> = T extends Cell<infer V> ? V : T extends StandardSchema<infer V> ? V : never;
/** The row type of columns. Optional cells are optional properties. */
export type RowOf<C> = Simplify<{ [K in Exclude<keyof C, Optional<C>>]: CellValue<C[K]> } & { [K in Optional<C>]?: CellValue<C[K]> }>;

/** How to convert the records of a file. */
export interface RowTyping {
  readonly columns: Columns | undefined;
  readonly schema: StandardSchema<unknown> | undefined;
  /** Headings that may stay unread. */
  readonly ignore?: readonly string[] | undefined;
}

/** The use of one column of a file. */
export interface Column {
  readonly property: string;
  readonly heading: string;
  readonly reads:
    | { readonly as: 'cell'; readonly reader: CellReader<unknown> }
    | { readonly as: 'schema'; readonly schema: StandardSchema<unknown> }
    | { readonly as: 'mark'; readonly mark: AnnotationColumn };
}

type AnnotationColumn = 'name' | 'tags' | 'skip' | 'knownFailure';
const marks: Readonly<Record<string, AnnotationColumn>> = { '(case)': 'name', '(tags)': 'tags', '(skip)': 'skip', '(known failure)': 'knownFailure' };

export const isMark = (heading: string): boolean => Object.hasOwn(marks, heading);

const anyText = cell.text.default('') as CellReader<unknown>;

/** The columns to read: those with types or, if there are none, every heading; and the annotation columns among the headings. */
export function buildColumns(columns: Columns | undefined, headings: readonly string[]): Column[] {
  const typed = columns
    ? Object.entries(columns).map(([property, column]): Column => {
        if ('~standard' in column) return { property, heading: property, reads: { as: 'schema', schema: column } };
        const reader = column as CellReader<unknown>;
        return { property, heading: reader.headingInFile ?? property, reads: { as: 'cell', reader } };
      })
    : headings.filter((heading) => !isMark(heading)).map((heading): Column => ({ property: heading, heading, reads: { as: 'cell', reader: anyText } }));
  const marking = headings
    .filter(isMark)
    .map((heading): Column => ({ property: heading, heading, reads: { as: 'mark', mark: marks[heading] as AnnotationColumn } }));
  return [...marking, ...typed];
}

/** How computed values are compared with the columns, and written to them. */
export const describeCells = (columns: Columns): ReadonlyMap<string, ColumnCell> =>
  new Map(
    Object.entries(columns).map(([property, column]): [string, ColumnCell] => {
      if (!(column instanceof CellReader)) return [property, { heading: property, write: writePlain }];
      const { headingInFile = property, tolerance } = column;
      return [property, { heading: headingInFile, tolerance, write: (value) => column.write(value), read: column.read }];
    }),
  );
