import type { SourceLocation } from '../../problems/source-location.ts';
import type { RowEntry } from '../row.ts';
import { formatShortValue } from '../values.ts';
import { buildColumns, type Column, isMark, type RowTyping, type StandardSchema } from './columns.ts';
import { brokenEntry, type RawRecord, typeRecord } from './typing.ts';

/** Keys and places in lists, from the top of a document. */
export type Path = readonly (string | number)[];

/** A document that was read. */
export interface ParsedDocument {
  readonly document: unknown;
  /** Where an item of its list stands, or the value under one of the item's keys: asked for each item, and for keys when a message needs it. */
  placeOf(item: number, key?: string): SourceLocation;
  /** How many lines an item takes, if it is not one. */
  linesOf(item: number): number | undefined;
}

/** How many lines there are from one to another, if it is not one. */
export const MAX_SHOWN_LINES = (first: number, last: number): number | undefined => (last > first ? last - first + 1 : undefined);

/** Where an item stands, or the value under one of its keys. */
type PlaceOf = (key: string | undefined) => SourceLocation;

/** One item of a document as a row: it must be an object. `name` is what it is called where no row comes of it. */
export function typeItem(item: unknown, name: string, { columns, schema }: RowTyping, placeOf: PlaceOf, lines?: number): RowEntry | Promise<RowEntry> {
  const place = placeOf(undefined);
  if (typeof item !== 'object' || item === null || Array.isArray(item))
    return brokenEntry(name, { location: place, lines }, { code: 'expected-object', got: formatShortValue(item), at: place });
  const values = item as Record<string, unknown>;
  const headings = Object.keys(values);
  if (Object.hasOwn(values, '__proto__'))
    return brokenEntry(name, { location: place, lines }, { code: 'invalid-heading', heading: '__proto__', at: placeOf('__proto__') });
  if (!columns && !schema && !headings.some(isMark)) return { row: values, location: place, lines };
  const record: RawRecord = {
    place,
    lines,
    value: ({ heading }) => (Object.hasOwn(values, heading) ? values[heading] : undefined),
    isQuoted: () => false,
    at: (column) => placeOf(column && Object.hasOwn(values, column.heading) ? column.heading : undefined),
  };
  return typeRecord(record, { columns: columns ? buildColumns(columns, headings) : passthroughTyping(headings), schema });
}

/** Columns of a document whose values are taken as they are. */
const passthroughTyping = (headings: readonly string[]): Column[] =>
  buildColumns(undefined, headings).map((column) => (column.reads.as === 'mark' ? column : { ...column, reads: { as: 'schema', schema: anySchema } }));

const anySchema: StandardSchema<unknown> = { '~standard': { version: 1, vendor: 'red-lattice', validate: (value) => ({ value }) } };
