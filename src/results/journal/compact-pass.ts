import { caseSlug, formatCaseId, formatValuesName } from '../../cases/ids.ts';
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

/** A passed case of which there is nothing to say but its times: by far the most frequent entry. */
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
  /** The line of its row in the test's data file; 0 without one. */
  readonly line: number;
  /** Where on that line the row begins. */
  readonly column: number;
  /** Its values, under the columns that the test's header names. */
  readonly row: Readonly<Record<string, unknown>>;
}

/** Whole microseconds; as a small integer where it is one, which is far faster to write. */
const toMicroseconds = (milliseconds: number): number => (milliseconds < 2_000_000 ? (milliseconds * 1000 + 0.5) | 0 : Math.round(milliseconds * 1000));

/**
 * Writes plain passes, a line each. A whole line is `+test ordinal twin start setup body teardown checks line`, times in microseconds,
 * then the column where it is not the first, then the row's values after a tab. In a stream most cases differ from the one before by their place and their time only: theirs is
 * `=elapsed body`, or `=elapsed body rows` where rows were passed over, with the values. The id and the title are worked out from the
 * test's header when somebody asks. Texts of JSON hold neither line breaks nor tabs.
 */
export class PassWriter {
  /** Of the last line; no test where something else has been written since. */
  #test = -1;
  #ordinal = 0;
  #start = 0;
  #setup = 0;
  #teardown = 0;
  #checks = 0;
  #line = 0;
  #column = 1;
  /** All that the last one took, in microseconds. */
  time = 0;

  /** Another line is written: the next pass is a whole line. */
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
      line === lineAfter(this.#line, rows)
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

/** The most likely line of a row `rows` later in a data file; 0 without a data file. */
const lineAfter = (line: number, rows: number): number => (line === 0 ? 0 : line + rows);

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

/** Null, or a date: `{"date":0}`, in milliseconds since 1970. */
function writeObject(before: number, value: object | null, lines: Utf8LineBuffer): boolean {
  const isPlainDate = value !== null && Object.getPrototypeOf(value) === Date.prototype && Object.keys(value).length === 0;
  if (value !== null && !(isPlainDate && Number.isFinite((value as Date).getTime()))) return false;
  lines.writeByte(before);
  lines.text(value === null ? 'null' : `{"date":${(value as Date).getTime()}}`);
  return true;
}

/** A value as its case had it. */
const revived = (value: unknown): unknown => (typeof value === 'object' && value !== null ? new Date((value as { date: number }).date) : value);

/** The position of `nextNumber`; -1 after a character that a whole line cannot contain. */
let cursor = 0;

/** The whole number that stands next in a line, and the blank or tab after it: taken digit by digit, as millions are read. */
function nextNumber(bytes: Uint8Array): number {
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

/** Whether a number is to follow the one that was read, which ends with a blank then. */
const hasMore = (bytes: Uint8Array): boolean => cursor > 0 && bytes[cursor - 1] === SPACE;

const nothing: readonly never[] = [];
const decoder = new TextDecoder();

/** A test's header, with what makes a row of a pass's values. */
interface HeldHeader extends TestHeader {
  readonly makeRow: MakeObject;
}

/** The headers that a journal has had so far, by their tests' numbers. */
export class Headers {
  readonly #held = new Map<number, HeldHeader>();

  set(header: TestHeader): void {
    this.#held.set(header.test, { ...header, makeRow: compileObjectFactory(header.columns) });
  }

  get(test: number): HeldHeader | undefined {
    return this.#held.get(test);
  }
}

/** A plain pass as whole results are; what takes time, or room, is worked out when it is asked for. */
export class ReadPass implements RecordedResult {
  readonly test: number;
  readonly ordinal: number;
  readonly #duplicateIndex: number;
  /** Microseconds, as are the others: whole numbers take no room of their own. */
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
  /** Where the line ends. */
  readonly end: number;
  readonly isWhole: boolean;
  #row: RecordedResult['row'] | undefined;
  #hasDates = false;

  constructor(bytes: Uint8Array, from: number, headers: Headers, before: ReadPass | undefined) {
    cursor = from + 1;
    if (before) {
      this.test = before.test;
      this.#duplicateIndex = 1;
      this.#start = before.#start + nextNumber(bytes);
      this.#setup = before.#setup;
      this.#body = nextNumber(bytes);
      const rows = hasMore(bytes) ? nextNumber(bytes) : 1;
      this.ordinal = before.ordinal + rows;
      this.#teardown = before.#teardown;
      this.#passed = before.#passed;
      this.#line = lineAfter(before.#line, rows);
      this.#column = before.#column;
      this.#header = before.#header;
    } else {
      this.test = nextNumber(bytes);
      this.ordinal = nextNumber(bytes);
      this.#duplicateIndex = nextNumber(bytes);
      this.#start = nextNumber(bytes);
      this.#setup = nextNumber(bytes);
      this.#body = nextNumber(bytes);
      this.#teardown = nextNumber(bytes);
      this.#passed = nextNumber(bytes);
      this.#line = nextNumber(bytes);
      this.#column = hasMore(bytes) ? nextNumber(bytes) : 1;
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
  /** The row as its case had it: names are made of this one. */
  get #ownRow(): RecordedResult['row'] {
    if (!this.#row) {
      const values = parseValues(decoder.decode(this.#bytes.subarray(this.#from, this.end)));
      this.#hasDates = values.some((value) => typeof value === 'object' && value !== null);
      this.#row = (this.#header?.makeRow(this.#hasDates ? values.map(revived) : values) ?? {}) as Readonly<Record<string, unknown>>;
    }
    return this.#row;
  }
  get row(): RecordedResult['row'] {
    const own = this.#ownRow;
    return this.#hasDates ? recordedRow(own) : own;
  }
  get id(): string {
    return formatCaseId(this.#header?.id ?? '', this.#header?.source === undefined ? undefined : caseSlug(this.#ownRow, undefined), this.#duplicateIndex);
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

/** Where a line ends: its length, where nothing comes behind it. */
export function endOfLine(bytes: Uint8Array, from: number): number {
  let end = from;
  while (end < bytes.length && bytes[end] !== LINE_FEED) end++;
  return end;
}

/** Whether a line, or what begins with this unit, is a plain pass. */
export const isPass = (unit: number | undefined): boolean => unit === PLUS || unit === EQUALS;

/**
 * The plain pass of the line that begins there, in UTF-8; undefined for one that was torn off, or that goes on from a line that is not
 * there: `before` is the pass of the line before, if it was one. The bytes are not to change any more.
 */
export function readPass(bytes: Uint8Array, from: number, headers: Headers, before: ReadPass | undefined): ReadPass | undefined {
  const isDelta = bytes[from] === EQUALS;
  if (isDelta && !before) return undefined;
  const pass = new ReadPass(bytes, from, headers, isDelta ? before : undefined);
  return pass.isWhole ? pass : undefined;
}
