import type { Problem } from '../../problems/problem.ts';
import type { SourceLocation } from '../../problems/source-location.ts';
import type { RowAnnotations } from '../annotations.ts';
import type { MakeObject } from '../object-maker.ts';
import type { RowEntry } from '../row.ts';
import { formatShortValue } from '../values.ts';
import { CellError, type CellReader, readValue } from './cells.ts';
import type { Column, StandardSchema } from './columns.ts';

/** A cell without a value: an error that a workbook computed, or a formula without a stored result. */
export class CellSchemaError {
  readonly shown: string | undefined;
  constructor(shown: string | undefined) {
    this.shown = shown;
  }
}

/** One record of a file, read column by column. */
export interface RawRecord<C extends Column = Column> {
  readonly location: SourceLocation;
  readonly lines: number | undefined;
  /** Text, or a value of a document. Undefined for a missing value. */
  value(column: C): unknown;
  /** Whether an empty text was quoted, which makes it intended. */
  isQuoted(column: C): boolean;
  /** The location of a cell. Called only for messages. */
  at(column: C | undefined): SourceLocation;
}

/** An entry that is being built from a record. Lists are created on first use. */
export interface EntryBuilder extends Required<Omit<RowEntry, 'others' | 'written'>> {
  row: object;
  name: string | undefined;
  annotations: RowAnnotations | undefined;
  readonly location: SourceLocation;
  readonly lines: number | undefined;
  problems: Problem[] | undefined;
}

/** What to read from each record of a file. */
export interface Layout<C extends Column = Column> {
  readonly columns: readonly C[];
  readonly schema: StandardSchema<unknown> | undefined;
  /** For records in which every cell has a value. */
  readonly makeRow?: MakeObject | undefined;
}

/** Marks a cell without a value. */
const nothing = Symbol('nothing');

/** Converts a record to a row: each cell by its column, with a located problem for each invalid cell. */
export function convertRecord<C extends Column>(record: RawRecord<C>, layout: Layout<C>): RowEntry | Promise<RowEntry> {
  const { columns } = layout;
  const making = buildEntry(record, noRow);
  const values = new Array<unknown>(columns.length);
  let isWhole = true;
  let waiting: Promise<unknown>[] | undefined;
  for (let index = 0; index < columns.length; index++) {
    const value = convertCell(making, record, columns[index] as C);
    values[index] = value;
    if (value === nothing) isWhole = false;
    else if (value instanceof PendingValue) {
      waiting ??= [];
      waiting.push(value.promise.then((found) => void (values[index] = found)));
    }
  }
  if (waiting) return Promise.all(waiting).then(() => finishRow(making, record, layout, values, false));
  return finishRow(making, record, layout, values, isWhole);
}

/** Waits for entries, of which few or none are promises. A promise for each finished entry would be expensive. */
export const settleAll = (entries: readonly (RowEntry | Promise<RowEntry>)[]): readonly RowEntry[] | Promise<readonly RowEntry[]> =>
  entries.some((entry) => entry instanceof Promise) ? Promise.all(entries) : (entries as readonly RowEntry[]);

const noRow = {};

/** Creates a plain entry. All entries have the same hidden class. */
export const buildEntry = ({ location, lines }: Pick<RawRecord, 'location' | 'lines'>, row: object): EntryBuilder => ({
  row,
  name: undefined,
  annotations: undefined,
  location,
  lines,
  problems: undefined,
});

/** Creates an entry for an invalid row, which its own case reports, named by its position. */
export const buildInvalidEntry = (name: string, { location, lines }: Pick<RowEntry, 'location' | 'lines'>, problem: Problem): RowEntry => ({
  row: {},
  name,
  location,
  lines,
  problems: [problem],
});

function finishRow<C extends Column>(
  making: EntryBuilder,
  record: RawRecord<C>,
  layout: Layout<C>,
  values: readonly unknown[],
  isWhole: boolean,
): RowEntry | Promise<RowEntry> {
  const { columns, schema, makeRow } = layout;
  making.row = isWhole && makeRow ? makeRow(values) : buildRow(columns, values);
  return schema && !making.problems ? applyRowSchema(schema, making, record, columns) : making;
}

function buildRow(columns: readonly Column[], values: readonly unknown[]): object {
  const row: Record<string, unknown> = {};
  for (let index = 0; index < columns.length; index++) {
    const { property, reads } = columns[index] as Column;
    if (reads.as !== 'mark' && values[index] !== nothing) row[property] = values[index];
  }
  return row;
}

function addCellProblem(making: EntryBuilder, problem: Problem): void {
  making.problems ??= [];
  making.problems.push(problem);
}

/** A value that a schema validates asynchronously. */
class PendingValue {
  readonly promise: Promise<unknown>;
  constructor(promise: Promise<unknown>) {
    this.promise = promise;
  }
}

/** Converts a cell: `nothing` if it has no value, undefined for an annotation. */
function convertCell<C extends Column>(making: EntryBuilder, record: RawRecord<C>, column: C): unknown {
  const { property, reads } = column;
  const value = record.value(column);
  if (value instanceof CellSchemaError) {
    const { shown } = value;
    const at = record.at(column);
    addCellProblem(
      making,
      shown === undefined ? { code: 'missing-formula-result', column: property, at } : { code: 'cell-error', column: property, shown, at },
    );
    return nothing;
  }
  if (reads.as === 'cell') return readCell(making, reads.reader, value, record, column);
  if (reads.as === 'schema') {
    const applyResult = (found: unknown): unknown => applyCellSchema(making, found, value, property, () => record.at(column));
    const found = reads.schema['~standard'].validate(value);
    return found instanceof Promise ? new PendingValue(found.then(applyResult)) : applyResult(found);
  }
  if (!isEmpty(value)) readMark(making, reads.mark, value);
  return undefined;
}

const isEmpty = (value: unknown): boolean => value === undefined || value === null || value === '';

function readCell<C extends Column>(making: EntryBuilder, reader: CellReader<unknown>, value: unknown, record: RawRecord<C>, column: C): unknown {
  if (isEmpty(value) && (reader.emptyPolicy.kind !== 'error' || !record.isQuoted(column))) {
    if (reader.emptyPolicy.kind === 'value') return reader.emptyPolicy.value;
    if (reader.emptyPolicy.kind === 'error')
      addCellProblem(making, { code: 'empty-cell', column: column.property, expected: reader.kind, at: record.at(column) });
    return nothing;
  }
  const read = typeof value === 'string' ? reader.read(value) : readValue(reader, value);
  if (typeof read !== 'object' || !(read instanceof CellError)) return read;
  const text = typeof value === 'string' ? value : formatShortValue(value);
  addCellProblem(making, { code: 'invalid-cell', column: column.property, text, expected: reader.kind, hint: read.hint, at: record.at(column) });
  return value;
}

function readMark(making: EntryBuilder, mark: 'name' | 'tags' | 'skip' | 'knownFailure', value: unknown): void {
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

/** The result of a Standard Schema. */
interface SchemaResult {
  readonly value?: unknown;
  readonly issues?: readonly { readonly message: string; readonly path?: readonly (PropertyKey | { readonly key: PropertyKey })[] | undefined }[] | undefined;
}

function applyCellSchema(making: EntryBuilder, found: unknown, raw: unknown, property: string, at: () => SourceLocation): unknown {
  const { value, issues } = found as SchemaResult;
  for (const { message } of issues ?? []) addCellProblem(making, { code: 'schema-issue', column: property, message, at: at() });
  return issues ? raw : value;
}

function applyRowSchema<C extends Column>(
  schema: StandardSchema<unknown>,
  making: EntryBuilder,
  record: RawRecord<C>,
  columns: readonly C[],
): RowEntry | Promise<RowEntry> {
  const take = (found: unknown): RowEntry => {
    const { value, issues = [] } = found as SchemaResult;
    for (const { message, path = [] } of issues) {
      const [first] = path;
      const key = typeof first === 'object' && first !== null ? first.key : first;
      const at = record.at(columns.find(({ property }) => property === key));
      addCellProblem(making, { code: 'schema-issue', column: key === undefined ? undefined : String(key), message, at });
    }
    if (!making.problems) making.row = value as object;
    return making;
  };
  const found = schema['~standard'].validate(making.row);
  return found instanceof Promise ? found.then(take) : take(found);
}
