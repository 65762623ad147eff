import { assignShards, type CaseDuration } from '../../results/shards.ts';
import type { Shard } from '../../suites/selection.ts';
import { readJournal, readJournals } from '../journals.ts';

/** The shard of each case of a record, by the times in that record. */
export function findAssigned(shard: Shard | undefined): ReadonlyMap<string, number> | undefined {
  if (shard?.times === undefined) return undefined;
  const timed = new Map<string, CaseDuration>();
  for (const entry of readJournals(shard.times)) {
    if (entry.type !== 'ended') continue;
    const { id, times } = entry.result;
    timed.set(id, { id, milliseconds: Math.round(times.setup + times.body + times.teardown) });
  }
  return assignShards(timed.values(), shard.of);
}

/** The cases with results in earlier journals, if these exist. */
export function recordedIn(journals: readonly string[]): Set<string> {
  const recorded = new Set<string>();
  for (const path of journals) for (const entry of readJournal(path)) if (entry.type === 'ended') recorded.add(`${entry.result.test}/${entry.result.ordinal}`);
  return recorded;
}
