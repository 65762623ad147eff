import type { Place } from '../../problems/place.ts';
import type { Problem } from '../../problems/problem.ts';
import type { RowMarks } from '../marks.ts';
import type { Entry } from '../row.ts';
import { shortValue } from '../values.ts';
import { type CellReader, Misread, readValue } from './cells.ts';
import type { Column, StandardSchema } from './columns.ts';

/** What a file shows where a value should be: an error that a workbook worked out. */
export class ShownError {
  readonly shown: string;
  constructor(shown: string) {
    this.shown = shown;
  }
}

/** One record as a file has it, asked column by column. */
export interface RawRecord<C extends Column = Column> {
  readonly place: Place;
  readonly lines: number | undefined;
  /** Text, or what a document holds; undefined where there is nothing. */
  value(column: C): unknown;
  /** Whether an empty text was quoted: then somebody meant it. */
  isQuoted(column: C): boolean;
  /** Where a cell stands: asked only for messages. */
  at(column: C | undefined): Place;
}

/** An entry while it is made of a record. Lists are made when something goes into them. */
interface Making {
  row: object;
  name: string | undefined;
  marks: RowMarks | undefined;
  readonly place: Place;
  readonly lines: number | undefined;
  problems: Problem[] | undefined;
}

/** Makes a row of a record: each cell read as its column says, each that is wrong told with its place. */
export function typeRecord<C extends Column>(record: RawRecord<C>, columns: readonly C[], schema: StandardSchema<unknown> | undefined): Entry | Promise<Entry> {
  const row: Record<string, unknown> = {};
  const making: Making = { row, name: undefined, marks: undefined, place: record.place, lines: record.lines, problems: undefined };
  let waiting: Promise<void>[] | undefined;
  for (let index = 0; index < columns.length; index++) {
    const judging = typeCell(making, row, record, columns[index] as C);
    if (!judging) continue;
    waiting ??= [];
    waiting.push(judging);
  }
  if (waiting) return judgedLater(waiting, schema, making, record, columns);
  return schema && !making.problems ? judgeRow(schema, making, record, columns) : making;
}

async function judgedLater<C extends Column>(
  cells: readonly Promise<void>[],
  schema: StandardSchema<unknown> | undefined,
  making: Making,
  record: RawRecord<C>,
  columns: readonly C[],
): Promise<Entry> {
  await Promise.all(cells);
  return schema && !making.problems ? judgeRow(schema, making, record, columns) : making;
}

function wrong(making: Making, problem: Problem): void {
  making.problems ??= [];
  making.problems.push(problem);
}

/** A promise where a schema takes its time. */
function typeCell<C extends Column>(making: Making, row: Record<string, unknown>, record: RawRecord<C>, column: C): Promise<void> | undefined {
  const { property, reads } = column;
  const value = record.value(column);
  if (value instanceof ShownError) wrong(making, { code: 'cell-error', column: property, shown: value.shown, at: record.at(column) });
  else if (reads.as === 'cell') readCell(making, row, reads.reader, value, record, column);
  else if (reads.as === 'schema') {
    const judge = (found: unknown): void => takeJudged(making, row, found, value, property, () => record.at(column));
    const found = reads.schema['~standard'].validate(value);
    if (found instanceof Promise) return found.then(judge);
    judge(found);
  } else if (!isEmpty(value)) readMark(making, reads.mark, value);
  return undefined;
}

const isEmpty = (value: unknown): boolean => value === undefined || value === null || value === '';

function readCell<C extends Column>(
  making: Making,
  row: Record<string, unknown>,
  reader: CellReader<unknown>,
  value: unknown,
  record: RawRecord<C>,
  column: C,
): void {
  const { property } = column;
  if (isEmpty(value) && (reader.whenEmpty.is !== 'error' || !record.isQuoted(column))) {
    if (reader.whenEmpty.is === 'value') row[property] = reader.whenEmpty.value;
    else if (reader.whenEmpty.is === 'error') wrong(making, { code: 'empty-cell', column: property, wanted: reader.kind, at: record.at(column) });
    return;
  }
  const read = typeof value === 'string' ? reader.read(value) : readValue(reader, value);
  if (!(read instanceof Misread)) row[property] = read;
  else {
    row[property] = value;
    const text = typeof value === 'string' ? value : shortValue(value);
    wrong(making, { code: 'bad-cell', column: property, text, wanted: reader.kind, hint: read.hint, at: record.at(column) });
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

function takeJudged(making: Making, row: Record<string, unknown>, found: unknown, raw: unknown, property: string, at: () => Place): void {
  const { value, issues } = found as Judged;
  row[property] = issues ? raw : value;
  for (const { message } of issues ?? []) wrong(making, { code: 'schema-issue', column: property, message, at: at() });
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
