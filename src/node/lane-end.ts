import { relative } from 'node:path';
import type { Problem } from '../problems/problem.ts';
import type { Activity, JournalEntry } from '../results/journal/entries.ts';
import type { LaneState, RunningCase } from '../results/lane-state.ts';
import type { RecordedResult } from '../results/recorded-result.ts';
import { EMPTY_OUTCOME } from '../running/outcome.ts';
import type { Failure } from '../running/result.ts';
import type { LaneEnd } from './lane-process.ts';

/** Problems with the processes of one run. A run that resumes it has its own processes, and loads the files again. */
export const laneProblems: ReadonlySet<Problem['code']> = new Set<Problem['code']>([
  'load-failed',
  'plan-timeout',
  'plan-crash',
  'plan-changed',
  'repeated-crashes',
  'teardown-lost',
  'run-fixtures-lost',
  'internal-error',
  'results-lost',
  'pool-lost',
  'unit-lost',
]);

/** Describes how a process ended, with its last output. */
export const describeExit = ({ code, signal, stderrTail }: LaneEnd): string => {
  // Stacks inside the runtime do not help the author of a test.
  const said = stderrTail.split('\n').filter((line) => line.trim() !== '' && !/^\s*\d+: |^-+ .*stack.* -+$|^<--- |^\[\d+:0x/i.test(line));
  const last = said.slice(-6).join('\n');
  const how = stderrTail.includes('heap out of memory') ? 'ran out of memory' : signal ? `was ended by ${signal}` : `ended with exit status ${code}`;
  return `the process ${how}${last ? `; its last output:\n${last}` : ''}`;
};

/** What to record for a process that ended early, and what the next process of its lane leaves out. */
export interface Attribution {
  readonly entries: readonly JournalEntry[];
  /** Whether the cause is known. Otherwise the next process announces each case. */
  readonly isSure: boolean;
  /** Planning fails, so that another process would not get further either. */
  readonly isHopeless?: boolean;
  readonly unloadableFile?: string;
  /** A test whose rows cannot be read. */
  readonly unreadableTest?: number;
}

/**
 * Attributes the early end of a lane's process to what the lane did.
 *
 * | the lane | the end is attributed to |
 * | --- | --- |
 * | loaded a file | the file, unless the lane has reported why |
 * | planned | the plan; the run cannot continue |
 * | has reported the case that ended it | nothing else |
 * | ran one case, which it had announced | the case |
 * | read rows of a test and ran no case | the rows |
 * | tore a shared fixture down and ran no case | the teardown |
 * | ran a stream of cases, or several at a time | unknown |
 * | did nothing that can end a process | unknown, if it had announced each case |
 *
 * The first line that applies decides.
 */
export function attributeEnd(lane: LaneState, end: LaneEnd, root: string, isolatesCases: boolean): Attribution {
  const { activity, runningCases, streaming } = lane;
  if (activity?.kind === 'load') return { entries: lane.explained ? [] : [loadFailed(activity, end, root)], isSure: true, unloadableFile: activity.name };
  if (activity?.kind === 'plan') {
    const problem: Problem = end.overdue ? { code: 'plan-timeout', limit: activity.limit } : { code: 'plan-crash', reason: describeExit(end) };
    return { entries: [{ type: 'problem', problem }], isSure: true, isHopeless: true };
  }
  if (lane.exitAttributed) return { entries: [], isSure: true };
  const isAlone = runningCases.size === 1 && !streaming;
  if (isAlone) return { entries: [{ type: 'ended', result: buildEndResult([...runningCases.values()][0] as RunningCase, lane, end) }], isSure: true };
  const isIdle = runningCases.size === 0 && !streaming;
  if (isIdle && activity?.kind === 'rows' && activity.invalid) {
    const { invalid } = activity;
    const message = end.overdue
      ? `reading the rows after row ${invalid.ordinal} exceeded its time limit of ${activity.limit} ms; is there an endless loop?`
      : describeExit(end);
    const result = { ...invalid, ...EMPTY_OUTCOME, status: 'errored', cause: 'data', failures: [{ cause: 'data', message }], attachments: [] } as const;
    return { entries: [{ type: 'ended', result }], isSure: true, unreadableTest: invalid.test };
  }
  if (isIdle && activity?.kind === 'teardown') {
    const failure: Failure = { cause: 'teardown', message: end.overdue ? `exceeded its time limit of ${activity.limit} ms` : describeExit(end) };
    const result = { status: 'errored', cause: 'teardown', ...EMPTY_OUTCOME, failures: [failure] } as const;
    return { entries: [{ type: 'teardown-failed', id: activity.name, title: `teardown for ${activity.name}`, result }], isSure: true };
  }
  return { entries: [], isSure: isIdle && !isolatesCases };
}

function loadFailed({ name, limit }: Activity, end: LaneEnd, root: string): JournalEntry {
  const reason = end.overdue ? `not loaded within ${limit} ms; is there an endless loop?` : describeExit(end);
  return { type: 'problem', problem: { code: 'load-failed', file: relative(root, name), cause: end.overdue ? 'timeout' : 'crash', reason } };
}

function buildEndResult({ name, attempt, start }: RunningCase, { activity }: LaneState, end: LaneEnd): RecordedResult {
  const limit = activity?.limit ?? 0;
  const phase = activity?.kind === 'setup' || activity?.kind === 'teardown' ? activity.kind : 'body';
  const failure: Failure = end.overdue
    ? { cause: phase === 'body' ? 'timeout' : phase, message: `exceeded its time limit of ${limit} ms without yielding; its process was ended` }
    : { cause: 'crash', message: describeExit(end) };
  return {
    ...name,
    ...EMPTY_OUTCOME,
    attempts: attempt,
    start,
    status: end.overdue && phase === 'body' ? 'failed' : 'errored',
    cause: failure.cause,
    times: { setup: 0, body: end.overdue ? limit : 0, teardown: 0 },
    failures: [failure],
    attachments: [],
  };
}
