import type { EarlierRun } from '../../../src/results/page-entries.ts';
import { worstFirst } from '../../../src/results/status-strip.ts';
import type { Status } from '../../../src/running/result.ts';
import { type Item, isFailing, type Store, type TestItem, timeOf } from './store.ts';

/** A test over the runs of the page, oldest first, with this run last. */
export interface TestHistory {
  readonly test: TestItem;
  /** The worst status of its cases. Undefined if it did not run. */
  readonly statuses: readonly (Status | undefined)[];
  /** The total time of its cases, in milliseconds. */
  readonly times: readonly (number | undefined)[];
  /** The number of changes between failing and not failing. */
  readonly changes: number;
  /** The time of this run divided by the median of the earlier ones, if it is outside their noise. */
  readonly pace: number | undefined;
}

/** A case that sometimes fails. */
export interface FlakyCase {
  readonly item: Item;
  readonly statuses: readonly (Status | undefined)[];
  readonly changes: number;
}

/** The minimum number of earlier runs with a time, for a comparison. */
const MIN_TIMED_RUNS = 5;
/** The minimum difference that is not noise: relative to the median, in milliseconds, and in median deviations. */
const [MIN_SHARE, MIN_MS, MIN_DEVIATIONS] = [0.3, 20, 6];
/** A case with fewer changes has been broken or fixed. */
const MIN_FLAKY_CHANGES = 2;

/** The tests of a run over its earlier runs, those with the most changes first. */
export function listTestHistories(store: Store): TestHistory[] {
  const runs = [...store.history].reverse();
  const worst = runs.map((run) => worstByTest(run, store));
  return [...store.tests.values()]
    .filter(({ items }) => items.length > 0)
    .map((test) => {
      const { id, test: number } = test.header;
      const earlier = runs.map((run, i): Status | undefined => worst[i]?.get(number) ?? (id in run.times ? 'passed' : undefined));
      const statuses = [...earlier, worstOf(test.items.map(({ result }) => result.status))];
      const times = [...runs.map((run) => run.times[id]), test.items.reduce((sum, { result }) => sum + timeOf(result), 0)];
      return { test, statuses, times, changes: countChanges(statuses), pace: measurePace(times) };
    })
    .sort((a, b) => b.changes - a.changes || Math.abs(Math.log(b.pace ?? 1)) - Math.abs(Math.log(a.pace ?? 1)) || a.test.header.test - b.test.header.test);
}

/** Cases whose status changed several times, or that passed only after a retry, those with the most changes first. */
export function listFlakyCases(store: Store): FlakyCase[] {
  const runs = [...store.history].reverse();
  const ids = new Set(runs.flatMap(({ notPassed }) => Object.keys(notPassed).filter((id) => isFailing(notPassed[id]))));
  for (const { result } of store.items) if (result.attempts > 1) ids.add(result.id);
  return [...ids]
    .flatMap((id): FlakyCase[] => {
      const item = store.find(id);
      if (!item) return [];
      const statuses = [...runs.map((run) => store.inEarlier(run, item)), item.result.status];
      const changes = countChanges(statuses);
      const isRepeated = item.result.attempts > 1 && item.result.status === 'passed';
      return changes >= MIN_FLAKY_CHANGES || isRepeated ? [{ item, statuses, changes }] : [];
    })
    .sort((a, b) => b.changes - a.changes);
}

function worstByTest(run: EarlierRun, store: Store): Map<number, Status> {
  const worst = new Map<number, Status>();
  for (const [id, status] of Object.entries(run.notPassed)) {
    const number = store.find(id)?.test.header.test;
    if (number !== undefined) worst.set(number, worstOf([status, worst.get(number) ?? status]));
  }
  return worst;
}

const worstOf = (statuses: readonly Status[]): Status => worstFirst.find((status) => statuses.includes(status)) ?? 'passed';

/** The number of changes between failing and passed. Runs without the case do not count. */
export function countChanges(statuses: readonly (Status | undefined)[]): number {
  const ran = statuses.filter((status) => status === 'passed' || isFailing(status));
  return ran.slice(1).filter((status, i) => isFailing(status) !== isFailing(ran[i])).length;
}

/** The last time divided by the median of the earlier ones. Undefined if it does not differ more than those differ from each other. */
export function measurePace(times: readonly (number | undefined)[]): number | undefined {
  const earlier = times.slice(0, -1).filter((time): time is number => time !== undefined && time > 0);
  const last = times.at(-1);
  if (earlier.length < MIN_TIMED_RUNS || !last) return undefined;
  const usual = median(earlier);
  const noise = median(earlier.map((time) => Math.abs(time - usual)));
  const isBeyond = Math.abs(last - usual) > Math.max(MIN_MS, MIN_SHARE * usual, MIN_DEVIATIONS * noise);
  return isBeyond ? last / usual : undefined;
}

function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const middle = Math.floor(sorted.length / 2);
  return sorted.length % 2 === 1 ? (sorted[middle] as number) : ((sorted[middle - 1] as number) + (sorted[middle] as number)) / 2;
}
