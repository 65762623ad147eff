import type { Sides } from '../formats/human/grid.ts';

export type Sorting = 'plan' | 'name' | 'time';

/** How people want to see it. */
export interface Look {
  readonly sort?: Sorting;
  readonly grid?: boolean;
  readonly gridBy?: Sides;
}
