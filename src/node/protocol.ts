import type { TeardownContext } from '../fixtures/fixture.ts';
import type { Problem } from '../problems/problem.ts';
import { isObject, lacks, type Shapes } from '../results/shapes.ts';
import type { FixtureAddress } from '../running/fixture-address.ts';
import type { SerializedConfig, WrittenPattern } from '../suites/config.ts';
import type { Defaults } from '../suites/plan.ts';
import type { Selection } from '../suites/selection.ts';
import type { Loaders } from './loading/loaders.ts';
import type { Assignment } from './work-scheduler.ts';

/** All that the coordinator and a lane say to each other; results go through the lane's journal. */

/** What a lane is to do. */
export interface Job {
  readonly mode: 'run' | 'plan' | 'explain' | 'host';
  /** The project's root: where paths in ids start. */
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
  /** Other lanes run beside this one: the plan is cut into pieces, and some locks are theirs, too. */
  readonly hasPeers: boolean;
  readonly shuffle: boolean;
  readonly stopAfter: number | undefined;
  /** Note where cases open what they leave behind. */
  readonly findLeaks: boolean;
  readonly selection: Selection;
  /** What holds where the tests say nothing, and the most that they may allow. */
  readonly defaults: Defaults;
  /** The tags in use; any, where none are said. */
  readonly tags: readonly string[] | undefined;
  /** Columns and settings whose values are not recorded. */
  readonly redact: readonly WrittenPattern[] | undefined;
  /** How files that are no modules are imported. */
  readonly loaders: Loaders | undefined;
  /** Milliseconds for loading one file, and for planning. */
  readonly loadTimeout: number;
  /** Announce every case before it starts, and run one at a time: an earlier lane died for an unknown reason. */
  readonly isolatesCases: boolean;
}

export type ToLane =
  /** Before the job: to read the project's configuration. */
  | { readonly to: 'lane'; readonly type: 'configure'; readonly path: string; readonly cache: string }
  | { readonly to: 'lane'; readonly type: 'job'; readonly job: Job }
  | { readonly to: 'lane'; readonly type: 'compiled'; readonly key: string; readonly error?: { message: string; line: number; column: number } | undefined }
  | { readonly to: 'lane'; readonly type: 'fetched'; readonly request: number; readonly serialized: SerializedValue }
  /** What to run next; nothing when all is dealt out. */
  | { readonly to: 'lane'; readonly type: 'assignment'; readonly assignment: Assignment | undefined }
  | { readonly to: 'lane'; readonly type: 'locked'; readonly request: number }
  /** To the process that hosts the fixtures of the run. */
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
  /** Its journal cannot be written: what it does from here on is lost. */
  | { readonly from: 'lane'; readonly type: 'unwritable'; readonly reason: string }
  /** Ready for a piece; what it had is on record. */
  | { readonly from: 'lane'; readonly type: 'free' }
  | { readonly from: 'lane'; readonly type: 'lock'; readonly request: number; readonly names: readonly string[] }
  | { readonly from: 'lane'; readonly type: 'unlock'; readonly names: readonly string[] }
  | { readonly from: 'lane'; readonly type: 'fetch'; readonly request: number; readonly address: FixtureAddress }
  | { readonly from: 'lane'; readonly type: 'fetched'; readonly request: number; readonly serialized: SerializedValue }
  | { readonly from: 'lane'; readonly type: 'used'; readonly address: FixtureAddress; readonly users: TeardownContext }
  /** The journal is whole; the lane ends itself. */
  | { readonly from: 'lane'; readonly type: 'done' };

/** A value of a fixture of the run on its way: serialized, in base64; or why there is none. */
export type SerializedValue =
  | { readonly value: string }
  | {
      readonly error: {
        readonly name: string;
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
  return lacks(message, shapes[message['type'] as ToCoordinator['type']], 'message') === undefined;
}
