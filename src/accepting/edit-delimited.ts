import { endOfField } from '../cases/data/csv.ts';
import { type CellChange, type Edited, keepDecimals, type MadeChange, type Refusal, refuseChange, type Splice, splice } from './change.ts';

/** The delimiters to try for an extension, its usual one first. */
const delimiters: Readonly<Record<string, readonly string[]>> = { '.csv': [',', ';', '\t', '|'], '.tsv': ['\t', ',', ';', '|'] };
const COMMENT = '#';
const BYTE_ORDER_MARK = '\uFEFF';

interface Range {
  readonly start: number;
  readonly end: number;
}

/** The headings of a file, and the delimiter between its cells. */
interface Header {
  readonly delimiter: string;
  readonly headings: readonly string[];
}

/** Changes cells of a CSV or TSV text. Everything else stays as it is: comments, quotes, blanks around cells, line endings. */
export function editDelimited(text: string, extension: string, changes: readonly CellChange[]): Edited {
  const expectedHeadings = [...new Set(changes.map(({ heading }) => heading))];
  const { delimiter, headings } = findHeader(text, delimiters[extension] as readonly string[], expectedHeadings);
  const splices: Splice[] = [];
  const made: MadeChange[] = [];
  const refused: Refusal[] = [];
  let [line, start] = [1, 0];
  let fields: { readonly line: number; readonly ranges: readonly Range[] } | undefined;
  for (const change of [...changes].sort((a, b) => a.line - b.line)) {
    for (; line < change.line && start >= 0; line++) start = text.indexOf('\n', start) + 1 || -1;
    if (start < 0) {
      refused.push(refuseChange(change, 'the file has no such line'));
      continue;
    }
    if (fields?.line !== line) fields = { line, ranges: splitRecord(text, start, delimiter) };
    const index = headings.indexOf(change.heading);
    const range = fields.ranges[index];
    const reason =
      index < 0
        ? `no heading "${change.heading}"; the headings are ${headings.filter(Boolean).join(', ')}`
        : !range
          ? 'the line has no such cell'
          : change.text === undefined
            ? 'the value cannot be the text of a cell'
            : undefined;
    if (reason !== undefined || !range) {
      refused.push(refuseChange(change, reason ?? ''));
      continue;
    }
    const old = text.slice(range.start, range.end);
    const after = writeCell(old, change, delimiter, index === 0, fields.ranges.length === 1);
    splices.push({ ...range, text: after });
    made.push({ change, before: readCell(old), after: readCell(after) });
  }
  return { content: splice(text, splices), made, refused };
}

/** Reads the first record that is not a comment as headings. Tries each delimiter and keeps the one with the most expected headings. */
function findHeader(text: string, candidates: readonly string[], expectedHeadings: readonly string[]): Header {
  let best: Header & { readonly found: number } = { delimiter: candidates[0] as string, headings: [], found: -1 };
  for (const comment of [COMMENT, undefined]) {
    const start = findFirstRecord(text, comment);
    for (const delimiter of candidates) {
      const headings = splitRecord(text, start, delimiter).map((range) => readCell(text.slice(range.start, range.end)).trim());
      const found = expectedHeadings.filter((heading) => headings.includes(heading)).length;
      if (found > best.found) best = { delimiter, headings, found };
    }
  }
  return best;
}

function findFirstRecord(text: string, comment: string | undefined): number {
  let start = text.startsWith(BYTE_ORDER_MARK) ? 1 : 0;
  for (;;) {
    const end = text.indexOf('\n', start);
    const content = text.slice(start, end < 0 ? undefined : end);
    const isSkipped = content.trim() === '' || (comment !== undefined && content.startsWith(comment));
    if (!isSkipped || end < 0) return start;
    start = end + 1;
  }
}

/** The positions of the cells in the record that starts at a position. */
function splitRecord(text: string, from: number, delimiter: string): Range[] {
  const ranges: Range[] = [];
  for (let start = from; ; ) {
    const end = endOfField(text, start, delimiter);
    // A quote that is never closed belongs to its line.
    const last = end < 0 ? (text.indexOf('\n', start) + 1 || text.length + 1) - 1 : end;
    if (end < 0 || end >= text.length || text[end] === '\n') {
      ranges.push({ start, end: text[last - 1] === '\r' && last > start ? last - 1 : last });
      return ranges;
    }
    ranges.push({ start, end });
    start = end + delimiter.length;
  }
}

/** The text of a cell without quotes. */
function readCell(raw: string): string {
  const trimmed = raw.trim();
  return /^".*"$/s.test(trimmed) && trimmed.length > 1 ? trimmed.slice(1, -1).replaceAll('""', '"') : trimmed;
}

/** Writes a cell: with quotes if it had or needs them, and with its surrounding blanks. */
function writeCell(old: string, { text = '', value }: CellChange, delimiter: string, isFirst: boolean, isOnly: boolean): string {
  const isQuoted = old.startsWith('"');
  const [, before = '', content = '', after = ''] = /^(\s*)(.*?)(\s*)$/s.exec(old) ?? [];
  const needsQuotes =
    isQuoted ||
    text.includes(delimiter) ||
    /["\r\n]/.test(text) ||
    text.trim() !== text ||
    // An empty text is quoted if an empty cell would mean something else.
    (text === '' && (value === '' || isOnly)) ||
    (isFirst && text.startsWith(COMMENT));
  const written = typeof value === 'number' ? keepDecimals(text, readCell(old)) : text;
  if (needsQuotes) return `"${written.replaceAll('"', '""')}"`;
  return content === '' ? written : before + written + after;
}
