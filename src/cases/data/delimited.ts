import { type Problem, ProblemError } from '../../problems/problem.ts';
import type { Entry } from '../row.ts';
import type { Columns, StandardSchema } from './columns.ts';
import { type CsvFile, type CsvRecord, csvRecords } from './csv.ts';
import { type Indexed, readHeadings } from './headings.ts';
import { rowMaker } from './row-maker.ts';
import { type Layout, typeRecord } from './typing.ts';

/** Reads CSV or TSV: the first record is the headings. */
export async function* readDelimited(
  text: AsyncIterable<string>,
  file: CsvFile,
  typed: { readonly columns: Columns | undefined; readonly schema: StandardSchema<unknown> | undefined },
  remark: ((problem: Problem) => void) | undefined,
): AsyncGenerator<readonly Entry[]> {
  let layout: Delimited | undefined;
  for await (let records of csvRecords(text, file)) {
    if (!layout) {
      const header = records[0] as CsvRecord;
      const columns = readHeadings(header.cells, typed.columns, (index) => header.placeOfCell(index).place, remark);
      layout = { columns, width: Math.max(...columns.map(({ index }) => index)) + 1, schema: typed.schema, makeRow: rowMaker(columns) };
      records = records.slice(1);
    }
    const laidOut = layout;
    const entries = records.map((record) => readRecord(record, laidOut));
    if (entries.length) yield entries.some((entry) => entry instanceof Promise) ? await Promise.all(entries) : (entries as Entry[]);
  }
  if (!layout) throw new ProblemError([{ code: 'no-header', at: { file: file.name, line: 1, column: 1 } }]);
}

interface Delimited extends Layout<Indexed> {
  /** Up to the last column that is read. */
  readonly width: number;
}

function readRecord(record: CsvRecord, layout: Delimited): Entry | Promise<Entry> {
  if (record.unclosed) return broken(record, { code: 'unclosed-quote', at: { ...record.place, column: record.raw.indexOf('"') + 1 } });
  const cells = record.cells.length;
  return cells < layout.width ? broken(record, { code: 'record-length', cells, columns: layout.width, at: record.place }) : typeRecord(record, layout);
}

const broken = ({ place, lines }: CsvRecord, problem: Problem): Entry => ({ row: {}, place, lines, problems: [problem] });
