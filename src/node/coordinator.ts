import type { ChildProcess } from 'node:child_process';
import { appendFileSync } from 'node:fs';
import { join } from 'node:path';
import { formatThousands } from '../problems/format-thousands.ts';
import { ignoreUnknown } from '../problems/never.ts';
import type { Problem } from '../problems/problem.ts';
import { encodeEntry, type JournalEntry } from '../results/journal/entries.ts';
import { endedAtOnce } from '../results/run-info.ts';
import { estimateTime, type RunProgress } from '../results/run-progress.ts';
import { applyEntry, emptyState, type LaneState, lostResults, type RunState, takeUnrun } from '../results/run-state.ts';
import type { CompileService } from './compile-service.ts';
import { debugLog } from './debug-log.ts';
import { readJournal } from './journals.ts';
import { attributeEnd, describeExit, laneProblems } from './lane-end.ts';
import { type LaneEnd, type LaneRequest, type LaneWork, superviseLane } from './lane-process.ts';
import { type LaneSlot, lastCaseIn, newJournal, newSlot } from './lane-slot.ts';
import { Locks } from './locks.ts';
import type { Job } from './protocol.ts';
import { RunFixturesProcess } from './run-fixtures-process.ts';
import type { Coordination, RunRequest } from './run-request.ts';
import { type Assignment, WorkScheduler } from './work-scheduler.ts';

/** Lanes that die one after the other without a result between them: then the fault is not a case's. */
const MAX_LANES_WITHOUT_RESULT = 3;

/** Milliseconds that the first lane is left alone: what it does in that time does not pay another process. */
const SECOND_LANE_DELAY_MS = 120;
/** Milliseconds: what took so long the last time gets its lanes at once. */
const LONG_RUN_MS = 600;

/**
 * Has the cases run by lanes, and goes on in a fresh one when a lane has died, until every case has its result.
 *
 * No code of the user's runs in this process. What a lane could not write of its own end is written here.
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
  readonly #state = emptyState();
  readonly #own: string;
  readonly #unloadable: string[] = [];
  /** Tests, by their place in the plan, whose rows ended a lane while they were read. */
  readonly #unreadable = new Set<number>();
  /** The cases that ended a process. A case that ends a second process does not count as progress. */
  readonly #charged = new Set<string>();
  readonly #runFixtures: RunFixturesProcess;
  readonly #locks = new Locks();
  readonly #slots: LaneSlot[] = [];
  readonly #running: Promise<void>[] = [];
  /** Boots while a lane is past its time, so that who comes after it need not. */
  #spare: ChildProcess | undefined;
  #dealer: WorkScheduler | undefined;
  /** The ids of all tests, in the order of the plan. */
  #tests: readonly string[] = [];
  readonly #began = Date.now();
  #opening: NodeJS.Timeout | undefined;
  #interrupts = 0;
  /** Enough has failed. */
  #stopped = false;
  /** The number of failures in the run that this one continues. */
  #failedBefore = 0;
  /** Why the run ended before its time, if it did. */
  #abortReason: string | undefined;
  #unrun = 0;
  /** Of what was not run, nobody knows how much it is. */
  #isMoreUnrun = false;
  #fruitless = 0;
  #died = false;

  constructor(request: RunRequest, startLane: () => ChildProcess, compiler: CompileService, onEntry: (entry: JournalEntry, state: RunState) => void) {
    this.#request = request;
    this.#startLane = startLane;
    this.#compiler = compiler;
    this.#onEntry = onEntry;
    this.#own = join(request.record, 'coordinator.journal');
    this.#runFixtures = new RunFixturesProcess(startLane, compiler, (entry) => (entry.type === 'problem' ? this.#write(entry) : this.#take(entry)));
  }

  async run(): Promise<RunState> {
    const state = this.#state;
    try {
      this.#loadEarlierResults();
      this.#open(0);
      if ((this.#request.before.wall ?? 0) > LONG_RUN_MS) this.#openLanes(this.#request.lanes);
      // Lanes may be opened while others run.
      for (let at = 0; at < this.#running.length; at++) await this.#running[at];
      this.#takeUnrun();
      // A lane that died kept its bindings to itself: then nothing is said of any.
      if (!this.#died) state.warnings.push(...[...state.idle].flatMap(([binding, problem]) => (state.effective.has(binding) ? [] : [problem])));
      return state;
    } finally {
      clearTimeout(this.#opening);
      this.#spare?.kill('SIGKILL');
      await this.#runFixtures.close();
    }
  }

  /** Takes in what an earlier run has on record. Its problems with its own lanes are over, and files are loaded anew. */
  #loadEarlierResults(): void {
    for (const path of this.#request.after) {
      for (const entry of readJournal(path)) {
        const isResult = entry.type === 'test' || entry.type === 'ended' || entry.type === 'teardown-failed';
        if (isResult || (entry.type === 'problem' && !laneProblems.has(entry.problem.code))) this.#applyToState(entry);
      }
    }
    this.#failedBefore = this.#failed;
  }

  /** Whether the tests differ from those of the run to resume. */
  get #isOfAnotherPlan(): boolean {
    return this.#state.planProblems.some(({ code }) => code === 'plan-mismatch');
  }

  get #failed(): number {
    return this.#state.counts.failed + this.#state.counts.errored;
  }

  /** What a lane that died would have counted. */
  #markRestNotRun(): void {
    this.#isMoreUnrun = true;
  }

  /** What an end before its time left out. */
  #takeUnrun(): void {
    const reason = this.#abortReason ?? (this.#stopped ? `the run stopped after ${formatThousands(this.#failed - this.#failedBefore)} failed` : undefined);
    const isMore = this.#isMoreUnrun || !this.#dealer || this.#dealer.left > 0;
    if (reason !== undefined && (this.#unrun > 0 || isMore)) takeUnrun(this.#state, { cases: this.#unrun, isMore, reason });
  }

  progress(): RunProgress {
    const now = Date.now();
    const lanes = this.#slots.map(({ number, work }) => ({ number, doing: work?.lane.doing, since: work ? now - work.lane.since : 0 }));
    return { state: this.#state, lanes, elapsed: now - this.#began, expected: this.#estimateTime() };
  }

  #estimateTime(): RunProgress['expected'] {
    return estimateTime(this.#tests, this.#request.before.times, this.#state);
  }

  interrupt(): void {
    this.#interrupts++;
    const isLast = this.#interrupts > 2;
    if (isLast && this.#state.unwritable === undefined) this.#abortReason = endedAtOnce;
    else this.#abortReason ??= 'the run was interrupted';
    for (const { work: lane } of this.#slots) {
      if (isLast) lane?.kill();
      else lane?.interrupt(this.#interrupts > 1);
    }
    if (isLast) this.#runFixtures.kill();
    else this.#runFixtures.interrupt(this.#interrupts > 1);
  }

  #take(entry: JournalEntry): void {
    // A test that others have a share of goes on.
    if (entry.type === 'test-ended' && this.#dealer?.isShared(entry.test)) return;
    if (entry.type === 'problem' && this.#isKnown(entry.problem)) return;
    this.#applyToState(entry);
    if (entry.type === 'finished') {
      this.#unrun += entry.unrun?.cases ?? 0;
      this.#isMoreUnrun ||= entry.unrun?.isMore === true;
    }
    const { stopAfter } = this.#request;
    if (stopAfter === undefined || this.#stopped || this.#failed - this.#failedBefore < stopAfter) return;
    this.#stopped = true;
    for (const { work: lane } of this.#slots) lane?.stop();
  }

  /** Every lane meets again what did not load in another. */
  #isKnown(problem: Problem): boolean {
    return problem.code === 'load-failed' && this.#state.loadFailures.some((known) => known.code === 'load-failed' && known.file === problem.file);
  }

  #applyToState(entry: JournalEntry): void {
    applyEntry(this.#state, entry);
    if (entry.type === 'planned' && this.#request.plan !== undefined && entry.hash !== this.#request.plan && !this.#isOfAnotherPlan)
      this.#state.planProblems.push({ code: 'plan-mismatch' });
    this.#onEntry(entry, this.#state);
  }

  /** Puts on record what a dead lane cannot. */
  #write(entry: JournalEntry): void {
    try {
      appendFileSync(this.#own, encodeEntry(entry, JSON.stringify));
    } catch (error) {
      this.#giveUp((error as Error).message);
    }
    this.#take(entry);
  }

  /** Results that are on no record are no results: nothing more is run. */
  #giveUp(reason: string): void {
    if (this.#state.unwritable !== undefined) return;
    this.#state.unwritable = reason;
    this.#abortReason = 'the record could not be written';
    this.interrupt();
    this.interrupt();
  }

  #nextLane(): ChildProcess {
    const lane = this.#spare ?? this.#startLane();
    this.#spare = undefined;
    return lane;
  }

  #open(number: number): void {
    const slot = newSlot(number);
    this.#slots.push(slot);
    this.#running.push(this.#runSlot(slot));
  }

  /** Opens lanes until there are `wanted` in total. */
  #openLanes(wanted: number): void {
    if (this.#slots.length < wanted) debugLog('schedule', () => `open lanes ${this.#slots.length} to ${wanted - 1}`);
    while (this.#slots.length < wanted) this.#open(this.#slots.length);
  }

  /** Starts one process after the other until one ends without a crash. */
  async #runSlot(slot: LaneSlot): Promise<void> {
    for (;;) {
      const resultsBefore = countResults(this.#state);
      const work = this.#startProcess(slot);
      const end = await work.end;
      this.#locks.forget(slot);
      const lost = this.#request.mode === 'run' ? lostResults(work.lane) : 0;
      if (lost > 0) this.#write({ type: 'problem', problem: { code: 'results-lost', cases: lost } });
      if (work.lane.finished && !work.lane.finished.stuck) return;
      this.#died = true;
      slot.returned = slot.piece;
      slot.piece = undefined;
      if (this.#isOfAnotherPlan) return;
      this.#reportDeath(slot, work.lane, end);
      if (this.#interrupts > 0) return this.#markRestNotRun();
      if (!work.lane.finished && !this.#goesOnAfterCrash(slot, work.lane, end, resultsBefore)) return;
    }
  }

  #startProcess(slot: LaneSlot): LaneWork {
    const { record, after: _after, plan: _plan, before: _before, nextRows, lanes, ...asked } = this.#request;
    const journal = newJournal(record, slot);
    const job: Job = {
      ...asked,
      isolatesCases: slot.careful,
      hasPeers: lanes > 1,
      lane: slot.number,
      journal,
      attachments: join(record, 'attachments'),
      skippedFiles: [...this.#unloadable],
    };
    const work = superviseLane(this.#nextLane(), job, this.#compiler, {
      // Who asks for further rows needs each result.
      inBlocks: nextRows === undefined,
      take: (entry) => {
        if (entry.type === 'pieces') this.#takePieces(entry);
        else this.#take(entry);
      },
      hear: (message) => this.#handleMessage(message, slot, job),
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

  /** Records the fixtures that a dead process did not tear down, and that it was silent while it ran no case. */
  #reportDeath(slot: LaneSlot, lane: LaneState, end: LaneEnd): void {
    if (!lane.finished)
      for (const { fixture, owner } of lane.liveFixtures.values()) this.#write({ type: 'problem', problem: { code: 'teardown-lost', fixture, owner } });
    if (end.overdue && lane.doing === undefined)
      this.#write({ type: 'warning', problem: { code: 'lane-unresponsive', lane: slot.number, last: lastCaseIn(slot.journals.at(-1) as string) } });
  }

  /** Attributes the crash of a process. Returns whether another process takes its place. */
  #goesOnAfterCrash(slot: LaneSlot, lane: LaneState, end: LaneEnd, resultsBefore: number): boolean {
    const { entries, isSure, isHopeless, unloadable, unreadable } = attributeEnd(lane, end, this.#request.root, slot.careful);
    if (unloadable !== undefined) this.#unloadable.push(unloadable);
    if (unreadable !== undefined) this.#unreadable.add(unreadable);
    const isNew = this.#charge(entries);
    if (isHopeless) return false;
    const isProgress = (countResults(this.#state) > resultsBefore && isNew) || unloadable !== undefined || unreadable !== undefined;
    this.#fruitless = isProgress ? 0 : this.#fruitless + 1;
    const keepsCrashing = !this.#stopped && this.#fruitless >= MAX_LANES_WITHOUT_RESULT;
    if (keepsCrashing) {
      this.#write({ type: 'problem', problem: { code: 'repeated-crashes', reason: describeExit(end) } });
      this.#abortReason = 'its lanes kept crashing';
    }
    // Where it is not sure which case it was, the rest of the piece runs one by one until it is.
    slot.careful = !isSure;
    if (this.#stopped || keepsCrashing) this.#markRestNotRun();
    return !this.#stopped && !keepsCrashing;
  }

  /** Records what a process has left behind. Returns false if it is what another process has left before. */
  #charge(entries: readonly JournalEntry[]): boolean {
    let isNew = true;
    for (const entry of entries) {
      const key = entry.type === 'ended' ? `${entry.result.test} ${entry.result.id}` : undefined;
      if (key !== undefined && this.#charged.has(key)) isNew = false;
      else this.#write(entry);
      if (key !== undefined) this.#charged.add(key);
    }
    return isNew;
  }

  /** The first lane reports what can be run. If that takes long, other lanes start. */
  #takePieces({ pieces, tests }: Extract<JournalEntry, { type: 'pieces' }>): void {
    const {
      lanes,
      before: { times },
      after,
    } = this.#request;
    if (this.#tests.length === 0) this.#tests = tests;
    if (tests.join('\n') !== this.#tests.join('\n'))
      this.#write({
        type: 'problem',
        problem: { code: 'plan-changed' },
      });
    if (this.#dealer || this.#isOfAnotherPlan) return;
    this.#dealer = new WorkScheduler(pieces, lanes, (test) => times.get(tests[test] as string), after);
    debugLog('schedule', () => `${tests.length} tests in ${this.#dealer?.left} work units for up to ${lanes} lanes`);
    this.#opening = setTimeout(
      () => {
        if (!this.#stopped && this.#interrupts === 0) this.#openLanes(Math.min(lanes, this.#slots.length + (this.#dealer?.left ?? 0)));
      },
      (this.#estimateTime()?.whole ?? 0) > LONG_RUN_MS ? 0 : SECOND_LANE_DELAY_MS,
    );
  }

  /** The last lane that has work gets further rows, when all other results are there. */
  #nextRows(slot: LaneSlot): Assignment | undefined {
    const { nextRows, after } = this.#request;
    if (!nextRows || this.#interrupts > 0 || this.#slots.some((other) => other !== slot && other.piece)) return undefined;
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
        if (slot.piece) this.#dealer?.ended(slot.piece);
        // It skips cases that an earlier process has recorded.
        const returned = slot.returned && { ...slot.returned, after: [...this.#request.after, ...slot.journals, this.#own] };
        // A lane that was stopped counts the cases that it does not run.
        const piece = returned ?? this.#dealer?.next() ?? this.#nextRows(slot);
        slot.piece = piece && { ...piece, tests: piece.tests.filter((test) => !this.#unreadable.has(test)) };
        slot.returned = undefined;
        debugLog('schedule', () =>
          slot.piece
            ? `tests ${slot.piece.tests.join()} to lane ${slot.number}, ${this.#dealer?.left} work units left`
            : `no work left for lane ${slot.number}`,
        );
        answering?.send({ to: 'lane', type: 'piece', piece: slot.piece });
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
        this.#runFixtures.hear(message, () => answering, job);
        break;
      case 'fetched':
        // Only the process of the run's fixtures sends these.
        break;
      default:
        ignoreUnknown(message);
    }
  }
}

const countResults = (state: RunState): number => Object.values(state.counts).reduce((sum, count) => sum + count, 0) + state.loadFailures.length;
