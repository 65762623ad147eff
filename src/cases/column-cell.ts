/** A column in a file, for comparing and writing computed values. */
export interface ColumnCell {
  readonly heading: string;
  /** The maximum difference between a computed number and the cell. */
  readonly tolerance?: number | undefined;
  /** Formats a value as the text of a cell. Returns undefined if a cell cannot hold it. */
  write(value: unknown): string | undefined;
  /** Parses the text of a cell. Undefined if only a schema can read it. */
  read?(text: string): unknown;
}
