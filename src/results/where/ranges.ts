interface Counts {
  readonly failing: Int32Array;
  readonly passing: Int32Array;
}

/** The number of distinct bounds, when the alternatives of a range are counted. */
export const MAX_BOUNDS = 40;
/** The weights of passing rows relative to failing ones, from generous to strict. */
const weights = [0.5, 1, 2, 4, 16];

/**
 * The ranges of codes with the highest failure rates, each as wide as its weight allows, except the range of all codes. Counts start at
 * index 1 (J. Bentley, "Programming Pearls", 1984).
 */
export function* findRanges({ failing, passing }: Counts, all: { readonly failing: number; readonly passing: number }): Generator<[low: number, high: number]> {
  const size = failing.length - 1;
  if (size < 3) return;
  const seen = new Set<number>();
  for (const weight of weights) {
    const loss = (weight * all.failing) / Math.max(1, all.passing);
    let [sum, start, most, low, high] = [0, 0, 0, 0, -1];
    // The best range from the lower end, and the best one up to the upper end.
    let [upTo, mostUpTo, end] = [0, 0, -1];
    for (let code = 0; code < size; code++) {
      const gain = (failing[code + 1] as number) - loss * (passing[code + 1] as number);
      sum += gain;
      if (sum > most) [most, low, high] = [sum, start, code];
      if (sum <= 0) [sum, start] = [0, code + 1];
      upTo += gain;
      if (upTo > mostUpTo) [mostUpTo, end] = [upTo, code];
    }
    let [from, mostFrom, begin] = [0, 0, size];
    for (let code = size - 1; code >= 0; code--) {
      from += (failing[code + 1] as number) - loss * (passing[code + 1] as number);
      if (from > mostFrom) [mostFrom, begin] = [from, code];
    }
    const found = [
      [low, high],
      [0, end],
      [begin, size - 1],
    ] as const;
    for (const [a, b] of found) {
      if (b < a || a === b || (a === 0 && b === size - 1) || seen.has(a * size + b)) continue;
      seen.add(a * size + b);
      yield [a, b];
    }
  }
}
