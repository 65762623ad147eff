import type { SourceLocation } from '../../problems/source-location.ts';
import type { RowEntry } from '../row.ts';
import { formatShortValue } from '../values.ts';
import { buildColumns, type Column, isMark, type RowTyping, type StandardSchema } from './columns.ts';
import { buildInvalidEntry, convertRecord, type RawRecord } from './typing.ts';

/** Keys and list indices, from the top of a document. */
export type Path = readonly (string | number)[];

/** A parsed document. */
export interface ParsedDocument {
  readonly document: unknown;
  /**
   * The location of an item of its list, or of the value under one of the item's keys. Called for each item, and for keys when a message
   * needs it.
   */
  placeOf(item: number, key?: string): SourceLocation;
  /** The number of an item's lines. Undefined for one line. */
  linesOf(item: number): number | undefined;
}

/** The number of lines from `first` to `last`. Undefined for one line. */
export const countLines = (first: number, last: number): number | undefined => (last > first ? last - first + 1 : undefined);

/** The location of an item, or of the value under one of its keys. */
type PlaceOf = (key: string | undefined) => SourceLocation;

/** Converts one item of a document to a row. It must be an object. `name` names an invalid item. */
export function convertItem(item: unknown, name: string, { columns, schema }: RowTyping, placeOf: PlaceOf, lines?: number): RowEntry | Promise<RowEntry> {
  const place = placeOf(undefined);
  if (typeof item !== 'object' || item === null || Array.isArray(item))
    return buildInvalidEntry(name, { location: place, lines }, { code: 'expected-object', got: formatShortValue(item), at: place });
  const values = item as Record<string, unknown>;
  const headings = Object.keys(values);
  if (Object.hasOwn(values, '__proto__'))
    return buildInvalidEntry(name, { location: place, lines }, { code: 'invalid-heading', heading: '__proto__', at: placeOf('__proto__') });
  if (!columns && !schema && !headings.some(isMark)) return { row: values, location: place, lines };
  const record: RawRecord = {
    location: place,
    lines,
    value: ({ heading }) => (Object.hasOwn(values, heading) ? values[heading] : undefined),
    isQuoted: () => false,
    at: (column) => placeOf(column && Object.hasOwn(values, column.heading) ? column.heading : undefined),
  };
  return convertRecord(record, { columns: columns ? buildColumns(columns, headings) : buildPassthroughColumns(headings), schema });
}

/** Columns of a document whose values are used unchanged. */
const buildPassthroughColumns = (headings: readonly string[]): Column[] =>
  buildColumns(undefined, headings).map((column) => (column.reads.as === 'mark' ? column : { ...column, reads: { as: 'schema', schema: anySchema } }));

const anySchema: StandardSchema<unknown> = { '~standard': { version: 1, vendor: 'red-lattice', validate: (value) => ({ value }) } };
