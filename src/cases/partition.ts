/** One of several partitions of the rows of a test, counted from 0. */
export interface Partition {
  readonly index: number;
  readonly of: number;
  /** The number of consecutive rows that stay together if rows are partitioned by their number. */
  readonly block: number;
}

/** Whether a row is in a partition, by its number among all rows. */
export const isInPartition = (ordinal: number, { index, of, block }: Partition): boolean => Math.floor(ordinal / block) % of === index;
