import type { SourceLocation } from '../../problems/place.ts';
import type { Problem } from '../../problems/problem.ts';
import type { RowAnnotations } from '../marks.ts';
import type { MakeObject } from '../object-maker.ts';
import type { Entry } from '../row.ts';
import { shortValue } from '../values.ts';
import { type CellReader, Misread, readValue } from './cells.ts';
import type { Column, StandardSchema } from './columns.ts';

/** What a file shows where a value should be: an error that a workbook worked out; nothing for a formula that was never worked out. */
export class ShownError {
  readonly shown: string | undefined;
  constructor(shown: string | undefined) {
    this.shown = shown;
  }
}

/** One record as a file has it, asked column by column. */
export interface RawRecord<C extends Column = Column> {
  readonly place: SourceLocation;
  readonly lines: number | undefined;
  /** Text, or what a document holds; undefined where there is nothing. */
  value(column: C): unknown;
  /** Whether an empty text was quoted: then somebody meant it. */
  isQuoted(column: C): boolean;
  /** Where a cell stands: asked only for messages. */
  at(column: C | undefined): SourceLocation;
}

/** An entry while it is made of a record. Lists are made when something goes into them. */
export interface Making extends Required<Omit<Entry, 'others'>> {
  row: object;
  name: string | undefined;
  annotations: RowAnnotations | undefined;
  readonly location: SourceLocation;
  readonly lines: number | undefined;
  problems: Problem[] | undefined;
}

/** What is read of each record of a file. */
export interface Layout<C extends Column = Column> {
  readonly columns: readonly C[];
  readonly schema: StandardSchema<unknown> | undefined;
  /** For records whose cells all hold a value. */
  readonly makeRow?: MakeObject | undefined;
}

/** Stands for the value of a cell that gives none. */
const nothing = Symbol('nothing');

/** Makes a row of a record: each cell read as its column says, each that is wrong told with its place. */
export function typeRecord<C extends Column>(record: RawRecord<C>, layout: Layout<C>): Entry | Promise<Entry> {
  const { columns } = layout;
  const making = entryOf(record, noRow);
  const values = new Array<unknown>(columns.length);
  let isWhole = true;
  let waiting: Promise<unknown>[] | undefined;
  for (let index = 0; index < columns.length; index++) {
    const value = typeCell(making, record, columns[index] as C);
    values[index] = value;
    if (value === nothing) isWhole = false;
    else if (value instanceof Waiting) {
      waiting ??= [];
      waiting.push(value.promise.then((found) => void (values[index] = found)));
    }
  }
  if (waiting) return Promise.all(waiting).then(() => rowMade(making, record, layout, values, false));
  return rowMade(making, record, layout, values, isWhole);
}

/** Entries of which few, or none, take their time: for those that are there a promise would be dear. */
export const all = (entries: readonly (Entry | Promise<Entry>)[]): readonly Entry[] | Promise<readonly Entry[]> =>
  entries.some((entry) => entry instanceof Promise) ? Promise.all(entries) : (entries as readonly Entry[]);

const noRow = {};

/** An entry of which there is no more to say: all are of one shape. */
export const entryOf = ({ place, lines }: Pick<RawRecord, 'place' | 'lines'>, row: object): Making => ({
  row,
  name: undefined,
  annotations: undefined,
  location: place,
  lines,
  problems: undefined,
});

/** What is no row is told by a case of its own, under what its place is called. */
export const brokenEntry = (name: string, { location: place, lines }: Pick<Entry, 'location' | 'lines'>, problem: Problem): Entry => ({
  row: {},
  name,
  location: place,
  lines,
  problems: [problem],
});

function rowMade<C extends Column>(
  making: Making,
  record: RawRecord<C>,
  layout: Layout<C>,
  values: readonly unknown[],
  isWhole: boolean,
): Entry | Promise<Entry> {
  const { columns, schema, makeRow } = layout;
  making.row = isWhole && makeRow ? makeRow(values) : rowOf(columns, values);
  return schema && !making.problems ? judgeRow(schema, making, record, columns) : making;
}

function rowOf(columns: readonly Column[], values: readonly unknown[]): object {
  const row: Record<string, unknown> = {};
  for (let index = 0; index < columns.length; index++) {
    const { property, reads } = columns[index] as Column;
    if (reads.as !== 'mark' && values[index] !== nothing) row[property] = values[index];
  }
  return row;
}

function wrong(making: Making, problem: Problem): void {
  making.problems ??= [];
  making.problems.push(problem);
}

/** A value that a schema takes its time for. */
class Waiting {
  readonly promise: Promise<unknown>;
  constructor(promise: Promise<unknown>) {
    this.promise = promise;
  }
}

/** The value of a cell: `nothing` where it gives none, undefined for a mark. */
function typeCell<C extends Column>(making: Making, record: RawRecord<C>, column: C): unknown {
  const { property, reads } = column;
  const value = record.value(column);
  if (value instanceof ShownError) {
    const { shown } = value;
    const at = record.at(column);
    wrong(making, shown === undefined ? { code: 'missing-formula-result', column: property, at } : { code: 'cell-error', column: property, shown, at });
    return nothing;
  }
  if (reads.as === 'cell') return readCell(making, reads.reader, value, record, column);
  if (reads.as === 'schema') {
    const judge = (found: unknown): unknown => judged(making, found, value, property, () => record.at(column));
    const found = reads.schema['~standard'].validate(value);
    return found instanceof Promise ? new Waiting(found.then(judge)) : judge(found);
  }
  if (!isEmpty(value)) readMark(making, reads.mark, value);
  return undefined;
}

const isEmpty = (value: unknown): boolean => value === undefined || value === null || value === '';

function readCell<C extends Column>(making: Making, reader: CellReader<unknown>, value: unknown, record: RawRecord<C>, column: C): unknown {
  if (isEmpty(value) && (reader.whenEmpty.is !== 'error' || !record.isQuoted(column))) {
    if (reader.whenEmpty.is === 'value') return reader.whenEmpty.value;
    if (reader.whenEmpty.is === 'error') wrong(making, { code: 'empty-cell', column: column.property, expected: reader.kind, at: record.at(column) });
    return nothing;
  }
  const read = typeof value === 'string' ? reader.read(value) : readValue(reader, value);
  if (typeof read !== 'object' || !(read instanceof Misread)) return read;
  const text = typeof value === 'string' ? value : shortValue(value);
  wrong(making, { code: 'invalid-cell', column: column.property, text, expected: reader.kind, hint: read.hint, at: record.at(column) });
  return value;
}

function readMark(making: Making, mark: 'name' | 'tags' | 'skip' | 'knownFailure', value: unknown): void {
  const text = String(value);
  if (mark === 'name') {
    making.name = text;
    return;
  }
  making.annotations ??= {};
  if (mark === 'tags') making.annotations.tags = Array.isArray(value) ? value.map(String) : text.split(/[\s,;]+/).filter(Boolean);
  else if (mark === 'skip') making.annotations.skip = text;
  else making.annotations.knownFailure = text;
}

/** What a Standard Schema answers. */
interface Judged {
  readonly value?: unknown;
  readonly issues?: readonly { readonly message: string; readonly path?: readonly (PropertyKey | { readonly key: PropertyKey })[] | undefined }[] | undefined;
}

function judged(making: Making, found: unknown, raw: unknown, property: string, at: () => SourceLocation): unknown {
  const { value, issues } = found as Judged;
  for (const { message } of issues ?? []) wrong(making, { code: 'schema-issue', column: property, message, at: at() });
  return issues ? raw : value;
}

function judgeRow<C extends Column>(schema: StandardSchema<unknown>, making: Making, record: RawRecord<C>, columns: readonly C[]): Entry | Promise<Entry> {
  const take = (found: unknown): Entry => {
    const { value, issues = [] } = found as Judged;
    for (const { message, path = [] } of issues) {
      const [first] = path;
      const key = typeof first === 'object' && first !== null ? first.key : first;
      const at = record.at(columns.find(({ property }) => property === key));
      wrong(making, { code: 'schema-issue', column: key === undefined ? undefined : String(key), message, at });
    }
    if (!making.problems) making.row = value as object;
    return making;
  };
  const found = schema['~standard'].validate(making.row);
  return found instanceof Promise ? found.then(take) : take(found);
}
