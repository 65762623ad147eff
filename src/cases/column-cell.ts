/** A column in a file, for values that are computed for it. */
export interface ColumnCell {
  readonly heading: string;
  /** How far a computed number can be from the cell. */
  readonly tolerance?: number | undefined;
  /** The text of a cell that holds a value; undefined if it cannot hold it. */
  write(value: unknown): string | undefined;
  /** The value of a text. Undefined if only a schema can read it. */
  read?(text: string): unknown;
}
