import { type Problem, ProblemError } from '../../problems/problem.ts';
import type { Entry } from '../row.ts';
import type { Columns, StandardSchema } from './columns.ts';
import { type CsvRecord, csvRecords, placeOfCell } from './csv.ts';
import { type Indexed, readHeadings } from './headings.ts';
import { type RawRecord, typeRecord } from './typing.ts';

/** Reads CSV or TSV: the first record is the headings. */
export async function* readDelimited(
  text: AsyncIterable<string>,
  file: string,
  format: { readonly delimiter: string; readonly comment: string | undefined },
  typed: { readonly columns: Columns | undefined; readonly schema: StandardSchema<unknown> | undefined },
  remark: ((problem: Problem) => void) | undefined,
): AsyncGenerator<readonly Entry[]> {
  let columns: readonly Indexed[] | undefined;
  for await (let records of csvRecords(text, file, format)) {
    if (!columns) {
      const header = records[0] as CsvRecord;
      columns = readHeadings(header.cells, typed.columns, (index) => ({ file, ...position(header, index, format.delimiter) }), remark);
      records = records.slice(1);
    }
    const indexed = columns;
    const entries = records.map((record) => readRecord(record, indexed, file, format.delimiter, typed.schema));
    if (entries.length) yield entries.some((entry) => entry instanceof Promise) ? await Promise.all(entries) : (entries as Entry[]);
  }
  if (!columns) throw new ProblemError([{ code: 'no-header', at: { file, line: 1, column: 1 } }]);
}

const edge = /^\s|\s$/;

function readRecord(
  record: CsvRecord,
  columns: readonly Indexed[],
  file: string,
  delimiter: string,
  schema: StandardSchema<unknown> | undefined,
): Entry | Promise<Entry> {
  const lines = record.raw.includes('\n') ? record.raw.split('\n').length : undefined;
  const place = { file, line: record.line, column: 1 };
  const broken = (problem: Problem): Entry => ({ row: {}, place, lines, problems: [problem] });
  const width = Math.max(...columns.map(({ index }) => index)) + 1;
  if (record.unclosed) return broken({ code: 'unclosed-quote', at: { ...place, column: record.raw.indexOf('"') + 1 } });
  if (record.cells.length < width) return broken({ code: 'record-length', cells: record.cells.length, columns: width, at: place });
  const indexOf = (at: number): number => (columns[at] as Indexed).index;
  const raw: RawRecord = {
    place,
    lines,
    cell(_column, at) {
      const text = record.cells[indexOf(at)] as string;
      // Whether it is quoted matters only where it is empty or has blanks around it.
      if (text !== '' && !edge.test(text)) return { value: text, quoted: false };
      const { quoted } = placeOfCell(record, indexOf(at), delimiter);
      return { value: quoted ? text : text.trim(), quoted };
    },
    at: (column, at) => (column ? { file, ...position(record, indexOf(at), delimiter) } : place),
  };
  return typeRecord(raw, columns, schema);
}

function position(record: CsvRecord, index: number, delimiter: string): { line: number; column: number } {
  const { line, column } = placeOfCell(record, index, delimiter);
  return { line, column };
}
