import type { Activity } from './journal/entries.ts';
import type { NarrowProgress } from './narrowing/session.ts';
import type { RunState } from './run-state.ts';

/** The progress of a run. */
export interface RunProgress {
  readonly state: RunState;
  readonly lanes: readonly LaneProgress[];
  /** Milliseconds since the run began. */
  readonly elapsed: number;
  /** Undefined if the last durations of some tests are not known. */
  readonly expected: ExpectedTime | undefined;
  /** If further rows are run to explain failures. */
  readonly narrowing?: NarrowProgress | undefined;
}

/** What a lane is doing. */
export interface LaneProgress {
  readonly number: number;
  /** The name of the machine, if the lane is on another one. */
  readonly machine?: string | undefined;
  readonly activity: Activity | undefined;
  /** For how long, in milliseconds. */
  readonly since: number;
}

/** Milliseconds of running cases, after the durations of earlier runs. */
export interface ExpectedTime {
  readonly whole: number;
  /** The part that is done. A test that exceeds its last time counts only up to that time. */
  readonly done: number;
}

/** Estimates the time of all tests of a plan from their last durations, in milliseconds by id. Undefined if one is not known. */
export function estimateTime(testIds: readonly string[], durations: ReadonlyMap<string, number>, state: RunState): ExpectedTime | undefined {
  const whole = testIds.reduce((sum, id) => sum + (durations.get(id) ?? Number.NaN), 0);
  if (!(whole > 0)) return undefined;
  let done = 0;
  for (const { header, milliseconds, ended } of state.tests.values()) {
    const time = durations.get(header.id) ?? 0;
    done += ended ? time : Math.min(milliseconds, time);
  }
  return { whole, done };
}
