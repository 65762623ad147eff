import { relative } from 'node:path';
import type { Problem } from '../problems/problem.ts';
import type { JournalEntry } from '../results/journal.ts';
import type { RecordedResult } from '../results/recorded-result.ts';
import type { LaneState } from '../results/run-state.ts';
import { nothingDone } from '../running/outcome.ts';
import type { Failure } from '../running/result.ts';
import type { LaneEnd } from './lane-process.ts';

/** In words, with the last that the process said. */
export const howItEnded = ({ code, signal, words }: LaneEnd): string => {
  // The runtime's own stacks say nothing to whoever wrote the test.
  const said = words.split('\n').filter((line) => line.trim() !== '' && !/^\s*\d+: |^-+ .*stack.* -+$|^<--- |^\[\d+:0x/i.test(line));
  const last = said.slice(-6).join('\n');
  const how = words.includes('heap out of memory') ? 'ran out of memory' : signal ? `was ended by ${signal}` : `ended with exit status ${code}`;
  return `the process ${how}${last ? `; its last output:\n${last}` : ''}`;
};

/** Charges a lane's end to what it did. Tells whether that was sure, or which file is not to be loaded again. */
export function chargeEnd(
  lane: LaneState,
  end: LaneEnd,
  root: string,
  careful: boolean,
  write: (entry: JournalEntry) => void,
): 'sure' | 'unsure' | 'plan' | { file: string } {
  const { doing, under } = lane;
  if (doing?.what === 'load') {
    const reason = end.overdue ? `not loaded within ${doing.limit} ms; is there an endless loop?` : howItEnded(end);
    const problem: Problem = { code: 'load-failed', file: relative(root, doing.name), cause: end.overdue ? 'timeout' : 'crash', reason };
    if (!lane.explained) write({ type: 'problem', problem });
    return { file: doing.name };
  }
  if (doing?.what === 'plan') {
    write({
      type: 'problem',
      problem: end.overdue ? { code: 'plan-timeout', limit: doing.limit } : { code: 'plan-crash', reason: howItEnded(end) },
    });
    return 'plan';
  }
  if (lane.blamed) return 'sure';
  if (under.size === 1 && !lane.streaming) {
    const [suspect] = under.values();
    write({ type: 'ended', result: resultOfEnd(suspect as Suspect, lane, end) });
    return 'sure';
  }
  if (under.size === 0 && !lane.streaming && doing?.what === 'teardown') {
    const failure: Failure = { cause: 'teardown', message: end.overdue ? `exceeded its time limit of ${doing.limit} ms` : howItEnded(end) };
    write({
      type: 'teardown-failed',
      id: doing.name,
      title: `teardown for ${doing.name}`,
      result: { status: 'errored', cause: 'teardown', ...nothingDone, failures: [failure] },
    });
    return 'sure';
  }
  return under.size === 0 && !lane.streaming && !careful ? 'sure' : 'unsure';
}

type Suspect = LaneState['under'] extends Map<string, infer S> ? S : never;

function resultOfEnd({ name, attempt, start }: Suspect, { doing }: LaneState, end: LaneEnd): RecordedResult {
  const limit = doing?.limit ?? 0;
  const inBody = doing?.what === 'body';
  const failure: Failure = end.overdue
    ? { cause: inBody ? 'timeout' : (doing?.what as 'setup'), message: `exceeded its time limit of ${limit} ms without yielding; its process was ended` }
    : { cause: 'crash', message: howItEnded(end) };
  const status = end.overdue && inBody ? 'failed' : 'errored';
  return {
    ...name,
    ...nothingDone,
    attempts: attempt,
    start,
    status,
    cause: failure.cause,
    times: { setup: 0, body: end.overdue ? limit : 0, teardown: 0 },
    failures: [failure],
    attachments: [],
  };
}
