import type { TeardownContext } from '../fixtures/fixture.ts';
import type { Problem } from '../problems/problem.ts';
import { findFault, isObject, type Shapes } from '../results/shapes.ts';
import type { FixtureAddress } from '../running/fixture-address.ts';
import type { SerializedConfig, WrittenPattern } from '../suites/config.ts';
import type { Defaults } from '../suites/plan.ts';
import type { Selection } from '../suites/selection.ts';
import type { Loaders } from './loading/loaders.ts';
import type { Assignment } from './work-scheduler.ts';

/** The messages between the coordinator and a lane. Results are written to the lane's journal instead. */

/** The job of a lane. */
export interface Job {
  readonly mode: 'run' | 'plan' | 'explain' | 'host';
  /** The project's root: paths in ids are relative to it. */
  readonly root: string;
  /** Absolute paths of the test files. */
  readonly files: readonly string[];
  /** Files that ended an earlier lane while they were loaded. */
  readonly skippedFiles: readonly string[];
  readonly lane: number;
  readonly journal: string;
  readonly attachments: string;
  readonly cache: string;
  readonly seed: number;
  /** Also record the setups and teardowns of single cases. */
  readonly everySpan: boolean;
  /** Other lanes run at the same time: the plan is split into work units, and some locks are shared. */
  readonly hasPeers: boolean;
  readonly shuffle: boolean;
  readonly stopAfter: number | undefined;
  /** Record where cases open the resources that they leave open. */
  readonly findLeaks: boolean;
  readonly selection: Selection;
  /** The defaults for tests, and the maximum concurrency. */
  readonly defaults: Defaults;
  /** The known tags. Undefined if all tags are allowed. */
  readonly tags: readonly string[] | undefined;
  /** Columns and settings whose values are not recorded. */
  readonly redact: readonly WrittenPattern[] | undefined;
  /** How files that are not modules are imported. */
  readonly loaders: Loaders | undefined;
  /** The time limit in milliseconds for loading one file, and for planning. */
  readonly loadTimeout: number;
  /** Announce every case before it starts, and run one at a time, since an earlier process died for an unknown reason. */
  readonly isolatesCases: boolean;
}

export type ToLane =
  /** Sent before the job, to load the project's configuration. */
  | { readonly to: 'lane'; readonly type: 'configure'; readonly path: string; readonly cache: string }
  | { readonly to: 'lane'; readonly type: 'job'; readonly job: Job }
  | { readonly to: 'lane'; readonly type: 'compiled'; readonly key: string; readonly error?: { message: string; line: number; column: number } | undefined }
  | { readonly to: 'lane'; readonly type: 'fetched'; readonly request: number; readonly serialized: SerializedValue }
  /** The next assignment. Undefined if all work has been assigned. */
  | { readonly to: 'lane'; readonly type: 'assignment'; readonly assignment: Assignment | undefined }
  | { readonly to: 'lane'; readonly type: 'locked'; readonly request: number }
  /** Messages to the process that owns the run-scoped fixtures. */
  | { readonly to: 'lane'; readonly type: 'fetch'; readonly request: number; readonly address: FixtureAddress }
  | { readonly to: 'lane'; readonly type: 'used'; readonly address: FixtureAddress; readonly users: TeardownContext }
  | { readonly to: 'lane'; readonly type: 'close' }
  /** Start no more cases. */
  | { readonly to: 'lane'; readonly type: 'stop' }
  /** Start no more cases, stop the running ones, and tear down. `urgent`: without the grace period. */
  | { readonly to: 'lane'; readonly type: 'interrupt'; readonly urgent: boolean }
  | { readonly to: 'lane'; readonly type: 'ping' };

export type ToCoordinator =
  | { readonly from: 'lane'; readonly type: 'configured'; readonly config: SerializedConfig; readonly problems: readonly Problem[] }
  | { readonly from: 'lane'; readonly type: 'compile'; readonly key: string; readonly path: string }
  | { readonly from: 'lane'; readonly type: 'pong' }
  /** The journal cannot be written: further results are lost. */
  | { readonly from: 'lane'; readonly type: 'unwritable'; readonly reason: string }
  /** Ready for an assignment. All results of the previous one are recorded. */
  | { readonly from: 'lane'; readonly type: 'free' }
  | { readonly from: 'lane'; readonly type: 'lock'; readonly request: number; readonly names: readonly string[] }
  | { readonly from: 'lane'; readonly type: 'unlock'; readonly names: readonly string[] }
  | { readonly from: 'lane'; readonly type: 'fetch'; readonly request: number; readonly address: FixtureAddress }
  | { readonly from: 'lane'; readonly type: 'fetched'; readonly request: number; readonly serialized: SerializedValue }
  | { readonly from: 'lane'; readonly type: 'used'; readonly address: FixtureAddress; readonly users: TeardownContext }
  /** The journal is complete. The lane exits by itself. */
  | { readonly from: 'lane'; readonly type: 'done' };

/** A value of a run-scoped fixture in transit: serialized as base64, or its error. */
export type SerializedValue =
  | { readonly value: string }
  | {
      readonly error: {
        /** Undefined if something other than an Error was thrown, which `message` describes. */
        readonly name: string | undefined;
        readonly message: string;
        readonly stack: string | undefined;
        readonly fixture: string | undefined;
        readonly isAlreadyReported: boolean;
      };
    };

export const isToLane = (message: unknown): message is ToLane => (message as { to?: unknown } | null)?.to === 'lane';

/** The fields of each message to the coordinator. Code under test can send messages, too. */
const shapes: Readonly<Record<ToCoordinator['type'], Shapes>> = {
  configured: { config: 'object', problems: 'list' },
  compile: { key: 'text', path: 'text' },
  pong: {},
  unwritable: { reason: 'text' },
  free: {},
  lock: { request: 'number', names: 'texts' },
  unlock: { names: 'texts' },
  fetch: { request: 'number', address: 'object' },
  fetched: { request: 'number', serialized: 'object' },
  used: { address: 'object', users: 'object' },
  done: {},
};

/** Whether a message is from a lane, and has all its fields. */
export function isToCoordinator(message: unknown): message is ToCoordinator {
  if (!isObject(message) || message['from'] !== 'lane' || typeof message['type'] !== 'string' || !Object.hasOwn(shapes, message['type'])) return false;
  return findFault(message, shapes[message['type'] as ToCoordinator['type']], 'message') === undefined;
}
