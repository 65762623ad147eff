/** A cell of a data file with the value that it would get. */
export interface CellChange {
  /** The URL of the file. */
  readonly file: string;
  readonly sheet?: string | undefined;
  /** Where the row begins, from 1. In a workbook, the line is the number of the row. */
  readonly line: number;
  readonly column: number;
  /** In a test file, the place is that of the source, and this is the number of the row in it, from 0. */
  readonly index?: number | undefined;
  readonly heading: string;
  /** The value as the text of a cell, and as JSON. At least one of them is set. */
  readonly text?: string | undefined;
  readonly value?: unknown;
  /** The titles of the cases that ask for it, each with its test file. */
  readonly cases: readonly string[];
}

/** A file with the content that it would get. */
export interface FileChange {
  /** The URL of the file. */
  readonly file: string;
  /** The name of the content among the attachments of the record. */
  readonly attachment: string;
  /** The file did not exist. */
  readonly isNew: boolean;
  readonly cases: readonly string[];
}

/** What cannot be accepted, and why. */
export interface Refusal {
  /** The file and the place: `data/dues.csv:5 due`. */
  readonly where: { readonly file: string; readonly line?: number | undefined; readonly heading?: string | undefined };
  readonly reason: string;
  readonly cases: readonly string[];
}

/** A change that was made in the text of a file, with the values as they are written there. */
export interface MadeChange {
  readonly change: CellChange;
  readonly before: string;
  readonly after: string;
}

/** The content of a file after changes. */
export interface Edited<Content = string> {
  readonly content: Content;
  readonly made: readonly MadeChange[];
  readonly refused: readonly Refusal[];
}

/** A part of a text and what takes its place. */
export interface Splice {
  readonly start: number;
  readonly end: number;
  readonly text: string;
}

/** A text with other parts. They must not overlap; what is inserted at the beginning of another part comes before it. */
export function splice(text: string, splices: readonly Splice[]): string {
  const parts: string[] = [];
  let at = 0;
  for (const { start, end, text: part } of [...splices].sort((a, b) => a.start - b.start || a.end - b.end)) {
    parts.push(text.slice(at, start), part);
    at = end;
  }
  parts.push(text.slice(at));
  return parts.join('');
}

export const refuseChange = ({ file, line, heading, cases }: CellChange, reason: string): Refusal => ({ where: { file, line, heading }, reason, cases });

/** A number with as many decimals as there were: 16.1 in the place of 15.30 is written as 16.10. */
export function keepDecimals(text: string, before: string): string {
  const decimals = /^-?\d+\.(\d+)$/.exec(before)?.[1]?.length ?? 0;
  const own = /^-?\d+(?:\.(\d+))?$/.exec(text);
  const missing = decimals - (own?.[1]?.length ?? 0);
  if (!own || missing <= 0) return text;
  return `${text}${own[1] === undefined ? '.' : ''}${'0'.repeat(missing)}`;
}
