import type { SourceLocation } from '../problems/source-location.ts';

/** A column whose computed value differs from the row, with what `accept` would write. */
export interface DifferingColumn {
  readonly column: string;
  /** The heading in the file, if it is not the column. */
  readonly heading?: string | undefined;
  /** The computed value as the text of a cell. */
  readonly text?: string | undefined;
  /** The computed value as JSON, for a document. */
  readonly value?: unknown;
  /** Why it cannot be written. */
  readonly reason?: string | undefined;
}

/** A row in a test file: the call of its source, and its number there, from 0. */
export interface TableRow {
  readonly location: SourceLocation;
  readonly index: number;
}

/** A file that differs from a computed content, with the name of the attachment that holds the content. */
export interface DifferingFile {
  /** The URL of the file. */
  readonly file: string;
  readonly attachment: string;
  /** The file does not exist. */
  readonly isNew?: boolean | undefined;
}
