import type { ChildProcess } from 'node:child_process';
import { appendFileSync } from 'node:fs';
import { join } from 'node:path';
import { formatThousands } from '../problems/format-thousands.ts';
import { ignoreUnknown } from '../problems/never.ts';
import type { Problem } from '../problems/problem.ts';
import { encodeEntry, type JournalEntry } from '../results/journal/entries.ts';
import { countLostResults, type LaneState } from '../results/lane-state.ts';
import { endedAtOnce } from '../results/run-info.ts';
import { estimateTime, type RunProgress } from '../results/run-progress.ts';
import { addUnusedOverrides, applyEntry, countResults, createRunState, isKnownLoadFailure, isOfAnotherPlan, type RunState } from '../results/run-state.ts';
import type { CompileService } from './compile-service.ts';
import { debugLog } from './debug-log.ts';
import { EarlyEnds } from './early-ends.ts';
import { readEarlierResults } from './journals.ts';
import { describeExit } from './lane-end.ts';
import { type LaneEnd, type LaneRequest, type LaneWork, superviseLane } from './lane-process.ts';
import { buildProgress, chooseJournalPath, createSlot, type LaneSlot } from './lane-slot.ts';
import { LeftOut } from './left-out.ts';
import { Locks } from './locks.ts';
import { FILES_DIFFER, offerSeats, SERVER_GONE, type Seat } from './pool/seats.ts';
import type { Job } from './protocol.ts';
import { RunFixturesProcess } from './run-fixtures-process.ts';
import type { Coordination, RunRequest } from './run-request.ts';
import { type Assignment, WorkScheduler } from './work-scheduler.ts';

/** The time for which the first lane is alone, in milliseconds: shorter runs are not worth a second process. */
const SECOND_LANE_DELAY_MS = 120;
/** Runs that took longer the last time get all lanes at once. */
const LONG_RUN_MS = 600;

/**
 * Runs the cases in lanes. If a lane dies, a new one continues, until every case has its result.
 *
 * None of the user's code runs in this process. It records the end of a lane that could not do so itself.
 */
export function coordinate(
  request: RunRequest,
  startLane: () => ChildProcess,
  compiler: CompileService,
  onEntry: (entry: JournalEntry, state: RunState) => void,
): Coordination {
  const coordinator = new Coordinator(request, startLane, compiler, onEntry);
  return { done: coordinator.run(), interrupt: () => coordinator.interrupt(), progress: () => coordinator.progress() };
}

class Coordinator {
  readonly #request: RunRequest;
  readonly #startLane: () => ChildProcess;
  readonly #compiler: CompileService;
  readonly #onEntry: (entry: JournalEntry, state: RunState) => void;
  readonly #state = createRunState();
  readonly #own: string;
  readonly #earlyEnds: EarlyEnds;
  readonly #runFixtures: RunFixturesProcess;
  readonly #locks = new Locks();
  readonly #slots: LaneSlot[] = [];
  readonly #running: Promise<void>[] = [];
  /** A process that boots while a lane exceeds its limit, to replace it. */
  #spare: ChildProcess | undefined;
  #scheduler: WorkScheduler | undefined;
  /** The ids of all tests, in the order of the plan. */
  #tests: readonly string[] = [];
  readonly #began = Date.now();
  #opening: NodeJS.Timeout | undefined;
  #interrupts = 0;
  /** The limit on failures has been reached. */
  #stopped = false;
  /** The number of failures in the run that this one continues. */
  #failedBefore = 0;
  readonly #leftOut = new LeftOut();

  constructor(request: RunRequest, startLane: () => ChildProcess, compiler: CompileService, onEntry: (entry: JournalEntry, state: RunState) => void) {
    this.#request = request;
    this.#startLane = startLane;
    this.#compiler = compiler;
    this.#onEntry = onEntry;
    this.#earlyEnds = new EarlyEnds(request.root, (entry) => this.#write(entry));
    this.#own = join(request.record, 'coordinator.journal');
    this.#runFixtures = new RunFixturesProcess(startLane, compiler, (entry) => (entry.type === 'problem' ? this.#write(entry) : this.#take(entry)));
  }

  async run(): Promise<RunState> {
    const state = this.#state;
    try {
      const { pool, after } = this.#request;
      for (const entry of readEarlierResults(after)) this.#applyToState(entry);
      this.#failedBefore = this.#failed;
      pool?.observe({
        onWarning: (problem) => this.#write({ type: 'warning', problem }),
        onGone: (problem) => this.#losePool(problem),
      });
      if (this.#request.lanes > 0) this.#open();
      this.#offerSeats();
      if ((this.#request.before.milliseconds ?? 0) > LONG_RUN_MS) this.#openLanes(this.#request.lanes);
      // Lanes can be opened while others run.
      for (let at = 0; at < this.#running.length; at++) await this.#running[at];
      this.#reportUnfinished();
      const stopped = this.#stopped ? `the run stopped after ${formatThousands(this.#failed - this.#failedBefore)} failed` : undefined;
      this.#leftOut.apply(state, stopped, !this.#scheduler || this.#scheduler.left > 0);
      addUnusedOverrides(state);
      return state;
    } finally {
      await this.#request.pool?.close();
      clearTimeout(this.#opening);
      this.#spare?.kill('SIGKILL');
      await this.#runFixtures.close();
    }
  }

  get #failed(): number {
    return this.#state.counts.failed + this.#state.counts.errored;
  }

  progress(): RunProgress {
    const now = Date.now();
    const lanes = this.#slots.filter(({ isOver }) => !isOver).map((slot) => buildProgress(slot, now));
    return { state: this.#state, lanes, elapsed: now - this.#began, expected: this.#estimateTime() };
  }

  #estimateTime(): RunProgress['expected'] {
    return estimateTime(this.#tests, this.#request.before.times, this.#state);
  }

  interrupt(): void {
    this.#interrupts++;
    this.#request.pool?.withdraw();
    const isLast = this.#interrupts > 2;
    if (isLast && this.#state.unwritable === undefined) this.#leftOut.reason = endedAtOnce;
    else this.#leftOut.reason ??= 'the run was interrupted';
    for (const { work: lane } of this.#slots) {
      if (isLast) lane?.kill();
      else lane?.interrupt(this.#interrupts > 1);
    }
    if (isLast) this.#runFixtures.kill();
    else this.#runFixtures.interrupt(this.#interrupts > 1);
  }

  /** Reports work units without an end: without results, a run has not passed. */
  #reportUnfinished(): void {
    const isCutShort = this.#stopped || this.#leftOut.reason !== undefined || this.#state.planProblems.length > 0;
    if (isCutShort || !this.#scheduler?.isUnfinished) return;
    this.#write({ type: 'problem', problem: { code: 'unit-lost' } });
    this.#leftOut.reason = 'a lane ended early';
  }

  #take(entry: JournalEntry): void {
    // A test with several partitions continues in other lanes.
    if (entry.type === 'test-ended' && this.#scheduler?.isShared(entry.test)) return;
    if (entry.type === 'problem' && isKnownLoadFailure(this.#state, entry.problem)) return;
    this.#applyToState(entry);
    if (entry.type === 'finished') this.#leftOut.count(entry);
    const { stopAfter } = this.#request;
    if (stopAfter === undefined || this.#stopped || this.#failed - this.#failedBefore < stopAfter) return;
    this.#stopped = true;
    this.#request.pool?.withdraw();
    for (const { work: lane } of this.#slots) lane?.stop();
  }

  #applyToState(entry: JournalEntry): void {
    applyEntry(this.#state, entry);
    if (entry.type === 'planned' && this.#request.plan !== undefined && entry.hash !== this.#request.plan && !isOfAnotherPlan(this.#state))
      this.#state.planProblems.push({ code: 'plan-mismatch' });
    this.#onEntry(entry, this.#state);
  }

  /** Records what a dead lane cannot record. */
  #write(entry: JournalEntry): void {
    try {
      appendFileSync(this.#own, encodeEntry(entry, JSON.stringify));
    } catch (error) {
      this.#giveUp((error as Error).message);
    }
    this.#take(entry);
  }

  /** Ends the run if results cannot be recorded. */
  #giveUp(reason: string): void {
    if (this.#state.unwritable !== undefined) return;
    this.#state.unwritable = reason;
    this.#leftOut.reason = 'the record could not be written';
    this.interrupt();
    this.interrupt();
  }

  #nextLane(): ChildProcess {
    const lane = this.#spare ?? this.#startLane();
    this.#spare = undefined;
    return lane;
  }

  #open(seat?: Seat): Promise<void> {
    const slot = createSlot(this.#slots.length, seat);
    this.#slots.push(slot);
    if (seat) this.#state.machines.set(slot.number, seat.machine);
    const running = this.#runSlot(slot).finally(() => {
      slot.isOver = true;
    });
    this.#running.push(running);
    return running;
  }

  /** Opens lanes on this machine until there are `count`. */
  #openLanes(count: number): void {
    const own = this.#slots.filter(({ seat }) => !seat).length;
    if (own < count) debugLog('schedule', () => `open ${count - own} more lanes`);
    for (let opened = own; opened < count; opened++) void this.#open();
  }

  /** Opens lanes on other machines while there is work. */
  #offerSeats(): void {
    const { pool } = this.#request;
    if (pool)
      this.#running.push(
        offerSeats(
          pool,
          () => this.#hasWorkToDeal,
          (seat) => this.#open(seat),
        ),
      );
  }

  get #hasWorkToDeal(): boolean {
    return this.#interrupts === 0 && !this.#stopped && (!this.#scheduler || this.#scheduler.left > 0);
  }

  /** Schedules the cases of a lost lane again. */
  #takeBack(slot: LaneSlot, lane: LaneState, reason: string): void {
    const { pool, after } = this.#request;
    const begun = reason === SERVER_GONE ? [] : [...lane.runningCases.values()].map(({ name }) => name.id);
    // A refused machine and a lost server are reported once, not for each lane.
    if ((reason !== FILES_DIFFER && reason !== SERVER_GONE) || begun.length > 0)
      this.#write({ type: 'warning', problem: { code: 'pool-lane-lost', machine: slot.seat?.machine ?? '', lane: slot.number, reason, begun } });
    if (this.#interrupts > 0 || this.#stopped) {
      this.#leftOut.markUncounted();
      return;
    }
    const assignment = slot.assignment ?? slot.returned;
    slot.assignment = undefined;
    if (!pool || (this.#scheduler && !assignment)) return;
    if (assignment) this.#scheduler?.giveBack({ ...assignment, after: [...after, ...assignment.after, ...slot.journals, this.#own] });
    this.#offerSeats();
    if (this.#request.lanes > 0 && this.#slots.every(({ seat, isOver }) => seat || isOver)) void this.#open();
  }

  #losePool(problem: Problem): void {
    this.#write({ type: 'problem', problem });
    this.#leftOut.reason ??= 'the pool is gone';
    this.interrupt();
  }

  /** Starts one process after the other until one ends without a crash. */
  async #runSlot(slot: LaneSlot): Promise<void> {
    for (;;) {
      const resultsBefore = countResults(this.#state);
      const work = this.#startProcess(slot);
      const end = await work.end;
      this.#locks.forget(slot);
      if (end.lost !== undefined) return this.#takeBack(slot, work.lane, end.lost);
      const lost = this.#request.mode === 'run' ? countLostResults(work.lane) : 0;
      if (lost > 0) this.#write({ type: 'problem', problem: { code: 'results-lost', cases: lost } });
      if (work.lane.finished && !work.lane.finished.isStuck) return;
      // A process can die before it asks for the work unit of the process before it.
      slot.returned = slot.assignment ?? slot.returned;
      slot.assignment = undefined;
      if (isOfAnotherPlan(this.#state)) return;
      this.#earlyEnds.report(slot, work.lane, end);
      if (this.#interrupts > 0) return this.#leftOut.markUncounted();
      if (!work.lane.finished && !this.#goesOnAfterCrash(slot, work.lane, end, countResults(this.#state) > resultsBefore)) return;
    }
  }

  #startProcess(slot: LaneSlot): LaneWork {
    const { record, after: _after, plan: _plan, before: _before, nextRows, lanes, pool, ...options } = this.#request;
    const journal = chooseJournalPath(record, slot);
    const job: Job = {
      ...options,
      isolatesCases: slot.isolatesCases,
      hasPeers: lanes > 1 || pool !== undefined,
      lane: slot.number,
      journal,
      attachments: join(record, 'attachments'),
      skippedFiles: [...this.#earlyEnds.unloadableFiles],
    };
    const work = superviseLane(slot.seat?.startLane() ?? this.#nextLane(), job, this.#compiler, {
      // If further rows can follow, each result is needed.
      inBlocks: nextRows === undefined,
      take: (entry) => {
        if (entry.type === 'work-units') this.#partitionWork(entry);
        else this.#take(entry);
      },
      onMessage: (message) => this.#handleMessage(message, slot, job),
      onOverdue: () => {
        this.#spare ??= this.#startLane();
      },
    });
    slot.work = work;
    slot.journals.push(journal);
    if (this.#interrupts > 0) work.interrupt(this.#interrupts > 1);
    else if (this.#stopped) work.stop();
    return work;
  }

  /** Attributes the crash of a process. Returns whether another process replaces it. */
  #goesOnAfterCrash(slot: LaneSlot, lane: LaneState, end: LaneEnd, hasNewResults: boolean): boolean {
    const { isHopeless, isFruitless } = this.#earlyEnds.attribute(slot, lane, end, hasNewResults);
    if (isHopeless) return false;
    const keepsCrashing = !this.#stopped && isFruitless;
    if (keepsCrashing) {
      this.#write({ type: 'problem', problem: { code: 'repeated-crashes', reason: describeExit(end) } });
      this.#leftOut.reason = 'its lanes kept crashing';
    }
    if (this.#stopped || keepsCrashing) this.#leftOut.markUncounted();
    return !this.#stopped && !keepsCrashing;
  }

  /** The first lane reports the work units. If they take long, other lanes start. */
  #partitionWork({ units, tests }: Extract<JournalEntry, { type: 'work-units' }>): void {
    const {
      lanes: own,
      pool,
      before: { times },
      after,
    } = this.#request;
    const lanes = pool ? Math.max(2, own + pool.lanes) : own;
    if (this.#tests.length === 0) this.#tests = tests;
    if (tests.join('\n') !== this.#tests.join('\n')) this.#write({ type: 'problem', problem: { code: 'plan-changed' } });
    if (this.#scheduler || isOfAnotherPlan(this.#state)) return;
    this.#scheduler = new WorkScheduler(units, lanes, (test) => times.get(tests[test] as string), after);
    debugLog('schedule', () => `${tests.length} tests in ${this.#scheduler?.left} work units for up to ${lanes} lanes`);
    this.#opening = setTimeout(
      () => {
        if (!this.#stopped && this.#interrupts === 0) this.#openLanes(Math.min(own, this.#slots.length + (this.#scheduler?.left ?? 0)));
      },
      (this.#estimateTime()?.whole ?? 0) > LONG_RUN_MS ? 0 : SECOND_LANE_DELAY_MS,
      // A lane in this process would wait for the timer as if a case had left it open.
    ).unref();
  }

  /** The last lane with work gets further rows, when all other results have arrived. */
  #nextRows(slot: LaneSlot): Assignment | undefined {
    const { nextRows, after } = this.#request;
    if (!nextRows || this.#interrupts > 0 || this.#slots.some((other) => other !== slot && other.assignment)) return undefined;
    const next = nextRows();
    if (!next) return undefined;
    const { test, probes } = next;
    const earlier = this.#slots.flatMap(({ journals }) => journals);
    return probes ? { tests: [test], probes, after } : { tests: [test], isWhole: true, after: [...after, ...earlier, this.#own] };
  }

  #handleMessage(message: LaneRequest, slot: LaneSlot, job: Job): void {
    const answering = slot.work;
    switch (message.type) {
      case 'free': {
        if (slot.assignment) this.#scheduler?.ended(slot.assignment);
        // It skips cases that an earlier process has recorded.
        const returned = slot.returned && { ...slot.returned, after: [...slot.returned.after, ...slot.journals, this.#own] };
        // A lane that was stopped counts the cases that it does not run.
        const assignment = returned ?? this.#scheduler?.next() ?? this.#nextRows(slot);
        slot.assignment = assignment && { ...assignment, tests: assignment.tests.filter((test) => !this.#earlyEnds.unreadableTests.has(test)) };
        slot.returned = undefined;
        if (!this.#hasWorkToDeal) this.#request.pool?.withdraw();
        debugLog('schedule', () =>
          slot.assignment
            ? `tests ${slot.assignment.tests.join()} to lane ${slot.number}, ${this.#scheduler?.left} work units left`
            : `no work left for lane ${slot.number}`,
        );
        answering?.send({ to: 'lane', type: 'assignment', assignment: slot.assignment });
        break;
      }
      case 'unwritable':
        this.#giveUp(message.reason);
        break;
      case 'lock':
        this.#locks.ask(slot, message.names, () => answering?.send({ to: 'lane', type: 'locked', request: message.request }));
        break;
      case 'unlock':
        this.#locks.release(slot, message.names);
        break;
      case 'fetch':
      case 'used':
        this.#runFixtures.handleMessage(message, () => answering, job);
        break;
      case 'fetched':
        // Only the process of the run's fixtures sends these.
        break;
      default:
        ignoreUnknown(message);
    }
  }
}
