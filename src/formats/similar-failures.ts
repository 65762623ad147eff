import type { RecordedResult } from '../results/recorded-result.ts';

/** The key by which failures of several rows are grouped: everything except values. */
const buildSimilarityKey = ({ test, failures }: Pick<RecordedResult, 'test' | 'failures'>): string =>
  JSON.stringify([
    // A failed setup is the same for all its dependents.
    failures.every(({ cause }) => cause === 'setup') ? undefined : test,
    // The number of repetitions does not matter.
    [
      ...new Set(
        failures.map(({ cause, message, note, location, step, fixture }) =>
          JSON.stringify([cause, message.replace(/[\d.]+/g, '#'), note, location, step, fixture]),
        ),
      ),
    ],
  ]);

/** Groups results with similar failures. Each group is at the position of its first result. */
export function groupSimilarFailures(results: readonly RecordedResult[]): RecordedResult[][] {
  const groups = new Map<string, RecordedResult[]>();
  for (const result of results) {
    const key = buildSimilarityKey(result);
    const group = groups.get(key);
    if (group) group.push(result);
    else groups.set(key, [result]);
  }
  return [...groups.values()];
}
