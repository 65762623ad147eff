/** The duration of a case, for the next run. */
export interface CaseDuration {
  readonly id: string;
  readonly milliseconds: number;
}

/**
 * Assigns cases to shards of similar total time: the longest first, each to the shard with the least time so far (R. L. Graham, 1969).
 * Shards are counted from 1. The same cases give the same shards, in any order.
 */
export function assignShards(cases: Iterable<CaseDuration>, of: number): Map<string, number> {
  const loads = Array.from({ length: of }, () => 0);
  const shards = new Map<string, number>();
  const longestFirst = [...cases].sort((a, b) => b.milliseconds - a.milliseconds || (a.id < b.id ? -1 : 1));
  for (const { id, milliseconds } of longestFirst) {
    const shard = loads.indexOf(Math.min(...loads));
    loads[shard] = (loads[shard] as number) + milliseconds;
    shards.set(id, shard + 1);
  }
  return shards;
}
