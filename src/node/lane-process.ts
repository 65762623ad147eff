import type { ChildProcess } from 'node:child_process';
import type { JournalEntry } from '../results/journal/entries.ts';
import { applyLaneEntry, computeSilenceLimit, createLaneState, type LaneState } from '../results/lane-state.ts';
import type { CompileService } from './compile-service.ts';
import { addSourceMaps, coverageFolder } from './coverage.ts';
import { debugLog, describeMessage } from './debug-log.ts';
import { JournalTail } from './journal-tail.ts';
import { killOnParentExit } from './kill-on-parent-exit.ts';
import { collectOutput, onProcessEnd } from './process-end.ts';
import { isToCoordinator, type Job, type ToCoordinator, type ToLane } from './protocol.ts';

/** How a lane's process ended. */
export interface LaneEnd {
  readonly code: number | null;
  readonly signal: NodeJS.Signals | null;
  /** It was killed because it was silent beyond the time limit of its activity. */
  readonly overdue: boolean;
  /** The end of its standard error output, outside of cases. */
  readonly stderrTail: string;
  /** Why the coordinator gave up a process on another machine. No case is charged for such an end. */
  readonly lost?: string | undefined;
}

/** The additional properties of a process on another machine. */
interface Elsewhere {
  readonly isUnreachable: boolean;
  readonly lost: string | undefined;
}

const LOOK_INTERVAL_MS = 20;
/** Milliseconds beyond a limit before anything is done. */
const DEADLINE_GRACE_MS = 1000;
/** The additional time for a lane that responds, which ends overdue activities itself. */
const KILL_GRACE_MS = 5000;
/** An idle lane is silent, but must respond to a ping within this time. */
const UNRESPONSIVE_AFTER_MS = 1000;
const LOOKS_PER_PING = 25;

/** Messages of a lane that are not about its journal. */
export type LaneRequest = Extract<ToCoordinator, { type: 'fetch' | 'fetched' | 'used' | 'free' | 'lock' | 'unlock' | 'unwritable' }>;

export interface LaneWork {
  readonly lane: LaneState;
  readonly end: Promise<LaneEnd>;
  send(message: ToLane): void;
  /** Starts no new cases. */
  stop(): void;
  /** Stops running cases and runs teardowns. `urgent`: without the grace period. Kills a lane that does not respond. */
  interrupt(urgent: boolean): void;
  kill(): void;
}

/** Compiles a source for a lane, and replies when it is in the cache. */
export function answerCompiling({ key, path }: Extract<ToCoordinator, { type: 'compile' }>, compiler: CompileService, send: (message: ToLane) => void): void {
  compiler.ask(path, key).then(
    (error) => send({ to: 'lane', type: 'compiled', key, error }),
    (error: Error) => send({ to: 'lane', type: 'compiled', key, error: { message: error.message, line: 1, column: 1 } }),
  );
}

/** Receives the events of a lane. */
export interface LaneObserver {
  /** Whether compact passes can arrive in blocks. */
  readonly inBlocks: boolean;
  take(entry: JournalEntry): void;
  onMessage(message: LaneRequest): void;
  /** An activity is overdue. It has a moment to end by itself before the process is killed. */
  onOverdue(): void;
}

/** Kills a lane with the processes that its tests have started. A lane in this process cannot be killed. */
export function killGroup(child: ChildProcess): void {
  try {
    if (child.pid !== undefined && process.platform !== 'win32') process.kill(-child.pid, 'SIGKILL');
  } catch {
    // The process has ended already.
  }
  child.kill('SIGKILL');
}

/** Gives a lane its job and follows its journal until the process has ended. */
export function superviseLane(child: ChildProcess & Partial<Elsewhere>, job: Job, compiler: CompileService, follower: LaneObserver): LaneWork {
  const lane = createLaneState();
  const tail = new JournalTail(job.journal, { inBlocks: follower.inBlocks });
  // For a lane in this process, coverage is written when this process ends.
  const coverage = child.pid === undefined ? undefined : coverageFolder();
  let lastSignAt = Date.now();
  let answered = Date.now();
  let overdue = false;
  let hasJob = false;
  let unansweredLooks = 0;
  let finish = (): void => undefined;
  const name = job.mode === 'host' ? 'run fixtures' : `lane ${job.lane}`;
  const send = (message: ToLane): void => {
    debugLog(name, () => `<- ${describeMessage(message)}`);
    if (child.connected) child.send(message, () => undefined);
  };
  const kill = (): void => {
    debugLog(name, () => `kill process ${child.pid}`);
    killGroup(child);
  };
  const read = (): void => {
    for (const entries of tail.read()) {
      lastSignAt = Date.now();
      for (let at = 0; at < entries.length; at++) {
        const entry = entries[at] as JournalEntry;
        applyLaneEntry(lane, entry, lastSignAt);
        if (entry.type === 'activity') debugLog(name, () => `${entry.activity.kind} ${entry.activity.name}, deadline in ${entry.activity.limit} ms`);
        follower.take(entry);
      }
    }
  };
  const silenceTimer = setInterval(() => {
    read();
    if (child.isUnreachable) {
      lastSignAt = Date.now();
      return;
    }
    const { activity } = lane;
    const silent = Date.now() - lastSignAt;
    // An idle lane answers pings. Count polls instead of time: the machine may be suspended.
    if (!activity && !lane.finished && hasJob && silent > UNRESPONSIVE_AFTER_MS) {
      if (unansweredLooks % LOOKS_PER_PING === 0) send({ to: 'lane', type: 'ping' });
      if (++unansweredLooks > KILL_GRACE_MS / LOOK_INTERVAL_MS) {
        overdue = true;
        kill();
      }
    } else unansweredLooks = 0;
    const limit = computeSilenceLimit(lane);
    if (!activity || lane.finished || silent <= limit) return;
    debugLog(name, () => `no sign of life for ${silent} ms; the limit is ${limit} ms`);
    send({ to: 'lane', type: 'ping' });
    follower.onOverdue();
    const isUnresponsive = Date.now() - answered > Math.min(silent, DEADLINE_GRACE_MS);
    const endsItself = activity.kind !== 'plan' && activity.kind !== 'rows' && !isUnresponsive;
    if (silent > limit + DEADLINE_GRACE_MS + (endsItself ? KILL_GRACE_MS : 0)) {
      overdue = true;
      kill();
    }
  }, LOOK_INTERVAL_MS);
  child.on('message', (message) => {
    if (!isToCoordinator(message)) return debugLog(name, () => '-> a malformed message, ignored');
    debugLog(name, () => `-> ${describeMessage(message)}`);
    switch (message.type) {
      case 'pong':
        answered = Date.now();
        // Wait before the next ping.
        unansweredLooks = 1;
        break;
      case 'done':
        finish();
        break;
      case 'compile':
        answerCompiling(message, compiler, send);
        break;
      case 'configured':
        break;
      default:
        // Read its journal first: entries precede messages.
        if (message.type === 'free') read();
        follower.onMessage(message);
    }
  });
  const readOutput = collectOutput(child);
  const end = new Promise<LaneEnd>((resolve) => {
    let isOver = false;
    const onExit = (code: number | null, signal: NodeJS.Signals | null): void => {
      if (isOver) return;
      isOver = true;
      clearInterval(silenceTimer);
      read();
      tail.close();
      debugLog(name, () => `process ${child.pid} ended: ${signal ?? `exit status ${code}`}`);
      for (const stream of [child.stdout, child.stderr]) stream?.destroy();
      if (coverage !== undefined) addSourceMaps(coverage, child.pid as number, job.cache);
      resolve({ code, signal, overdue, stderrTail: readOutput(), lost: child.lost });
    };
    onProcessEnd(child, onExit);
    finish = () => {
      read();
      // The runtime writes coverage only when a process ends by itself.
      if (lane.finished?.isStuck || coverage !== undefined) return;
      // Everything is recorded, and the lane exits by itself. The coordinator does not wait for that.
      if (child.connected) child.disconnect();
      child.unref();
      onExit(0, null);
    };
  });
  debugLog(name, () => `process ${child.pid} started`);
  send({ to: 'lane', type: 'job', job });
  hasJob = job.mode === 'run';
  // Starting the watcher takes time, so that the lane gets its job first.
  setImmediate(() => killOnParentExit(child));
  const interrupt = (urgent: boolean): void => {
    const pingedAt = Date.now();
    send({ to: 'lane', type: 'interrupt', urgent });
    send({ to: 'lane', type: 'ping' });
    // A process in an endless loop does not receive messages and does not end by itself.
    setTimeout(() => answered < pingedAt && kill(), DEADLINE_GRACE_MS + (urgent ? 0 : DEADLINE_GRACE_MS)).unref();
  };
  return { lane, end, send, stop: () => send({ to: 'lane', type: 'stop' }), interrupt, kill };
}
