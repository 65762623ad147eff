import { formatCaseId, formatCaseSlug, formatValuesName } from '../../cases/ids.ts';
import { compileObjectFactory, type MakeObject } from '../../cases/object-maker.ts';
import { hasPlaceholders, parseTitle, renderTitle } from '../../cases/title.ts';
import { throwProblem } from '../../problems/problem-error.ts';
import type { SourceLocation } from '../../problems/source-location.ts';
import { formatCaseTitle } from '../../suites/planned.ts';
import type { RecordedResult, TestHeader } from '../recorded-result.ts';
import { recordedRow } from '../rows.ts';
import type { Utf8LineBuffer } from './line-buffer.ts';

const TAB = 9;
const LINE_FEED = 10;
const SPACE = 32;
const PLUS = 43;
const COMMA = 44;
const EQUALS = 61;
const ZERO = 48;
const NINE = 57;
const BRACKET = 91;
const END_BRACKET = 93;

/** A passed case with nothing to report except its times: by far the most frequent entry. */
export interface CompactPass {
  readonly test: number;
  readonly ordinal: number;
  readonly duplicateIndex: number;
  /** Milliseconds. */
  readonly start: number;
  readonly setup: number;
  readonly body: number;
  readonly teardown: number;
  readonly checks: number;
  /** The line of its row in the test's data file; 0 without a data file. */
  readonly line: number;
  /** The column on that line at which the row starts. */
  readonly column: number;
  /** Its values in the columns of the test's header. */
  readonly row: Readonly<Record<string, unknown>>;
}

/** Whole microseconds, as a small integer if possible, which is much faster to write. */
const toMicroseconds = (milliseconds: number): number => (milliseconds < 2_000_000 ? (milliseconds * 1000 + 0.5) | 0 : Math.round(milliseconds * 1000));

/**
 * Writes compact lines; the README of this folder describes their format. In a stream, most cases differ from the previous one only by
 * their time, place and values. Ids and titles are computed from the test's header on demand. JSON texts contain neither line breaks nor
 * tabs.
 */
export class PassWriter {
  /** Of the last line. -1 if anything else has been written since. */
  #test = -1;
  #ordinal = 0;
  #start = 0;
  #setup = 0;
  #teardown = 0;
  #checks = 0;
  #line = 0;
  #column = 1;
  /** The total time of the last pass, in microseconds. */
  time = 0;

  /** Another line is written, so that the next pass is a whole line. */
  resetDelta(): void {
    this.#test = -1;
  }

  /**
   * Returns false, and writes nothing, for a row that a compact line cannot contain: it can contain texts, finite numbers, booleans, null
   * and dates under these columns.
   */
  write(pass: CompactPass, columns: readonly string[], lines: Utf8LineBuffer, stringify: (value: unknown) => string): boolean {
    const from = lines.length;
    const start = toMicroseconds(pass.start);
    const setup = toMicroseconds(pass.setup);
    const teardown = toMicroseconds(pass.teardown);
    const body = toMicroseconds(pass.body);
    const { test, ordinal, duplicateIndex, checks, line, column } = pass;
    const rows = ordinal - this.#ordinal;
    if (
      test === this.#test &&
      rows > 0 &&
      duplicateIndex === 1 &&
      start >= this.#start &&
      setup === this.#setup &&
      teardown === this.#teardown &&
      checks === this.#checks &&
      column === this.#column &&
      line === predictLine(this.#line, rows)
    ) {
      lines.number(EQUALS, start - this.#start);
      lines.number(SPACE, body);
      if (rows > 1) lines.number(SPACE, rows);
    } else {
      lines.number(PLUS, test);
      lines.number(SPACE, ordinal);
      lines.number(SPACE, duplicateIndex);
      lines.number(SPACE, start);
      lines.number(SPACE, setup);
      lines.number(SPACE, body);
      lines.number(SPACE, teardown);
      lines.number(SPACE, checks);
      lines.number(SPACE, line);
      if (column !== 1) lines.number(SPACE, column);
    }
    lines.writeByte(TAB);
    if (!writeRow(pass.row, columns, lines, stringify)) return lines.truncate(from);
    this.#test = test;
    this.#ordinal = ordinal;
    this.#start = start;
    this.#setup = setup;
    this.#teardown = teardown;
    this.#checks = checks;
    this.#line = line;
    this.#column = column;
    this.time = setup + body + teardown;
    return true;
  }
}

/** The most likely line of the row that is `rows` later in a data file; 0 without a data file. */
const predictLine = (line: number, rows: number): number => (line === 0 ? 0 : line + rows);

function writeRow(row: CompactPass['row'], columns: readonly string[], lines: Utf8LineBuffer, stringify: (value: unknown) => string): boolean {
  let seen = 0;
  for (const column in row) {
    if (columns[seen] !== column || !writeValue(seen === 0 ? BRACKET : COMMA, row[column], lines, stringify)) return false;
    seen++;
  }
  if (seen !== columns.length) return false;
  if (seen === 0) lines.writeByte(BRACKET);
  lines.writeByte(END_BRACKET);
  lines.writeByte(LINE_FEED);
  return true;
}

function writeValue(before: number, value: unknown, lines: Utf8LineBuffer, stringify: (value: unknown) => string): boolean {
  if (typeof value === 'number') {
    if (!Number.isFinite(value) || Object.is(value, -0)) return false;
    lines.number(before, value);
    return true;
  }
  if (typeof value === 'object') return writeObject(before, value, lines);
  if (typeof value !== 'string' && typeof value !== 'boolean') return false;
  lines.writeByte(before);
  if (typeof value === 'string') lines.json(value, stringify);
  else lines.text(value ? 'true' : 'false');
  return true;
}

/** Writes null, or a date: `{"date":0}`, in milliseconds since 1970. */
function writeObject(before: number, value: object | null, lines: Utf8LineBuffer): boolean {
  const isPlainDate = value !== null && Object.getPrototypeOf(value) === Date.prototype && Object.keys(value).length === 0;
  if (value !== null && !(isPlainDate && Number.isFinite((value as Date).getTime()))) return false;
  lines.writeByte(before);
  lines.text(value === null ? 'null' : `{"date":${(value as Date).getTime()}}`);
  return true;
}

/** Restores a value as its case had it. */
const reviveValue = (value: unknown): unknown => (typeof value === 'object' && value !== null ? new Date((value as { date: number }).date) : value);

/** The position of `nextNumber`; -1 after a character that a whole line cannot contain. */
let cursor = 0;

/** Reads the next integer of a line, and the blank or tab after it. Digit by digit, since millions are read. */
function readNextNumber(bytes: Uint8Array): number {
  if (cursor < 0) return 0;
  let at = cursor;
  let number = 0;
  for (;;) {
    const unit = bytes[at++] as number;
    if (unit >= ZERO && unit <= NINE) number = number * 10 + unit - ZERO;
    else {
      cursor = unit === SPACE || unit === TAB ? at : -1;
      return number;
    }
  }
}

/** Whether another number follows the last one, which then ends with a blank. */
const hasMore = (bytes: Uint8Array): boolean => cursor > 0 && bytes[cursor - 1] === SPACE;

const nothing: readonly never[] = [];
const decoder = new TextDecoder();

/** A test's header, with what is needed to rebuild rows from values. */
interface HeldHeader extends TestHeader {
  readonly makeRow: MakeObject;
}

/** The headers that a journal has had so far, by test number. */
export class Headers {
  readonly #heldHeaders = new Map<number, HeldHeader>();

  set(header: TestHeader): void {
    this.#heldHeaders.set(header.test, { ...header, makeRow: compileObjectFactory(header.columns) });
  }

  get(test: number): HeldHeader | undefined {
    return this.#heldHeaders.get(test);
  }
}

/** A compact pass with the interface of a whole result. Expensive fields are computed on demand. */
export class ReadPass implements RecordedResult {
  readonly test: number;
  readonly ordinal: number;
  readonly #duplicateIndex: number;
  /** Microseconds, like the other times: integers need no allocation. */
  readonly #start: number;
  readonly #setup: number;
  readonly #body: number;
  readonly #teardown: number;
  readonly #passed: number;
  readonly #line: number;
  readonly #column: number;
  readonly #header: HeldHeader | undefined;
  readonly #bytes: Uint8Array;
  readonly #from: number;
  /** The end of the line. */
  readonly end: number;
  readonly isWhole: boolean;
  #row: RecordedResult['row'] | undefined;
  #hasDates = false;

  constructor(bytes: Uint8Array, from: number, headers: Headers, before: ReadPass | undefined) {
    cursor = from + 1;
    if (before) {
      this.test = before.test;
      this.#duplicateIndex = 1;
      this.#start = before.#start + readNextNumber(bytes);
      this.#setup = before.#setup;
      this.#body = readNextNumber(bytes);
      const rows = hasMore(bytes) ? readNextNumber(bytes) : 1;
      this.ordinal = before.ordinal + rows;
      this.#teardown = before.#teardown;
      this.#passed = before.#passed;
      this.#line = predictLine(before.#line, rows);
      this.#column = before.#column;
      this.#header = before.#header;
    } else {
      this.test = readNextNumber(bytes);
      this.ordinal = readNextNumber(bytes);
      this.#duplicateIndex = readNextNumber(bytes);
      this.#start = readNextNumber(bytes);
      this.#setup = readNextNumber(bytes);
      this.#body = readNextNumber(bytes);
      this.#teardown = readNextNumber(bytes);
      this.#passed = readNextNumber(bytes);
      this.#line = readNextNumber(bytes);
      this.#column = hasMore(bytes) ? readNextNumber(bytes) : 1;
      this.#header = headers.get(this.test);
    }
    this.#bytes = bytes;
    this.#from = cursor;
    this.end = endOfLine(bytes, cursor < 0 ? from : cursor);
    this.isWhole = cursor > 0 && bytes[cursor - 1] === TAB && bytes[this.end - 1] === END_BRACKET;
  }

  get status(): 'passed' {
    return 'passed';
  }
  get attempts(): number {
    return 1;
  }
  get failures(): readonly never[] {
    return nothing;
  }
  get steps(): readonly never[] {
    return nothing;
  }
  get output(): readonly never[] {
    return nothing;
  }
  get attachments(): readonly never[] {
    return nothing;
  }
  get start(): number {
    return this.#start / 1000;
  }
  get times(): RecordedResult['times'] {
    return { setup: this.#setup / 1000, body: this.#body / 1000, teardown: this.#teardown / 1000 };
  }
  get checks(): RecordedResult['checks'] {
    return { passed: this.#passed, failed: 0 };
  }
  /** The row as its case had it, from which names are made. */
  get #ownRow(): RecordedResult['row'] {
    if (!this.#row) {
      const values = parseValues(decoder.decode(this.#bytes.subarray(this.#from, this.end)));
      this.#hasDates = values.some((value) => typeof value === 'object' && value !== null);
      this.#row = (this.#header?.makeRow(this.#hasDates ? values.map(reviveValue) : values) ?? {}) as Readonly<Record<string, unknown>>;
    }
    return this.#row;
  }
  get row(): RecordedResult['row'] {
    const own = this.#ownRow;
    return this.#hasDates ? recordedRow(own) : own;
  }
  get id(): string {
    return formatCaseId(this.#header?.id ?? '', this.#header?.source === undefined ? undefined : formatCaseSlug(this.#ownRow, undefined), this.#duplicateIndex);
  }
  get title(): string {
    const path = this.#header?.path ?? [];
    const template = parseTitle(path.at(-1) ?? '');
    const row = this.#ownRow;
    return formatCaseTitle([...path.slice(0, -1), renderTitle(template, row)], hasPlaceholders(template) ? '' : formatValuesName(row));
  }
  get tags(): readonly string[] {
    return this.#header?.tags ?? [];
  }
  get location(): SourceLocation | undefined {
    return this.#line && this.#header?.data !== undefined ? { file: this.#header.data, line: this.#line, column: this.#column } : undefined;
  }
}

function parseValues(text: string): readonly unknown[] {
  try {
    return JSON.parse(text) as unknown[];
  } catch (error) {
    return throwProblem({ code: 'malformed-row', reason: (error as Error).message });
  }
}

/** The position of the end of a line: the length if it is the last one. */
export function endOfLine(bytes: Uint8Array, from: number): number {
  let end = from;
  while (end < bytes.length && bytes[end] !== LINE_FEED) end++;
  return end;
}

/** Whether a line, or what starts with this character, is a compact pass. */
export const isPass = (unit: number | undefined): boolean => unit === PLUS || unit === EQUALS;

/**
 * Reads the compact pass of the UTF-8 line that starts at a position. Undefined for an incomplete line, or one that continues a line that
 * is not there. `before` is the pass of the previous line, if it was one. The bytes must not change afterwards.
 */
export function readPass(bytes: Uint8Array, from: number, headers: Headers, before: ReadPass | undefined): ReadPass | undefined {
  const isDelta = bytes[from] === EQUALS;
  if (isDelta && !before) return undefined;
  const pass = new ReadPass(bytes, from, headers, isDelta ? before : undefined);
  return pass.isWhole ? pass : undefined;
}
