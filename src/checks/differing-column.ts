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
