import { refuse } from '../../problems/problem-error.ts';
import { advanceLocation, type SourceLocation } from '../../problems/source-location.ts';
import type { IndexedColumn } from './headings.ts';
import type { RawRecord } from './typing.ts';

export interface CsvFile {
  /** Its URL, as places name it. */
  readonly name: string;
  readonly delimiter: string;
  /** Lines that start so are left out. */
  readonly comment: string | undefined;
}

/** A file while it is read: `cells` is how many its last record had. */
type PositionedReader = CsvFile & { cells: number };

/** A record that is longer is refused: it is held whole. Characters. */
export const MAX_RECORD_LENGTH = 4_000_000;

/** The number of records in a batch: few enough to be processed while they are in the processor's cache. */
const MAX_BATCH_RECORDS = 256;

/** One record of a CSV text (RFC 4180), with where it stands. */
export class CsvRecord implements RawRecord<IndexedColumn> {
  #cells: readonly string[] | undefined;
  /** The line it starts on, from 1. */
  readonly line: number;
  /** A quote in it never closes. */
  readonly unclosed: boolean;
  /** From 0, among all of the file. */
  readonly number: number;
  readonly #lines: number;
  readonly #file: PositionedReader;
  readonly #text: string;
  /** Some of its cells can be quoted. */
  readonly #isQuoted: boolean;
  readonly start: number;
  readonly end: number;

  constructor(
    file: PositionedReader,
    text: string,
    start: number,
    end: number,
    line: number,
    lines: number,
    unclosed: boolean,
    isQuoted: boolean,
    number: number,
  ) {
    this.#file = file;
    this.#text = text;
    this.start = start;
    this.end = end;
    this.line = line;
    this.#lines = lines;
    this.unclosed = unclosed;
    this.#isQuoted = isQuoted;
    this.number = number;
  }

  /** What stands between the delimiters, without quotes. */
  get cells(): readonly string[] {
    this.#cells ??= this.unclosed ? [this.raw] : this.#isQuoted ? this.#splitQuoted() : this.#split();
    return this.#cells;
  }

  #split(): string[] {
    const { delimiter } = this.#file;
    // As many as stood in the one before, most likely.
    const cells = new Array<string>(this.#file.cells);
    let count = 0;
    let from = this.start;
    for (let at = this.#text.indexOf(delimiter, from); at >= 0 && at < this.end; at = this.#text.indexOf(delimiter, from)) {
      cells[count++] = this.#text.slice(from, at);
      from = at + delimiter.length;
    }
    cells[count++] = this.#text.slice(from, this.end);
    if (count !== this.#file.cells) {
      cells.length = count;
      this.#file.cells = count;
    }
    return cells;
  }

  #splitQuoted(): string[] {
    const { delimiter } = this.#file;
    const cells: string[] = [];
    for (let from = this.start; ; ) {
      const end = Math.min(this.end, endOfField(this.#text, from, delimiter));
      cells.push(unquote(this.#text.slice(from, end)));
      if (end === this.end) return cells;
      from = end + delimiter.length;
    }
  }

  /** Its text as in the file. */
  get raw(): string {
    return this.#text.slice(this.start, this.end);
  }

  get place(): SourceLocation {
    return { file: this.#file.name, line: this.line, column: 1 };
  }

  /** How many lines it takes, if it is not one. */
  get lines(): number | undefined {
    return this.#lines === 1 ? undefined : this.#lines;
  }

  value({ index }: IndexedColumn): string {
    const text = this.cells[index] as string;
    // Blanks around a cell are its own only where it is quoted.
    if (isVisibleAscii(text.charCodeAt(0)) && isVisibleAscii(text.charCodeAt(text.length - 1))) return text;
    const trimmed = text.trim();
    return trimmed === text || this.placeOfCell(index).quoted ? text : trimmed;
  }

  isQuoted({ index }: IndexedColumn): boolean {
    return this.placeOfCell(index).quoted;
  }

  at(column: IndexedColumn | undefined): SourceLocation {
    return column ? this.placeOfCell(column.index).place : this.place;
  }

  /** Where the n-th cell stands: worked out only when a message needs it. */
  placeOfCell(index: number): { place: SourceLocation; quoted: boolean } {
    const { raw } = this;
    const { delimiter } = this.#file;
    let at = 0;
    for (let i = 0; i < index && at >= 0 && at < raw.length; i++) {
      const end = endOfField(raw, at, delimiter);
      at = end < 0 ? raw.length : end + delimiter.length;
    }
    return { place: advanceLocation(this.place, raw.slice(0, at)), quoted: raw[at] === '"' };
  }
}

/** Whether a character is certainly not white space. */
export const isVisibleAscii = (unit: number): boolean => unit > 32 && unit < 127;

/** Chooses records by one of their cells, given by its position in a text. Nothing else of most records is read. */
export interface RecordFilter {
  /** Which cell, from 0. */
  readonly index: number;
  has(text: string, from: number, to: number): boolean;
}

/** Whether a record is among those that are chosen; one that never closes is as if its cell were empty. */
export const isChosen = (record: CsvRecord, choice: RecordFilter): boolean => {
  const cell = record.unclosed ? '' : (record.cells[choice.index] ?? '');
  return choice.has(cell, 0, cell.length);
};

/** Some of a file's records. */
export interface RecordBatch {
  readonly records: readonly CsvRecord[];
  /** How many have been read when these are over, those that are not chosen among them. */
  readonly read: number;
}

/** What may be decided when the first records have been looked at. */
export interface RecordFilterSlot {
  choice?: RecordFilter;
}

/**
 * Cuts a stream of text into records: all, or those that are chosen.
 *
 * Each record knows its line, also behind comments, blank lines and quoted line breaks. Its cells are split when they are asked for.
 */
export async function* csvRecords(pieces: AsyncIterable<string>, file: CsvFile, choosing: RecordFilterSlot = {}): AsyncGenerator<RecordBatch> {
  const cutter = new RecordScanner(file, choosing);
  for await (const piece of pieces) {
    cutter.add(piece);
    for (let cut = cutter.next(false); cut; cut = cutter.next(false)) yield cut;
    cutter.limit();
  }
  for (let cut = cutter.next(true); cut; cut = cutter.next(true)) yield cut;
}

/** Finds out where the records of a text begin and end, as it comes in. */
class RecordScanner {
  readonly #file: PositionedReader;
  readonly #choosing: RecordFilterSlot;
  #text = '';
  /** Where the next record begins, and on which line. */
  #start = 0;
  #line = 1;
  /** How many records there were. */
  #read = 0;
  /** Where the next quote stands; -1 where there is none. */
  #quote = -1;
  /** Characters that a record must have before its closing quote is looked for again. */
  #retryLength = 0;

  constructor(file: CsvFile, choosing: RecordFilterSlot) {
    this.#file = { ...file, cells: 0 };
    this.#choosing = choosing;
  }

  add(piece: string): void {
    this.#text = this.#text.slice(this.#start) + piece;
    this.#start = 0;
    this.#quote = this.#text.indexOf(quote);
  }

  /** Refuses a record that goes on and on. */
  limit(): void {
    if (this.#text.length - this.#start > MAX_RECORD_LENGTH)
      refuse({ code: 'record-too-long', limit: MAX_RECORD_LENGTH, at: { file: this.#file.name, line: this.#line, column: 1 } });
  }

  /** The next records that are whole, some at a time; undefined where there are none. `last`: nothing more comes. */
  next(last: boolean): RecordBatch | undefined {
    const text = this.#text;
    const { delimiter, comment } = this.#file;
    const { choice } = this.#choosing;
    // The first character of most lines rules a comment out. Without comments, no character is equal to this one.
    const commentUnit = comment?.charCodeAt(0);
    const before = this.#read;
    const records: CsvRecord[] = [];
    while (this.#start < text.length && records.length < MAX_BATCH_RECORDS) {
      const start = this.#start;
      let end = text.indexOf('\n', start);
      if (end < 0 && !last) break;
      if (end < 0) end = text.length;
      let lines = 1;
      let unclosed = false;
      let isQuoted = false;
      const skipped = (text.charCodeAt(start) === commentUnit && text.startsWith(comment as string, start)) || isBlank(text, start, end);
      if (this.#quote >= 0 && this.#quote < start) this.#quote = text.indexOf(quote, start);
      if (!skipped && this.#quote >= 0 && this.#quote < end) {
        if (!last && text.length - start < this.#retryLength) break;
        const close = endOfRecord(text, start, delimiter);
        unclosed = close < 0;
        if (!last && !(unclosed && text.length - start > MAX_RECORD_LENGTH) && (unclosed || close >= text.length)) {
          this.#retryLength = Math.min(2 * (text.length - start), MAX_RECORD_LENGTH + 1);
          break;
        }
        this.#retryLength = 0;
        // A quote that never closes would swallow the file: it costs its own line instead, also if the end of the file is far.
        if (!unclosed) {
          for (let at = text.indexOf('\n', start); at >= 0 && at < close; at = text.indexOf('\n', at + 1)) lines++;
          end = close;
        }
        isQuoted = true;
      }
      if (!skipped) {
        const isBeforeBreak = end < text.length && text.charCodeAt(end - 1) === CARRIAGE_RETURN;
        const to = isBeforeBreak ? end - 1 : end;
        if (isQuoted || !choice || isTextChosen(text, start, to, delimiter, choice)) {
          const record = new CsvRecord(this.#file, text, start, to, this.#line, lines, unclosed, isQuoted, this.#read);
          // Where there are quotes, whether a record is chosen is known when its cells are.
          if (!choice || !isQuoted || isChosen(record, choice)) records.push(record);
        }
        this.#read++;
      }
      this.#start = end + 1;
      this.#line += lines;
    }
    return this.#read > before ? { records, read: this.#read } : undefined;
  }
}

/** Whether a record without quotes is chosen, by the part of a text between two positions. */
function isTextChosen(text: string, start: number, end: number, delimiter: string, choice: RecordFilter): boolean {
  let from = start;
  for (let i = 0; i < choice.index; i++) {
    from = text.indexOf(delimiter, from) + delimiter.length;
    if (from < delimiter.length || from > end) return choice.has('', 0, 0);
  }
  const next = text.indexOf(delimiter, from);
  return choice.has(text, from, next < 0 || next > end ? end : next);
}

const quote = '"';
const CARRIAGE_RETURN = 13;

const isBlank = (text: string, start: number, end: number): boolean =>
  end === start || (!isVisibleAscii(text.charCodeAt(start)) && end - start < 64 && text.slice(start, end).trim() === '');

/** Where the record that starts here ends, quoted line breaks passed over; -1 where a quote never closes. */
function endOfRecord(text: string, start: number, delimiter: string): number {
  let at = start;
  for (;;) {
    at = endOfField(text, at, delimiter);
    if (at < 0 || at >= text.length || text[at] === '\n') return at;
    at += delimiter.length;
  }
}

export function endOfField(text: string, start: number, delimiter: string): number {
  let at = start;
  if (text[at] === '"') {
    at++;
    for (;;) {
      at = text.indexOf('"', at);
      if (at < 0) return -1;
      if (text[at + 1] !== '"') break;
      at += 2;
    }
  }
  const next = text.indexOf(delimiter, at);
  const newline = text.indexOf('\n', at);
  const [a, b] = [next < 0 ? text.length : next, newline < 0 ? text.length : newline];
  return Math.min(a, b);
}

/** The text of a cell: what is between its quotes, and what follows them, which nothing should. */
function unquote(raw: string): string {
  if (!raw.startsWith(quote)) return raw;
  let close = 1;
  for (;;) {
    close = raw.indexOf(quote, close);
    if (raw[close + 1] !== quote) break;
    close += 2;
  }
  return raw.slice(1, close).replaceAll('""', quote) + raw.slice(close + 1);
}
