import type { Place } from '../../problems/place.ts';
import type { Problem } from '../../problems/problem.ts';
import type { RowMarks } from '../marks.ts';
import type { Entry } from '../row.ts';
import { shortValue } from '../values.ts';
import { type CellReader, readValue } from './cells.ts';
import type { Column, StandardSchema } from './columns.ts';

/** What a file shows where a value should be: an error that a workbook worked out. */
export class ShownError {
  readonly shown: string;
  constructor(shown: string) {
    this.shown = shown;
  }
}

/** One record as a file has it, asked column by column. */
export interface RawRecord {
  readonly place: Place;
  readonly lines: number | undefined;
  /** Text, or what a document holds; undefined where there is nothing. */
  value(column: Column, index: number): unknown;
  /** Whether an empty text was quoted: then somebody meant it. */
  isQuoted(index: number): boolean;
  /** Where a cell stands: asked only for messages. */
  at(column: Column | undefined, index: number): Place;
}

/** A row while it is made of a record. Lists are made when something goes into them. */
interface Making {
  readonly row: Record<string, unknown>;
  name: string | undefined;
  marks: RowMarks | undefined;
  problems: Problem[] | undefined;
  waiting: Promise<void>[] | undefined;
}

/** Makes a row of a record: each cell read as its column says, each that is wrong told with its place. */
export function typeRecord(record: RawRecord, columns: readonly Column[], schema: StandardSchema<unknown> | undefined): Entry | Promise<Entry> {
  const making: Making = { row: {}, name: undefined, marks: undefined, problems: undefined, waiting: undefined };
  for (let index = 0; index < columns.length; index++) typeCell(making, record, columns[index] as Column, index);
  if (making.waiting) return Promise.all(making.waiting).then(() => judged(making, record, columns, schema));
  return judged(making, record, columns, schema);
}

function judged(making: Making, record: RawRecord, columns: readonly Column[], schema: StandardSchema<unknown> | undefined): Entry | Promise<Entry> {
  return schema && !making.problems ? judgeRow(schema, making, record, columns) : entryOf(making, record, making.row);
}

const entryOf = ({ name, marks, problems }: Making, { place, lines }: RawRecord, row: object): Entry => ({ row, name, marks, place, lines, problems });

function wrong(making: Making, problem: Problem): void {
  making.problems ??= [];
  making.problems.push(problem);
}

function typeCell(making: Making, record: RawRecord, column: Column, index: number): void {
  const { property, reads } = column;
  const value = record.value(column, index);
  if (value instanceof ShownError) wrong(making, { code: 'cell-error', column: property, shown: value.shown, at: record.at(column, index) });
  else if (reads.as === 'cell') readCell(making, reads.reader, value, record, column, index);
  else if (reads.as === 'schema') {
    const judge = (found: unknown): void => takeJudged(making, found, value, property, () => record.at(column, index));
    const found = reads.schema['~standard'].validate(value);
    if (found instanceof Promise) {
      making.waiting ??= [];
      making.waiting.push(found.then(judge));
    } else judge(found);
  } else if (!isEmpty(value)) readMark(making, reads.mark, value);
}

const isEmpty = (value: unknown): boolean => value === undefined || value === null || value === '';

function readCell(making: Making, reader: CellReader<unknown>, value: unknown, record: RawRecord, column: Column, index: number): void {
  const { property } = column;
  if (isEmpty(value) && (reader.whenEmpty.is !== 'error' || !record.isQuoted(index))) {
    if (reader.whenEmpty.is === 'value') making.row[property] = reader.whenEmpty.value;
    else if (reader.whenEmpty.is === 'error') wrong(making, { code: 'empty-cell', column: property, wanted: reader.kind, at: record.at(column, index) });
    return;
  }
  const reading = typeof value === 'string' ? reader.read(value) : readValue(reader, value);
  if ('value' in reading) making.row[property] = reading.value;
  else {
    making.row[property] = value;
    const text = typeof value === 'string' ? value : shortValue(value);
    wrong(making, { code: 'bad-cell', column: property, text, wanted: reader.kind, hint: reading.hint, at: record.at(column, index) });
  }
}

function readMark(making: Making, mark: 'name' | 'tags' | 'skip' | 'known', value: unknown): void {
  const text = String(value);
  if (mark === 'name') {
    making.name = text;
    return;
  }
  making.marks ??= {};
  if (mark === 'tags') making.marks.tags = Array.isArray(value) ? value.map(String) : text.split(/[\s,;]+/).filter(Boolean);
  else if (mark === 'skip') making.marks.skip = text;
  else making.marks.knownFailure = text;
}

/** What a Standard Schema answers. */
interface Judged {
  readonly value?: unknown;
  readonly issues?: readonly { readonly message: string; readonly path?: readonly (PropertyKey | { readonly key: PropertyKey })[] | undefined }[] | undefined;
}

function takeJudged(making: Making, found: unknown, raw: unknown, property: string, at: () => Place): void {
  const { value, issues } = found as Judged;
  making.row[property] = issues ? raw : value;
  for (const { message } of issues ?? []) wrong(making, { code: 'schema-issue', column: property, message, at: at() });
}

function judgeRow(schema: StandardSchema<unknown>, making: Making, record: RawRecord, columns: readonly Column[]): Entry | Promise<Entry> {
  const take = (found: unknown): Entry => {
    const { value, issues = [] } = found as Judged;
    for (const { message, path = [] } of issues) {
      const [first] = path;
      const key = typeof first === 'object' && first !== null ? first.key : first;
      const index = columns.findIndex(({ property }) => property === key);
      wrong(making, { code: 'schema-issue', column: key === undefined ? undefined : String(key), message, at: record.at(columns[index], index) });
    }
    return entryOf(making, record, making.problems ? making.row : (value as object));
  };
  const found = schema['~standard'].validate(making.row);
  return found instanceof Promise ? found.then(take) : take(found);
}
