import type { Place } from '../../problems/place.ts';
import type { Problem } from '../../problems/problem.ts';
import type { RowMarks } from '../marks.ts';
import type { Entry } from '../row.ts';
import { shortValue } from '../values.ts';
import { type CellReader, readValue } from './cells.ts';
import type { Column, StandardSchema } from './columns.ts';

/** One cell as a file has it. */
export interface RawCell {
  /** Text, or what a document holds; undefined where there is nothing. */
  readonly value: unknown;
  /** An empty text that somebody quoted was meant. */
  readonly quoted: boolean;
  /** What the file shows in place of a value. */
  readonly error?: string;
}

/** One record as a file has it, asked column by column. */
export interface RawRecord {
  readonly place: Place;
  readonly lines: number | undefined;
  cell(column: Column, index: number): RawCell;
  /** Where a cell stands: asked only for messages. */
  at(column: Column | undefined, index: number): Place;
}

/** Makes a row of a record: each cell read as its column says, each that is wrong told with its place. */
export function typeRecord(record: RawRecord, columns: readonly Column[], schema: StandardSchema<unknown> | undefined): Entry | Promise<Entry> {
  const properties: [string, unknown][] = [];
  const problems: Problem[] = [];
  const marks: RowMarks = {};
  const waiting: Promise<void>[] = [];
  let name: string | undefined;
  columns.forEach((column, index) => {
    const { property, reads } = column;
    const raw = record.cell(column, index);
    const isEmpty = raw.value === undefined || raw.value === null || raw.value === '';
    const at = (): Place => record.at(column, index);
    if (raw.error !== undefined) problems.push({ code: 'cell-error', column: property, shown: raw.error, at: at() });
    else if (reads.as === 'mark') {
      if (isEmpty) return;
      const text = String(raw.value);
      if (reads.mark === 'name') name = text;
      else if (reads.mark === 'tags') marks.tags = Array.isArray(raw.value) ? raw.value.map(String) : text.split(/[\s,;]+/).filter(Boolean);
      else if (reads.mark === 'skip') marks.skip = text;
      else marks.knownFailure = text;
    } else if (reads.as === 'schema') {
      const judge = (judged: unknown): void => takeJudged(judged, raw.value, property, at, properties, problems);
      const judged = reads.schema['~standard'].validate(raw.value);
      if (judged instanceof Promise) waiting.push(judged.then(judge));
      else judge(judged);
    } else if (isEmpty && !raw.quoted) takeEmpty(reads.reader, property, at, properties, problems);
    else if (isEmpty && reads.reader.whenEmpty.is !== 'error') takeEmpty(reads.reader, property, at, properties, problems);
    else {
      const reading = readValue(reads.reader, raw.value);
      properties.push([property, 'value' in reading ? reading.value : raw.value]);
      if (!('value' in reading))
        problems.push({ code: 'bad-cell', column: property, text: textOf(raw.value), wanted: reads.reader.kind, hint: reading.hint, at: at() });
    }
  });
  const finish = (row: object): Entry => ({
    row,
    name,
    marks: Object.keys(marks).length ? marks : undefined,
    place: record.place,
    lines: record.lines,
    problems: problems.length ? problems : undefined,
  });
  const made = (): Entry | Promise<Entry> =>
    schema && problems.length === 0
      ? judgeRow(schema, Object.fromEntries(properties), record, columns, problems, finish)
      : finish(Object.fromEntries(properties));
  return waiting.length ? Promise.all(waiting).then(made) : made();
}

const textOf = (value: unknown): string => (typeof value === 'string' ? value : shortValue(value));

function takeEmpty({ whenEmpty, kind }: CellReader<unknown>, property: string, at: () => Place, properties: [string, unknown][], problems: Problem[]): void {
  if (whenEmpty.is === 'value') properties.push([property, whenEmpty.value]);
  else if (whenEmpty.is === 'error') problems.push({ code: 'empty-cell', column: property, wanted: kind, at: at() });
}

/** What a Standard Schema answers. */
interface Judged {
  readonly value?: unknown;
  readonly issues?: readonly { readonly message: string; readonly path?: readonly (PropertyKey | { readonly key: PropertyKey })[] | undefined }[] | undefined;
}

function takeJudged(judged: unknown, raw: unknown, property: string, at: () => Place, properties: [string, unknown][], problems: Problem[]): void {
  const { value, issues } = judged as Judged;
  if (!issues) properties.push([property, value]);
  else {
    properties.push([property, raw]);
    for (const { message } of issues) problems.push({ code: 'schema-issue', column: property, message, at: at() });
  }
}

function judgeRow(
  schema: StandardSchema<unknown>,
  raw: object,
  record: RawRecord,
  columns: readonly Column[],
  problems: Problem[],
  finish: (row: object) => Entry,
): Entry | Promise<Entry> {
  const take = (judged: unknown): Entry => {
    const { value, issues = [] } = judged as Judged;
    for (const { message, path = [] } of issues) {
      const [first] = path;
      const key = typeof first === 'object' && first !== null ? first.key : first;
      const index = columns.findIndex(({ property }) => property === key);
      problems.push({ code: 'schema-issue', column: key === undefined ? undefined : String(key), message, at: record.at(columns[index], index) });
    }
    return finish(problems.length ? raw : (value as object));
  };
  const judged = schema['~standard'].validate(raw);
  return judged instanceof Promise ? judged.then(take) : take(judged);
}
