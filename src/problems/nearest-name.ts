import { distance } from 'fastest-levenshtein';

/** The known name that a misspelt one most likely means, or undefined. Names within a third of its length (at least two edits) count. */
export function findNearestName(name: string, known: Iterable<string>): string | undefined {
  let best: string | undefined;
  let bestDistance = Math.max(2, Math.floor(name.length / 3)) + 1;
  for (const candidate of known) {
    if (candidate.toLowerCase() === name.toLowerCase()) return candidate;
    const steps = distance(name, candidate);
    // A name in which every letter differs is another name.
    if (steps < bestDistance && steps < Math.max(name.length, candidate.length)) [best, bestDistance] = [candidate, steps];
  }
  return best;
}
