/** One of so many shares of a test's rows; from 0. */
export interface Partition {
  readonly index: number;
  readonly of: number;
  /** So many rows that follow each other stay together, where rows are shared out by their number. */
  readonly block: number;
}

/** Whether a row is in a share by its number among all rows. */
export const isInPartition = (ordinal: number, { index, of, block }: Partition): boolean => Math.floor(ordinal / block) % of === index;
