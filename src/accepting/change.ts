/** A cell of a data file, with its new value. */
export interface CellChange {
  /** The URL of the file. */
  readonly file: string;
  readonly sheet?: string | undefined;
  /** The line on which the row starts, from 1. In a workbook, the number of the row. */
  readonly line: number;
  readonly column: number;
  /** In a test file, the number of the row in its source, from 0. The location is then that of the source. */
  readonly index?: number | undefined;
  readonly heading: string;
  /** The value as the text of a cell, and as JSON. At least one of them is set. */
  readonly text?: string | undefined;
  readonly value?: unknown;
  /** The titles of the cases that request the change, each with its test file. */
  readonly cases: readonly string[];
}

/** A file, with its new content. */
export interface FileChange {
  /** The URL of the file. */
  readonly file: string;
  /** The name of the attachment with the content. */
  readonly attachment: string;
  /** The file did not exist. */
  readonly isNew: boolean;
  readonly cases: readonly string[];
}

/** A change that cannot be made, and why. */
export interface Refusal {
  /** The file and the location: `data/dues.csv:5 due`. */
  readonly where: { readonly file: string; readonly line?: number | undefined; readonly heading?: string | undefined };
  readonly reason: string;
  readonly cases: readonly string[];
}

/** A change in the text of a file, with the values as written there. */
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

/** A part of a text, and its replacement. */
export interface Splice {
  readonly start: number;
  readonly end: number;
  readonly text: string;
}

/** Replaces parts of a text. They must not overlap; insertions at the beginning of another part come before it. */
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

/** Formats a number and keeps the number of decimals of the old text: 16.1 replaces 15.30 as 16.10. */
export function keepDecimals(text: string, before: string): string {
  const decimals = /^-?\d+\.(\d+)$/.exec(before)?.[1]?.length ?? 0;
  const own = /^-?\d+(?:\.(\d+))?$/.exec(text);
  const missing = decimals - (own?.[1]?.length ?? 0);
  if (!own || missing <= 0) return text;
  return `${text}${own[1] === undefined ? '.' : ''}${'0'.repeat(missing)}`;
}
