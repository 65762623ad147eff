import type { Left } from '../running/run.ts';
import type { Selection, Shard } from '../suites/selection.ts';

/** Cases that did not run because the run ended, and why it ended. */
export interface NotRun extends Left {
  readonly reason: string;
}

/** Why a run ended of which nothing was torn down. */
export const endedAtOnce = 'the run was ended immediately';

/** What stands in `run.json`: our marker, and what is known of the run as a whole. */
export interface RunInfo {
  readonly kind: 'red-lattice run record';
  /** That of its journals: a reader refuses a record in any other. */
  readonly version: number;
  readonly tool: string;
  readonly node: string;
  readonly platform: string;
  readonly command: readonly string[];
  readonly seed: number;
  readonly started: string;
  readonly lanes: number;
  /** The project's root at that time: what files are named from. */
  readonly root?: string;
  /** The id of the process that runs it. */
  readonly process?: number;
  /** What was asked for, so that it can be gone on with. */
  readonly selection?: Selection;
  /** Counted from 1. */
  readonly shard?: Shard;
  /** The test files by a hash of their content. */
  readonly files?: Readonly<Record<string, string>>;
  /** A hash of all tests that were planned. */
  readonly plan?: string;
  /** Milliseconds; absent while the run is under way. */
  readonly milliseconds?: number;
  readonly exitStatus?: number;
  readonly counts?: Readonly<Record<string, number>>;
  readonly notRun?: NotRun;
  /** The number of warnings that made a strict run fail. */
  readonly strictWarnings?: number;
  /** Milliseconds that each test took, by its id. */
  readonly times?: Readonly<Record<string, number>>;
}
