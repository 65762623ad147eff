import type { NextRows } from '../results/narrowing/session.ts';
import type { RunProgress } from '../results/run-progress.ts';
import type { RunState } from '../results/run-state.ts';
import type { WrittenPattern } from '../suites/config.ts';
import type { Defaults } from '../suites/plan.ts';
import type { Selection } from '../suites/selection.ts';
import type { Loaders } from './loading/loaders.ts';
import type { LanePool } from './pool/seats.ts';
import type { TimingHistory } from './record.ts';

export interface RunRequest {
  readonly mode: 'run' | 'plan' | 'explain';
  readonly root: string;
  readonly files: readonly string[];
  readonly selection: Selection;
  readonly seed: number;
  readonly everySpan: boolean;
  readonly findLeaks: boolean;
  readonly defaults: Defaults;
  readonly tags: readonly string[] | undefined;
  readonly redact: readonly WrittenPattern[] | undefined;
  readonly loaders: Loaders | undefined;
  readonly loadTimeout: number;
  /** The number of processes that run cases at the same time on this machine. */
  readonly lanes: number;
  /** Lanes on other machines. */
  readonly pool?: LanePool | undefined;
  readonly shuffle: boolean;
  /** The number of failures after which no new case starts. */
  readonly stopAfter: number | undefined;
  /** The journals of the run that this one resumes. */
  readonly after: readonly string[];
  /** The plan hash of that run, which must be the same. */
  readonly plan: string | undefined;
  readonly before: TimingHistory;
  /** Returns further rows to run when all cases have results. Undefined if there are none. */
  readonly nextRows?: (() => NextRows | undefined) | undefined;
  /** The folder of the journals. */
  readonly record: string;
  readonly cache: string;
}

export interface Coordination {
  readonly done: Promise<RunState>;
  /** The first call gives running cases a grace period and then tears down, the second tears down immediately, the third kills all processes. */
  interrupt(): void;
  /** The current progress. */
  progress(): RunProgress;
}
