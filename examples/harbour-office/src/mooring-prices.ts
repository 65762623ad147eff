import type { Season } from './tariff.ts';

/** The place of a boat for a season: at the quay, at a pontoon, at a mooring in the basin. */
export type Lying = 'quay' | 'pontoon' | 'mooring';

/** Cents per night and metre of length, in summer. */
const summer: Readonly<Record<Lying, number>> = { quay: 160, pontoon: 200, mooring: 90 };
const winterPart = 0.7;

/** Cents per night and metre of length. Winter prices are rounded down to ten cents. */
export function pricePerMetre(season: Season, lying: Lying): number {
  return season === 'summer' ? summer[lying] : Math.floor((summer[lying] * winterPart) / 10 + 1e-9) * 10;
}
