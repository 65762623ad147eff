import { throwProblem } from '../../problems/problem-error.ts';
import { advanceLocation, type SourceLocation } from '../../problems/source-location.ts';
import type { IndexedColumn } from './headings.ts';
import type { RawRecord } from './typing.ts';

export interface CsvFile {
  /** Its URL, as used in locations. */
  readonly name: string;
  readonly delimiter: string;
  /** The prefix of lines that are ignored. */
  readonly comment: string | undefined;
}

/** The state of reading a file. `cells` is the number of cells in the last record. */
type PositionedReader = CsvFile & { cells: number };

/** The maximum length of a record, in characters. A record is held in memory. */
export const MAX_RECORD_LENGTH = 4_000_000;

/** The number of records in a batch: few enough to be processed while they are in the processor's cache. */
const MAX_BATCH_RECORDS = 256;

/** One record of a CSV text (RFC 4180), with its location. */
export class CsvRecord implements RawRecord<IndexedColumn> {
  #cells: readonly string[] | undefined;
  /** The line on which it starts, from 1. */
  readonly line: number;
  /** It has a quote that is never closed. */
  readonly unclosed: boolean;
  /** Its number in the file, from 0. */
  readonly number: number;
  readonly #lines: number;
  readonly #file: PositionedReader;
  readonly #text: string;
  /** Whether it can have quoted cells. */
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

  /** The texts between the delimiters, without quotes. */
  get cells(): readonly string[] {
    this.#cells ??= this.unclosed ? [this.raw] : this.#isQuoted ? this.#splitQuoted() : this.#split();
    return this.#cells;
  }

  #split(): string[] {
    const { delimiter } = this.#file;
    // Most records have the same number of cells as the previous one.
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

  /** Its text in the file. */
  get raw(): string {
    return this.#text.slice(this.start, this.end);
  }

  get location(): SourceLocation {
    return { file: this.#file.name, line: this.line, column: 1 };
  }

  /** The number of its lines. Undefined for one line. */
  get lines(): number | undefined {
    return this.#lines === 1 ? undefined : this.#lines;
  }

  value({ index }: IndexedColumn): string {
    const text = this.cells[index] as string;
    // Blanks around a cell belong to it only if it is quoted.
    if (isVisibleAscii(text.charCodeAt(0)) && isVisibleAscii(text.charCodeAt(text.length - 1))) return text;
    const trimmed = text.trim();
    return trimmed === text || this.placeOfCell(index).quoted ? text : trimmed;
  }

  isQuoted({ index }: IndexedColumn): boolean {
    return this.placeOfCell(index).quoted;
  }

  at(column: IndexedColumn | undefined): SourceLocation {
    return column ? this.placeOfCell(column.index).location : this.location;
  }

  /** The location of the n-th cell. Computed only for messages. */
  placeOfCell(index: number): { location: SourceLocation; quoted: boolean } {
    const { raw } = this;
    const { delimiter } = this.#file;
    let at = 0;
    for (let i = 0; i < index && at >= 0 && at < raw.length; i++) {
      const end = endOfField(raw, at, delimiter);
      at = end < 0 ? raw.length : end + delimiter.length;
    }
    return { location: advanceLocation(this.location, raw.slice(0, at)), quoted: raw[at] === '"' };
  }
}

/** Whether a character is certainly not white space. */
export const isVisibleAscii = (unit: number): boolean => unit > 32 && unit < 127;

/** Chooses records by one of their cells, given by its positions in a text. Of most records, nothing else is read. */
export interface RecordFilter {
  /** The index of the cell, from 0. */
  readonly index: number;
  has(text: string, from: number, to: number): boolean;
}

/** Whether a record is chosen. In an unclosed record, the cell counts as empty. */
export const isChosen = (record: CsvRecord, choice: RecordFilter): boolean => {
  const cell = record.unclosed ? '' : (record.cells[choice.index] ?? '');
  return choice.has(cell, 0, cell.length);
};

/** Some of a file's records. */
export interface RecordBatch {
  readonly records: readonly CsvRecord[];
  /** The number of records read so far, including those that were not chosen. */
  readonly read: number;
}

/** Holds a filter that can be set after the first records have been read. */
export interface RecordFilterSlot {
  choice?: RecordFilter;
}

/**
 * Splits a stream of text into records: all, or those that a filter chooses.
 *
 * Each record has its line number, even after comments, blank lines and quoted line breaks. Its cells are split on demand.
 */
export async function* readCsvRecords(chunks: AsyncIterable<string>, file: CsvFile, choosing: RecordFilterSlot = {}): AsyncGenerator<RecordBatch> {
  const cutter = new RecordScanner(file, choosing);
  for await (const chunk of chunks) {
    cutter.add(chunk);
    for (let cut = cutter.next(false); cut; cut = cutter.next(false)) yield cut;
    cutter.limit();
  }
  for (let cut = cutter.next(true); cut; cut = cutter.next(true)) yield cut;
}

/** Finds the records of a text as the text arrives. */
class RecordScanner {
  readonly #file: PositionedReader;
  readonly #choosing: RecordFilterSlot;
  #text = '';
  /** The start of the next record, and its line. */
  #start = 0;
  #line = 1;
  /** The number of records so far. */
  #read = 0;
  /** The position of the next quote, or -1. */
  #quote = -1;
  /** The length that a record must reach before its closing quote is searched again, in characters. */
  #retryLength = 0;

  constructor(file: CsvFile, choosing: RecordFilterSlot) {
    this.#file = { ...file, cells: 0 };
    this.#choosing = choosing;
  }

  add(chunk: string): void {
    this.#text = this.#text.slice(this.#start) + chunk;
    this.#start = 0;
    this.#quote = this.#text.indexOf(quote);
  }

  /** Throws for a record that exceeds the maximum length. */
  limit(): void {
    if (this.#text.length - this.#start > MAX_RECORD_LENGTH)
      throwProblem({ code: 'record-too-long', limit: MAX_RECORD_LENGTH, at: { file: this.#file.name, line: this.#line, column: 1 } });
  }

  /** The next complete records, in batches. Undefined if there are none. `last`: no more text follows. */
  next(last: boolean): RecordBatch | undefined {
    const text = this.#text;
    const { delimiter, comment } = this.#file;
    const { choice } = this.#choosing;
    // For most lines, the first character rules out a comment. If comments are off, this value differs from every character.
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
        // A quote that is never closed would swallow the rest of the file. It makes only its own line invalid, even if the file is long.
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
          // A record with quotes can only be chosen after its cells have been parsed.
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

/** Whether a record without quotes is chosen, by a part of a text. */
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

function isBlank(text: string, start: number, end: number): boolean {
  let at = start;
  while (at < end && !isVisibleAscii(text.charCodeAt(at)) && (text[at] as string).trim() === '') at++;
  return at === end;
}

/** Finds the end of the record that starts here, across quoted line breaks. Returns -1 if a quote is never closed. */
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

/** The text of a quoted cell, with whatever follows the closing quote. */
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
