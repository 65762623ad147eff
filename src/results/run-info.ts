import type { NotRunCount } from '../running/run.ts';
import type { Selection, Shard } from '../suites/selection.ts';
import { fields, findFault, optional, type Shapes } from './shapes.ts';

/** Cases that did not run because the run ended, and why it ended. */
export interface NotRun extends NotRunCount {
  readonly reason: string;
}

/** The reason of a run that ended without teardowns. */
export const endedAtOnce = 'the run was ended immediately';

/** Content hashes by the path of their file from the root. */
export type FileHashes = Readonly<Record<string, string>>;

/** The content of `run.json`: a marker, and the facts about the run as a whole. */
export interface RunInfo {
  readonly kind: 'red-lattice run record';
  /** The version of its journals. A reader rejects other versions. */
  readonly version: number;
  readonly tool: string;
  readonly node: string;
  readonly platform: string;
  readonly command: readonly string[];
  readonly seed: number;
  readonly started: string;
  readonly lanes: number;
  /** The machine names of lanes on other machines, by lane. */
  readonly machines?: Readonly<Record<string, string>>;
  /** The project's root when it ran. Files are named relative to it. */
  readonly root?: string;
  /** The id of the process that runs it. */
  readonly process?: number;
  /** The selection, for resuming the run. */
  readonly selection?: Selection;
  /** Counted from 1. */
  readonly shard?: Shard;
  /** A hash of the record that its shards are balanced by. */
  readonly balancedBy?: string;
  /** The test files, by content hash. */
  readonly files?: FileHashes;
  /** The modules and data files that the tests read, by content hash, without those of packages. */
  readonly reads?: FileHashes;
  /** A hash of all tests that were planned. */
  readonly plan?: string;
  /** Milliseconds. Absent while it is running. */
  readonly milliseconds?: number;
  readonly exitStatus?: number;
  readonly counts?: Readonly<Record<string, number>>;
  readonly notRun?: NotRun;
  /** The number of warnings that made a strict run fail. */
  readonly strictWarnings?: number;
  /** The time of each test in milliseconds, by id. */
  readonly times?: Readonly<Record<string, number>>;
}

/** The files that differ between two sets of hashes, sorted. A file in one of them only counts if `inBoth` is false. */
export function findDifferingFiles(one: FileHashes = {}, other: FileHashes = {}, inBoth = false): string[] {
  const files = Object.keys({ ...one, ...other }).filter((file) => one[file] !== other[file]);
  return files.filter((file) => !inBoth || (one[file] !== undefined && other[file] !== undefined)).sort();
}

const infoShapes: Shapes = {
  tool: 'text',
  node: 'text',
  platform: 'text',
  command: 'texts',
  seed: 'number',
  started: 'text',
  lanes: 'count',
  machines: optional('names'),
  root: optional('text'),
  process: optional('count'),
  selection: optional('object'),
  shard: optional(fields({ index: 'count', of: 'count', times: optional('text') })),
  balancedBy: optional('text'),
  files: optional('names'),
  reads: optional('names'),
  plan: optional('text'),
  milliseconds: optional('number'),
  exitStatus: optional('count'),
  counts: optional('numbers'),
  notRun: optional(fields({ cases: 'count', isMore: 'boolean', reason: 'text' })),
  strictWarnings: optional('count'),
  times: optional('numbers'),
};

/** Describes why the content of a `run.json` of this version is invalid. Returns undefined if it is valid. */
export function findInfoFault(info: unknown): string | undefined {
  const refused = findFault(info, infoShapes, 'run.json');
  if (refused !== undefined) return refused;
  return Number.isNaN(Date.parse((info as RunInfo).started)) ? 'its run.json has an invalid "started"' : undefined;
}

/** Formats the name of a lane, with the machine if it is another one: `lane 3 on quay-2`. */
export const formatLaneName = (lane: number, machines: RunInfo['machines']): string =>
  `lane ${lane}${machines?.[lane] === undefined ? '' : ` on ${machines[lane]}`}`;
