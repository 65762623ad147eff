import type { Selection } from '../suites/selection.ts';

/** All that the coordinator and a lane say to each other; results go through the lane's journal. */

/** What a lane is to do. */
export interface Job {
  readonly mode: 'run' | 'plan';
  /** The project's root: where paths in ids start. */
  readonly root: string;
  /** Absolute paths of the test files. */
  readonly files: readonly string[];
  /** Files that ended an earlier lane while they were loaded. */
  readonly unloadable: readonly string[];
  readonly lane: number;
  readonly journal: string;
  /** Journals of earlier lanes: what has a result there does not run again. */
  readonly earlier: readonly string[];
  readonly attachments: string;
  readonly cache: string;
  readonly seed: number;
  readonly selection: Selection;
  readonly timeout: number | undefined;
  readonly concurrency: number | undefined;
  /** Milliseconds for loading one file, and for planning. */
  readonly loadTimeout: number;
  /** Tell of every case before it begins, and run one at a time: an earlier lane died and did not say of what. */
  readonly careful: boolean;
}

export type ToLane =
  | { readonly to: 'lane'; readonly say: 'job'; readonly job: Job }
  | { readonly to: 'lane'; readonly say: 'compiled'; readonly key: string; readonly error?: { message: string; line: number; column: number } | undefined }
  | { readonly to: 'lane'; readonly say: 'stop' }
  | { readonly to: 'lane'; readonly say: 'ping' };

export type ToCoordinator =
  | { readonly from: 'lane'; readonly say: 'compile'; readonly key: string; readonly path: string }
  | { readonly from: 'lane'; readonly say: 'pong' }
  /** The journal is whole; the lane ends itself. */
  | { readonly from: 'lane'; readonly say: 'done' };

export const isToLane = (message: unknown): message is ToLane => (message as { to?: unknown } | null)?.to === 'lane';
export const isToCoordinator = (message: unknown): message is ToCoordinator => (message as { from?: unknown } | null)?.from === 'lane';
