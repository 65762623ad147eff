/** The height of the water at high or low water, in metres above chart datum. */
export interface Turn {
  readonly at: Date;
  readonly metres: number;
}

/** The height of the water between two turns, in metres. It follows half a cosine from one to the next. Throws a RangeError outside them. */
export function heightBetween(from: Turn, to: Turn, at: Date): number {
  const part = (at.getTime() - from.at.getTime()) / (to.at.getTime() - from.at.getTime());
  if (!(part >= 0 && part <= 1)) throw new RangeError(`${at.toISOString()} is not between ${from.at.toISOString()} and ${to.at.toISOString()}`);
  return from.metres + ((to.metres - from.metres) * (1 - Math.cos(Math.PI * part))) / 2;
}

/** Whether a draught passes the sill of the inner basin, which is 0.5 m above chart datum, with 0.3 m to spare. */
export const passesSill = (height: number, draught: number): boolean => height - 0.5 - draught >= 0.3;

/** The times at which a draught passes the sill between the first turn and the last, to the precision of the step. */
export function windows(turns: readonly Turn[], draught: number, stepMinutes = 5): { readonly from: Date; readonly to: Date }[] {
  const found: { from: Date; to: Date }[] = [];
  let open: Date | undefined;
  const [first, last] = [turns[0], turns.at(-1)];
  if (!first || !last) return found;
  for (let time = first.at.getTime(); time <= last.at.getTime(); time += stepMinutes * 60_000) {
    const at = new Date(time);
    const passes = passesSill(heightAt(turns, at), draught);
    if (passes) open ??= at;
    else if (open) {
      found.push({ from: open, to: at });
      open = undefined;
    }
  }
  if (open) found.push({ from: open, to: last.at });
  return found;
}

/** The height of the water between the first turn and the last. */
export function heightAt(turns: readonly Turn[], at: Date): number {
  const index = turns.findIndex((turn, i) => i > 0 && at <= turn.at);
  return heightBetween(turns[index - 1] as Turn, turns[index] as Turn, at);
}
