import type { Span } from '../fixtures/instance.ts';
import { ignoreUnknown } from '../problems/never.ts';
import type { Activity, JournalEntry } from './journal/entries.ts';
import type { CaseName } from './recorded-result.ts';

/** A case that has started and not ended. */
export interface RunningCase {
  readonly name: CaseName;
  readonly attempt: number;
  readonly start: number;
  /** Milliseconds that its current phase can take. */
  limit: number;
}

/** The last known state of a lane. */
export interface LaneState {
  activity: Activity | undefined;
  /** When the activity started, in milliseconds. */
  since: number;
  readonly runningCases: Map<string, RunningCase>;
  /** In a stream of trivial cases, the running one is unknown. */
  streaming: boolean;
  /** Shared fixtures that it has set up and not torn down. */
  readonly liveFixtures: Map<string, Span>;
  /** It has reported why the file that it loaded ended it. */
  explained: boolean;
  /** The end of the process has been attributed to a case. */
  exitAttributed: boolean;
  finished: Extract<JournalEntry, { type: 'finished' }> | undefined;
  /** The number of results. */
  results: number;
}

export const createLaneState = (): LaneState => ({
  activity: undefined,
  since: 0,
  runningCases: new Map(),
  liveFixtures: new Map(),
  streaming: false,
  explained: false,
  exitAttributed: false,
  finished: undefined,
  results: 0,
});

/** Applies one entry to the state of a lane. `time` is in milliseconds. */
export function applyLaneEntry(lane: LaneState, entry: JournalEntry, time: number): void {
  const key = ({ test, ordinal }: Pick<CaseName, 'test' | 'ordinal'>): string => `${test}/${ordinal}`;
  switch (entry.type) {
    case 'activity':
      if (lane.activity?.name !== entry.activity.name) lane.since = time;
      lane.activity = entry.activity;
      lane.explained = false;
      for (const running of lane.runningCases.values()) if (running.name.id === entry.activity.name) running.limit = entry.activity.limit;
      break;
    case 'problem':
      lane.explained = entry.problem.code === 'load-failed';
      break;
    case 'started':
      lane.runningCases.set(key(entry.name), { name: entry.name, attempt: entry.attempt, start: entry.start, limit: 0 });
      lane.streaming = false;
      break;
    case 'ended':
      lane.results++;
      if (lane.runningCases.size > 0) lane.runningCases.delete(key(entry.result));
      break;
    case 'passed': {
      const { test, passes } = entry.block;
      lane.results += passes;
      if (lane.runningCases.size > 0) for (const ordinal of entry.block.ordinals()) lane.runningCases.delete(key({ test, ordinal }));
      break;
    }
    case 'span':
      takeSpan(lane, entry.span);
      break;
    case 'exit-attributed':
      lane.exitAttributed = true;
      break;
    case 'streaming':
      lane.streaming = true;
      if (lane.activity?.kind === 'rows') lane.activity = { kind: 'body', name: lane.activity.name, limit: entry.limit };
      break;
    case 'finished':
      lane.finished = entry;
      break;
    case 'loaded':
    case 'planned':
    case 'idle':
      lane.activity = undefined;
      break;
    case 'header':
    case 'expected-file':
    case 'work-units':
    case 'running':
    case 'test':
    case 'warning':
    case 'listed':
    case 'teardown-failed':
    case 'test-ended':
    case 'explained':
    case 'output':
    case 'leaks':
    case 'located-leaks':
    case 'override-usage':
      break;
    default:
      ignoreUnknown(entry);
  }
}

/** Milliseconds that a lane can be silent: the longest limit of what it does at the same time. */
export const computeSilenceLimit = ({ activity, runningCases }: LaneState): number =>
  [...runningCases.values()].reduce((longest, { limit }) => Math.max(longest, limit), activity?.limit ?? 0);

/** Fixtures of the run are in another process, which tears them down. */
function takeSpan({ liveFixtures }: LaneState, span: Span): void {
  const key = JSON.stringify([span.fixture, span.owner]);
  if (span.kind === 'teardown') liveFixtures.delete(key);
  else if (span.scope !== 'run') liveFixtures.set(key, span);
}

/** The number of selected cases of a finished lane that neither have a result nor were left out. */
export const countLostResults = ({ finished, results }: LaneState): number =>
  finished && !finished.isStuck ? Math.max(0, finished.selected - (finished.notRun?.cases ?? 0) - results) : 0;
