import type Papa from 'papaparse';
import { refuse } from '../../problems/problem.ts';

export interface CsvOptions {
  readonly delimiter: string;
  /** Lines that start so are left out. */
  readonly comment: string | undefined;
}

/** One record of a CSV text (RFC 4180), with where it stands. */
export interface CsvRecord {
  readonly cells: readonly string[];
  /** The line it starts on, from 1. */
  readonly line: number;
  /** How many lines it takes. */
  readonly lines: number;
  /** Its text as it stands in the file. */
  readonly raw: string;
  readonly unclosed: boolean;
}

/** A record that is longer is refused: it is held whole. Characters. */
export const mostOfARecord = 4_000_000;

interface Span {
  readonly start: number;
  readonly end: number;
  readonly line: number;
  readonly lines: number;
  readonly unclosed: boolean;
}

/**
 * Cuts a stream of text into records.
 *
 * Where records begin and end is found here, so that each knows its line, also behind comments, blank lines and quoted line
 * breaks; the cells are split by papaparse, a run of neighbouring records at a time.
 */
export async function* csvRecords(pieces: AsyncIterable<string>, file: string, options: CsvOptions): AsyncGenerator<readonly CsvRecord[]> {
  const { default: papa } = await import('papaparse');
  let rest = '';
  let line = 1;
  for await (const piece of pieces) {
    rest += piece;
    const found = spans(rest, line, options, false);
    if (found.records.length) yield split(papa, rest, found.records, options);
    rest = rest.slice(found.end);
    line = found.line;
    if (rest.length > mostOfARecord) refuse({ code: 'long-record', limit: mostOfARecord, at: { file, line, column: 1 } });
  }
  const found = spans(rest, line, options, true);
  if (found.records.length) yield split(papa, rest, found.records, options);
}

/** The whole records of a text, and where the first that may not be whole begins. */
function spans(text: string, firstLine: number, { delimiter, comment }: CsvOptions, last: boolean): { records: Span[]; end: number; line: number } {
  const records: Span[] = [];
  let [start, line] = [0, firstLine];
  let quote = text.indexOf('"');
  while (start < text.length) {
    let end = text.indexOf('\n', start);
    if (end < 0 && !last) break;
    if (end < 0) end = text.length;
    let lines = 1;
    let unclosed = false;
    const skipped = (comment !== undefined && text.startsWith(comment, start)) || blank(text, start, end);
    if (quote >= 0 && quote < start) quote = text.indexOf('"', start);
    if (!skipped && quote >= 0 && quote < end) {
      const close = endOfRecord(text, start, delimiter);
      unclosed = close < 0;
      if (unclosed && !last) break;
      // A quote that never closes would swallow the file: it costs its own line instead.
      if (!unclosed) {
        if (close >= text.length && !last) break;
        for (let at = text.indexOf('\n', start); at >= 0 && at < close; at = text.indexOf('\n', at + 1)) lines++;
        end = close;
      }
    }
    if (!skipped) records.push({ start, end: text[end - 1] === '\r' && end < text.length ? end - 1 : end, line, lines, unclosed });
    start = end + 1;
    line += lines;
  }
  return { records, end: Math.min(start, text.length), line };
}

const blank = (text: string, start: number, end: number): boolean => end === start || (end - start < 64 && text.slice(start, end).trim() === '');

/** Where the record that starts here ends, quoted line breaks passed over; -1 where a quote never closes. */
function endOfRecord(text: string, start: number, delimiter: string): number {
  let at = start;
  for (;;) {
    at = endOfField(text, at, delimiter);
    if (at < 0 || at >= text.length || text[at] === '\n') return at;
    at += delimiter.length;
  }
}

function endOfField(text: string, start: number, delimiter: string): number {
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

const neighbours = (text: string, one: Span, two: Span): boolean => !one.unclosed && !two.unclosed && two.start - one.end === (text[one.end] === '\r' ? 2 : 1);

function split(papa: typeof Papa, text: string, records: readonly Span[], { delimiter }: CsvOptions): CsvRecord[] {
  const parsed: CsvRecord[] = [];
  for (let from = 0; from < records.length; ) {
    // As far as records are neighbours, they are split in one go.
    let to = from + 1;
    while (to < records.length && neighbours(text, records[to - 1] as Span, records[to] as Span)) to++;
    const run = records.slice(from, to);
    const newline = text[run[0]?.end ?? 0] === '\r' ? '\r\n' : '\n';
    const uniform = run.every((span) => span.end >= text.length || text.startsWith(newline, span.end));
    const options = { delimiter, newline, quoteChar: '"' } as const;
    const whole = uniform ? papa.parse<string[]>(text.slice(run[0]?.start, run.at(-1)?.end), options).data : [];
    run.forEach((span, i) => {
      const raw = text.slice(span.start, span.end);
      const cells = span.unclosed ? [raw] : ((whole.length === run.length ? whole[i] : papa.parse<string[]>(raw, options).data[0]) ?? []);
      parsed.push({ cells, line: span.line, lines: span.lines, raw, unclosed: span.unclosed });
    });
    from = to;
  }
  return parsed;
}

/** Where a record's n-th cell stands: worked out only when a message needs it. */
export function placeOfCell(record: CsvRecord, index: number, delimiter: string): { line: number; column: number; quoted: boolean } {
  let at = 0;
  for (let i = 0; i < index && at >= 0 && at < record.raw.length; i++) {
    const end = endOfField(record.raw, at, delimiter);
    at = end < 0 ? record.raw.length : end + delimiter.length;
  }
  const before = record.raw.slice(0, at);
  const lastBreak = before.lastIndexOf('\n');
  return { line: record.line + before.split('\n').length - 1, column: at - lastBreak, quoted: record.raw[at] === '"' };
}
