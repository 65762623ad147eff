/** One of so many shares of a test's rows; from 0. */
export interface Share {
  readonly index: number;
  readonly of: number;
}

/** Rows go to shares in blocks, so that a short test stays whole. */
const block = 256;

/** Whether a row is in a share by its number among all rows. */
export const isInShare = (ordinal: number, { index, of }: Share): boolean => Math.floor(ordinal / block) % of === index;
