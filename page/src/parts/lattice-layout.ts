/** The positions of the cells of one file in its block. */
export interface BlockLayout {
  readonly columns: number;
  readonly rows: number;
  /** In CSS pixels. */
  readonly width: number;
  readonly height: number;
}

/** The distances between cells to try, the largest first, in CSS pixels. */
const steps = [18, 14, 11, 9, 7, 5, 4, 3, 2];
const BLOCK_GAP = 14;
const LABEL_HEIGHT = 18;
/** The minimum width of a block, for its label. */
export const MIN_BLOCK_WIDTH = 96;

/** The largest distance between cells at which there is room for the blocks of all files, or the smallest distance if there never is. */
export function chooseStep(counts: readonly number[], width: number, height: number): number {
  for (const step of steps) if (heightOf(counts, width, step) <= height) return step;
  return steps.at(-1) as number;
}

/** Lays out a block: wide enough for its label, and about twice as wide as it is high. */
export function layOutBlock(count: number, step: number, width: number): BlockLayout {
  const maxColumns = Math.max(1, Math.floor(width / step));
  const least = Math.ceil(MIN_BLOCK_WIDTH / step);
  const roughColumns = Math.max(1, Math.min(count, maxColumns, Math.max(least, Math.ceil(Math.sqrt(count * 2.5)))));
  const rows = Math.ceil(count / roughColumns);
  // As few columns as these rows need, so that the last row is not nearly empty.
  const columns = Math.ceil(count / rows);
  return { columns, rows, width: columns * step, height: rows * step };
}

/** The height of all blocks, arranged next to each other where possible. */
function heightOf(counts: readonly number[], width: number, step: number): number {
  let [total, line, used] = [0, 0, 0];
  for (const count of counts) {
    const block = layOutBlock(count, step, width);
    const wide = Math.max(block.width, MIN_BLOCK_WIDTH) + BLOCK_GAP;
    if (used > 0 && used + wide > width + BLOCK_GAP) {
      total += line + BLOCK_GAP;
      [line, used] = [0, 0];
    }
    line = Math.max(line, block.height + LABEL_HEIGHT);
    used += wide;
  }
  return total + line;
}
