import type { Partition } from '../cases/partition.ts';
import type { ProbeBatch } from '../suites/probes.ts';
import type { WorkUnit } from '../suites/work-units.ts';

/** The next work of a lane. */
export interface Assignment {
  /** Tests by number in the plan. */
  readonly tests: readonly number[];
  readonly share?: Partition | undefined;
  /** Runs all its cases, including those that were not selected. */
  readonly isWhole?: boolean | undefined;
  /** Runs these cases instead of those of the test. */
  readonly probes?: ProbeBatch | undefined;
  /** Journals that can contain results of its cases. */
  readonly after: readonly string[];
  /** Cases with a result, for lanes that cannot read the journals: `test/ordinal`. */
  readonly recorded?: readonly string[] | undefined;
}

/** The minimum number of consecutive rows of a test that stay together. */
const MIN_PARTITION_ROWS = 8;

/** With fewer units per lane than this, tests without known times are partitioned, too. */
const MIN_UNITS_PER_LANE = 2;

/**
 * Assigns work units to lanes as they become free: the longest first, by known times. Units without known times come before them, since
 * they may be long.
 */
export class WorkScheduler {
  readonly #queue: Assignment[] = [];
  /** The number of partitions of a test that have not ended. */
  readonly #open = new Map<number, number>();

  constructor(units: readonly WorkUnit[], lanes: number, timeOf: (test: number) => number | undefined, after: readonly string[]) {
    const assignments = partitionUnits(units, lanes, timeOf);
    this.#queue.push(...assignments.map((one) => ({ ...one, after })));
    for (const { tests } of assignments) for (const test of tests) this.#open.set(test, (this.#open.get(test) ?? 0) + 1);
  }

  get left(): number {
    return this.#queue.length;
  }

  next(): Assignment | undefined {
    return this.#queue.shift();
  }

  /** Returns the assignment of a lost lane to the front of the queue. */
  giveBack(assignment: Assignment): void {
    this.#queue.unshift(assignment);
  }

  ended({ tests }: Assignment): void {
    for (const test of tests) this.#open.set(test, (this.#open.get(test) ?? 1) - 1);
  }

  /** Whether some assignments have not ended. */
  get isUnfinished(): boolean {
    return [...this.#open.values()].some((open) => open > 0);
  }

  /** Whether a test has further partitions: then it has not ended when one lane has finished. */
  isShared(test: number): boolean {
    return (this.#open.get(test) ?? 0) > 1;
  }
}

function partitionUnits(units: readonly WorkUnit[], lanes: number, timeOf: (test: number) => number | undefined): Omit<Assignment, 'after'>[] {
  const timeOfPiece = ({ tests }: Pick<WorkUnit, 'tests'>): number | undefined => {
    const times = tests.map(timeOf);
    return times.includes(undefined) ? undefined : times.reduce<number>((sum, time) => sum + (time ?? 0), 0);
  };
  const known = units.flatMap((unit) => timeOfPiece(unit) ?? []);
  const fair = known.reduce((sum, time) => sum + time, 0) / lanes;
  const isSplit = (unit: WorkUnit): boolean => {
    const time = timeOfPiece(unit);
    return unit.isPartitionable && (time === undefined ? units.length < lanes * MIN_UNITS_PER_LANE : time > fair / MIN_UNITS_PER_LANE);
  };
  return units
    .flatMap((unit) => {
      const time = timeOfPiece(unit);
      if (!isSplit(unit)) return [{ dealt: { tests: unit.tests }, time }];
      const block = time === undefined ? MIN_PARTITION_ROWS : 1;
      return Array.from({ length: lanes }, (_, index) => ({ dealt: { tests: unit.tests, share: { index, of: lanes, block } }, time: time && time / lanes }));
    })
    .sort((a, b) => (b.time ?? Number.POSITIVE_INFINITY) - (a.time ?? Number.POSITIVE_INFINITY) || 0)
    .map(({ dealt }) => dealt);
}
