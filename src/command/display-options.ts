import type { GridAxes } from '../formats/human/grid.ts';

export type Sorting = 'plan' | 'name' | 'time';

/** Options for displaying results. */
export interface DisplayOptions {
  readonly sort?: Sorting;
  readonly grid?: boolean;
  readonly gridBy?: GridAxes;
}
