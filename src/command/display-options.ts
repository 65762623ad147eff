import type { GridAxes } from '../formats/human/grid.ts';

export type Sorting = 'plan' | 'name' | 'time';

/** How people want to see it. */
export interface DisplayOptions {
  readonly sort?: Sorting;
  readonly grid?: boolean;
  readonly gridBy?: GridAxes;
}
