/** The water's height at its turn: metres above chart datum. */
export interface Turn {
  readonly at: Date;
  readonly metres: number;
}

/** The water's height between two turns, in metres: it follows half a cosine from one to the next. Throws a RangeError outside of them. */
export function heightBetween(from: Turn, to: Turn, at: Date): number {
  const part = (at.getTime() - from.at.getTime()) / (to.at.getTime() - from.at.getTime());
  if (!(part >= 0 && part <= 1)) throw new RangeError(`${at.toISOString()} is not between ${from.at.toISOString()} and ${to.at.toISOString()}`);
  return from.metres + ((to.metres - from.metres) * (1 - Math.cos(Math.PI * part))) / 2;
}

/** Whether a draught passes over the sill of the inner basin, which lies 0.5 m above chart datum, with 0.3 m to spare. */
export const passesSill = (height: number, draught: number): boolean => height - 0.5 - draught >= 0.3;
