import type { Place } from '../../problems/place.ts';
import { type Problem, ProblemError } from '../../problems/problem.ts';
import type { Entry } from '../row.ts';
import type { Column, Columns, StandardSchema } from './columns.ts';
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
  let layout: Layout | undefined;
  for await (let records of csvRecords(text, file, format)) {
    if (!layout) {
      const header = records[0] as CsvRecord;
      const columns = readHeadings(header.cells, typed.columns, (index) => ({ file, ...position(header, index, format.delimiter) }), remark);
      layout = { columns, width: Math.max(...columns.map(({ index }) => index)) + 1, file, delimiter: format.delimiter };
      records = records.slice(1);
    }
    const laidOut = layout;
    const entries = records.map((record) => readRecord(record, laidOut, typed.schema));
    if (entries.length) yield entries.some((entry) => entry instanceof Promise) ? await Promise.all(entries) : (entries as Entry[]);
  }
  if (!layout) throw new ProblemError([{ code: 'no-header', at: { file, line: 1, column: 1 } }]);
}

/** The widest column that is read, and how the cells of a file are told apart: the same for all its records. */
interface Layout {
  readonly columns: readonly Indexed[];
  readonly width: number;
  readonly file: string;
  readonly delimiter: string;
}

function readRecord(record: CsvRecord, layout: Layout, schema: StandardSchema<unknown> | undefined): Entry | Promise<Entry> {
  const raw = new RawCsvRecord(record, layout);
  const { place } = raw;
  const broken = (problem: Problem): Entry => ({ row: {}, place, lines: raw.lines, problems: [problem] });
  if (record.unclosed) return broken({ code: 'unclosed-quote', at: { ...place, column: record.raw.indexOf('"') + 1 } });
  if (record.cells.length < layout.width) return broken({ code: 'record-length', cells: record.cells.length, columns: layout.width, at: place });
  return typeRecord(raw, layout.columns, schema);
}

/** A character of which it is sure, at once, that it is no blank. */
const isInk = (unit: number): boolean => unit > 32 && unit < 127;

class RawCsvRecord implements RawRecord {
  readonly place: Place;
  readonly #record: CsvRecord;
  readonly #layout: Layout;

  constructor(record: CsvRecord, layout: Layout) {
    this.#record = record;
    this.#layout = layout;
    this.place = { file: layout.file, line: record.line, column: 1 };
  }

  get lines(): number | undefined {
    return this.#record.lines === 1 ? undefined : this.#record.lines;
  }

  value(column: Indexed): string {
    const text = this.#record.cells[column.index] as string;
    // Blanks around a cell are its own only where it is quoted.
    return isInk(text.charCodeAt(0)) && isInk(text.charCodeAt(text.length - 1)) ? text : this.#trimmed(text, column.index);
  }

  #trimmed(text: string, index: number): string {
    const trimmed = text.trim();
    return trimmed === text || this.#cellAt(index).quoted ? text : trimmed;
  }

  isQuoted(index: number): boolean {
    return this.#cellAt((this.#layout.columns[index] as Indexed).index).quoted;
  }

  at(column: Column | undefined, index: number): Place {
    if (!column) return this.place;
    const { line, column: at } = this.#cellAt((this.#layout.columns[index] as Indexed).index);
    return { file: this.#layout.file, line, column: at };
  }

  #cellAt(index: number): ReturnType<typeof placeOfCell> {
    return placeOfCell(this.#record, index, this.#layout.delimiter);
  }
}

function position(record: CsvRecord, index: number, delimiter: string): { line: number; column: number } {
  const { line, column } = placeOfCell(record, index, delimiter);
  return { line, column };
}
