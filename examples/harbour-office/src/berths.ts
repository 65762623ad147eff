import type { Hull } from './tariff.ts';

/** A berth in metres. The depth is that at the lowest tide. */
export interface Berth {
  readonly name: string;
  readonly length: number;
  readonly width: number;
  readonly depth: number;
}

export interface Vessel {
  readonly loa: number;
  readonly hull: Hull;
  readonly draught: number;
}

export const berths: readonly Berth[] = [
  { name: 'north pier', length: 12.5, width: 4.8, depth: 2 },
  { name: 'south quay', length: 20, width: 9.5, depth: 1.2 },
  { name: 'visitor', length: 9.5, width: 6, depth: 2.8 },
];

/** A vessel's width for each metre of its length. */
const beam: Readonly<Record<Hull, number>> = { mono: 0.33, cat: 0.5, tri: 0.6 };
/** The required water under a keel, in metres. */
const underKeel = 0.3;

/** Whether a vessel can use a berth while the tide is at a height above its lowest, in metres. */
export function fits({ loa, hull, draught }: Vessel, { length, width, depth }: Berth, tide: number): boolean {
  return loa <= length && loa * beam[hull] <= width && draught + underKeel <= depth + tide;
}
