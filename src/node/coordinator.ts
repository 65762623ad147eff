import type { ChildProcess } from 'node:child_process';
import { appendFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import type { Problem } from '../problems/problem.ts';
import { type CaseName, type JournalEntry, type RecordedResult, writeEntry } from '../results/journal.ts';
import { emptyState, type LaneState, type RunState, take } from '../results/run-state.ts';
import type { Failure } from '../running/result.ts';
import type { Defaults } from '../suites/plan.ts';
import type { Selection } from '../suites/selection.ts';
import type { CompileService } from './compile-service.ts';
import { type LaneEnd, work } from './lane-process.ts';
import type { Job } from './protocol.ts';
import { RunFixturesProcess } from './run-fixtures-process.ts';

export interface Request {
  readonly mode: 'run' | 'plan' | 'explain';
  readonly root: string;
  readonly files: readonly string[];
  readonly selection: Selection;
  readonly seed: number;
  readonly everySpan: boolean;
  readonly findLeaks: boolean;
  readonly defaults: Defaults;
  readonly tags: readonly string[] | undefined;
  readonly loadTimeout: number;
  /** Where the journals go. */
  readonly record: string;
  readonly cache: string;
}

export interface Coordination {
  readonly done: Promise<RunState>;
  /** The first call lets tear-downs run; the second ends everything at once. */
  interrupt(): void;
}

/** Lanes that die one after the other without a result between them: then the fault is not a case's. */
const fruitlessLanes = 3;

/**
 * Has the cases run by lanes, and goes on in a fresh one when a lane has died, until every case has its result.
 *
 * No code of the user's runs in this process. What a lane could not write of its own end is written here.
 */
export function coordinate(
  request: Request,
  startLane: () => ChildProcess,
  compiler: CompileService,
  onEntry: (entry: JournalEntry, state: RunState) => void,
): Coordination {
  const state = emptyState();
  const journals: string[] = [];
  const unloadable: string[] = [];
  const own = join(request.record, 'coordinator.journal');
  let interrupts = 0;
  let current: ReturnType<typeof work> | undefined;

  const takeIn = (entry: JournalEntry): void => {
    take(state, entry);
    onEntry(entry, state);
  };
  /** Puts on record what a dead lane cannot. */
  const write = (entry: JournalEntry): void => {
    appendFileSync(own, writeEntry(entry, JSON.stringify));
    if (!journals.includes(own)) journals.push(own);
    takeIn(entry);
  };

  const runFixtures = new RunFixturesProcess(startLane, compiler, (entry) => (entry.is === 'told' ? write(entry) : takeIn(entry)));

  const run = async (): Promise<RunState> => {
    let careful = false;
    let fruitless = 0;
    for (let number = 0; ; number++) {
      const journal = join(request.record, `lane-0${number ? `-${number}` : ''}.journal`);
      const { record, ...asked } = request;
      const job: Job = { ...asked, careful, lane: 0, journal, attachments: join(record, 'attachments'), earlier: [...journals], unloadable };
      const before = resultsOf(state);
      const alreadyTold = new Set(state.loadFailures.map((problem) => JSON.stringify(problem)));
      // A fresh lane meets again what did not load in the first.
      const fresh = (entry: JournalEntry): boolean => entry.is !== 'told' || !alreadyTold.has(JSON.stringify(entry.problem));
      current = work(
        startLane(),
        job,
        compiler,
        (entry) => fresh(entry) && takeIn(entry),
        (message) => runFixtures.hear(message, () => current, job),
      );
      const end = await current.end;
      journals.push(journal);
      const { lane } = current;
      if (lane.finished && !lane.finished.stuck) {
        // A lane that died kept its bindings to itself: then nothing is said of any.
        if (number === 0) state.warnings.push(...[...state.idle].flatMap(([binding, problem]) => (state.effective.has(binding) ? [] : [problem])));
        return state;
      }
      if (state.planProblems.length > 0 || interrupts > 0) return state;
      if (lane.finished) continue;
      for (const { fixture, of } of lane.standing.values()) {
        write({ is: 'told', problem: { code: 'lane-lost', reason: `fixture "${fixture}" (of ${of}) could not be torn down: its process had ended` } });
      }
      const charged = chargeEnd(lane, end, request, careful, write);
      if (charged === 'plan') return state;
      if (typeof charged === 'object') unloadable.push(charged.file);
      fruitless = resultsOf(state) > before || typeof charged === 'object' ? 0 : fruitless + 1;
      if (fruitless >= fruitlessLanes) {
        write({ is: 'told', problem: { code: 'lane-lost', reason: `lanes die again and again before a case has a result: ${howItEnded(end)}` } });
        return state;
      }
      // Where it is not sure which case it was, the rest runs one by one until it is.
      careful = charged === 'unsure';
    }
  };

  return {
    done: run().finally(() => runFixtures.close()),
    interrupt() {
      interrupts++;
      if (interrupts === 1) current?.stop();
      else {
        current?.kill();
        runFixtures.kill();
      }
    },
  };
}

const resultsOf = (state: RunState): number => Object.values(state.counts).reduce((sum, count) => sum + count, 0) + state.loadFailures.length;

const howItEnded = ({ code, signal, words }: LaneEnd): string => {
  const last = words.trim().split('\n').slice(-6).join('\n');
  return `the process ${signal ? `was ended by ${signal}` : `ended with exit status ${code}`}${last ? `; its last words:\n${last}` : ''}`;
};

/** Charges a lane's end to what it did. Tells whether that was sure, or which file is not to be loaded again. */
function chargeEnd(
  lane: LaneState,
  end: LaneEnd,
  request: Request,
  careful: boolean,
  write: (entry: JournalEntry) => void,
): 'sure' | 'unsure' | 'plan' | { file: string } {
  const { doing, under } = lane;
  if (doing?.what === 'load') {
    const reason = end.overdue ? `it was not loaded within ${doing.limit} ms; does it loop?` : howItEnded(end);
    const problem: Problem = { code: 'load-failed', file: relative(request.root, doing.name), cause: end.overdue ? 'timeout' : 'crash', reason };
    if (!lane.explained) write({ is: 'told', problem });
    return { file: doing.name };
  }
  if (doing?.what === 'plan') {
    write({
      is: 'told',
      problem: {
        code: 'lane-lost',
        reason: end.overdue ? `planning was not done within ${doing.limit} ms: a source of cases may never end` : `while planning, ${howItEnded(end)}`,
      },
    });
    return 'plan';
  }
  if (under.size === 1 && !lane.streaming) {
    const [name] = under.values();
    write({ is: 'ended', result: resultOfEnd(name as CaseName, lane, end) });
    return 'sure';
  }
  if (under.size === 0 && !lane.streaming && doing?.what === 'teardown') {
    const failure: Failure = { cause: 'teardown', message: end.overdue ? `ran past its time of ${doing.limit} ms` : howItEnded(end) };
    write({
      is: 'torn',
      id: doing.name,
      title: `tear-down for ${doing.name}`,
      result: { status: 'errored', cause: 'teardown', ...nothing, failures: [failure] },
    });
    return 'sure';
  }
  return under.size === 0 && !lane.streaming && !careful ? 'sure' : 'unsure';
}

const nothing = {
  attempts: 1,
  start: 0,
  times: { setup: 0, body: 0, teardown: 0 },
  checks: { passed: 0, failed: 0 },
  failures: [],
  steps: [],
  output: [],
} as const;

function resultOfEnd(name: CaseName, { doing }: LaneState, end: LaneEnd): RecordedResult {
  const limit = doing?.limit ?? 0;
  const inBody = doing?.what === 'body';
  const failure: Failure = end.overdue
    ? { cause: inBody ? 'timeout' : (doing?.what as 'setup'), message: `ran past its time of ${limit} ms without a pause; its process was ended` }
    : { cause: 'crash', message: howItEnded(end) };
  const status = end.overdue && inBody ? 'failed' : 'errored';
  return {
    ...name,
    ...nothing,
    status,
    cause: failure.cause,
    times: { setup: 0, body: end.overdue ? limit : 0, teardown: 0 },
    failures: [failure],
    attachments: [],
  };
}
