import { evaluateAnnotations } from '../cases/marks.ts';
import type { Problem } from '../problems/problem.ts';
import { formatProblem } from '../problems/wording.ts';
import type { PlannedCaseImpl } from '../suites/planned.ts';
import { Admission, alone, type Demand } from './admission.ts';
import { type Around, attempt } from './attempt.ts';
import { restoreBuiltIns } from './builtins.ts';
import { CaseRun } from './case-run.ts';
import type { Delivery } from './delivery.ts';
import { failureOfThrow } from './failures.ts';
import { after, now, today } from './originals.ts';
import { nothingDone, resultOf } from './outcome.ts';
import type { CaseResult, Failure } from './result.ts';
import type { Listener, RunOptions } from './run-options.ts';
import type { Open, Placed } from './scopes.ts';
import { type Verdict, verdictOf } from './verdict.ts';

/** The place of a case's fixtures; late where its row binds, since that may throw. */
export type Placing = Placed | (() => Placed);

/**
 * Runs one case after the other, from its marks to its result.
 *
 * Millions of trivial cases come through here: what nothing in them waits for is done at once, without promises and closures.
 */
export class CaseRunner {
  readonly #options: RunOptions;
  readonly #listener: Listener;
  readonly #around: Around;
  readonly #delivery: Delivery;
  readonly #started: number;
  readonly #day = today();
  readonly #admission = new Admission();
  readonly #told = (problem: Problem): void => this.#listener.told(problem);
  #failed = 0;
  /** The number of cases without a result because the run was interrupted. */
  cut = 0;
  #isInterrupted = false;

  /** `started` is when the lane began, by the runner's clock. */
  constructor(options: RunOptions, listener: Listener, around: Around, delivery: Delivery, started: number) {
    this.#options = options;
    this.#listener = listener;
    this.#around = around;
    this.#delivery = delivery;
    this.#started = started;
  }

  /** Marks the run as interrupted. Later failures other than failed checks count as cut short. */
  interrupt(): void {
    this.#isInterrupted = true;
  }

  /** So many have failed that no new one begins. */
  get hasEnough(): boolean {
    return this.#failed >= (this.#options.stopAfter ?? Number.POSITIVE_INFINITY);
  }

  /** Begins a case; a promise where the next must wait for it. Never throws or rejects: an error in the runner costs this case alone. */
  begin(planned: PlannedCaseImpl, placedFor: (planned: PlannedCaseImpl) => Placing, scopes: readonly Open[]): Promise<void> | undefined {
    try {
      const waiting = this.#begin(planned, placedFor, scopes);
      return waiting && after(waiting, undefined, (error) => this.#broke(planned, error));
    } catch (error) {
      this.#broke(planned, error);
      return undefined;
    }
  }

  #broke(planned: PlannedCaseImpl, error: unknown): void {
    restoreBuiltIns();
    const verdict: Verdict = { status: 'errored', cause: 'record' };
    this.#count(verdict);
    this.#listener.ended(planned, this.unrun(verdict, [failureOfThrow(error, 'record', {})]));
  }

  #begin(planned: PlannedCaseImpl, placedFor: (planned: PlannedCaseImpl) => Placing, scopes: readonly Open[]): Promise<void> | undefined {
    const { problems } = planned.entry;
    const { skip, expired, notRequested: held, knownFailure: known } = evaluateAnnotations(planned.marks, this.#day);
    if (problems) return this.#without(planned, { status: 'errored', cause: 'data' }, problems.map(failureOfProblem));
    if (skip !== undefined) return this.#without(planned, { status: 'skipped', reason: skip });
    if (expired !== undefined)
      return this.#without(planned, { status: 'failed', cause: 'expired', reason: expired }, [
        { cause: 'expired', message: `the skip has expired: ${expired}`, location: planned.location },
      ]);
    if (held !== undefined && !this.#options.asked?.(planned)) return this.#without(planned, { status: 'not-requested', reason: held });
    return this.#admit(planned, placedNow(placedFor(planned)), scopes, known);
  }

  /** A case that comes to its result without being run. */
  #without(planned: PlannedCaseImpl, verdict: Verdict, failures: readonly Failure[] = []): undefined {
    this.#count(verdict);
    this.#listener.ended(planned, this.unrun(verdict, failures));
  }

  /** The result of what was not run. */
  unrun(verdict: Verdict, failures: readonly Failure[]): CaseResult {
    return { ...nothingDone, ...verdict, attempts: 0, start: now() - this.#started, failures, attachments: [] };
  }

  #admit(planned: PlannedCaseImpl, placed: Placing, scopes: readonly Open[], known: string | undefined): Promise<void> | undefined {
    const concurrency = this.#options.oneAtATime ? 1 : planned.test.inherited.concurrency;
    const locks = locksOf(planned, placed);
    if (concurrency > 1 || !this.#admission.isIdle) return this.#admitAmong({ concurrency, locks }, planned, placed, scopes, known);
    const running = this.#runLocked(locks, planned, placed, scopes, known);
    return running ? after(running, () => this.#delivery.breathe()) : this.#delivery.breathe();
  }

  async #admitAmong(demand: Demand, planned: PlannedCaseImpl, placed: Placing, scopes: readonly Open[], known: string | undefined): Promise<void> {
    const leave = await this.#admission.enter(demand);
    const running = this.#runLocked(demand.locks, planned, placed, scopes, known);
    if (!running) {
      leave();
      return this.#delivery.breathe();
    }
    const { under } = scopes.at(-1) as Open;
    const ended = (): void => {
      leave();
      under.delete(tracked);
    };
    const tracked: Promise<void> = after(running, ended, (error) => {
      this.#broke(planned, error);
      ended();
    });
    under.add(tracked);
  }

  /** Runs a case when the locks that it shares with other lanes are this lane's. */
  #runLocked(
    locks: readonly string[],
    planned: PlannedCaseImpl,
    placed: Placing,
    scopes: readonly Open[],
    known: string | undefined,
  ): Promise<void> | undefined {
    const { lock } = this.#options;
    if (!lock || locks.length === 0 || locks.every((name) => name === alone)) return this.#run(planned, placed, scopes, known, 1);
    const shared = locks.filter((name) => name !== alone);
    return this.#runHolding(lock(shared), planned, placed, scopes, known);
  }

  async #runHolding(locked: Promise<() => void>, planned: PlannedCaseImpl, placed: Placing, scopes: readonly Open[], known: string | undefined): Promise<void> {
    const unlock = await locked;
    try {
      await this.#run(planned, placed, scopes, known, 1);
    } finally {
      unlock();
    }
  }

  /** Runs a case with its attempts; at once where nothing in it takes time. */
  #run(planned: PlannedCaseImpl, placed: Placing, scopes: readonly Open[], known: string | undefined, number: number): Promise<void> | undefined {
    // The run ended while the case waited for its locks.
    if (number === 1 && this.#options.signal?.aborted) {
      this.cut++;
      return undefined;
    }
    const run = new CaseRun(planned, this.#told, number);
    run.begun = now();
    const attempted = attempt(run, placed, scopes, this.#around.limit(planned.entry.annotations?.timeout ?? planned.test.inherited.timeout), this.#around);
    if (attempted) return this.#afterwards(attempted, run, placed, scopes, known, number);
    return this.#isToRunAgain(run, known, number) ? this.#run(planned, placed, scopes, known, number + 1) : this.#finish(run, known, number);
  }

  async #afterwards(
    attempted: Promise<void>,
    run: CaseRun,
    placed: Placing,
    scopes: readonly Open[],
    known: string | undefined,
    number: number,
  ): Promise<void> {
    await attempted;
    return this.#isToRunAgain(run, known, number) ? this.#run(run.planned, placed, scopes, known, number + 1) : this.#finish(run, known, number);
  }

  #isToRunAgain(run: CaseRun, known: string | undefined, number: number): boolean {
    if (number > run.planned.test.inherited.retries) return false;
    const { status } = verdictOf(run, known);
    return (status === 'failed' || status === 'errored') && !this.#options.signal?.aborted && !this.hasEnough && !this.#around.isStuck();
  }

  #finish(run: CaseRun, known: string | undefined, attempts: number): undefined {
    const verdict = verdictOf(run, known);
    if (verdict.cause === 'unexpected-pass')
      run.fail({
        cause: 'unexpected-pass',
        message: `passed, but is stated as a known failure (${known}); remove \`knownFailure\``,
        location: run.planned.location,
      });
    run.ended = true;
    if (this.#isInterrupted && isCut(run, verdict)) {
      this.cut++;
      this.#listener.cut?.(run);
      return;
    }
    this.#count(verdict);
    const isPlain = verdict.status === 'passed' && attempts === 1 && run.isPlain && this.#listener.passed;
    this.#delivery.ended(run, isPlain ? undefined : resultOf(run, verdict, attempts, this.#started));
  }

  #count({ status }: Verdict): void {
    if (status === 'failed' || status === 'errored') this.#failed++;
  }
}

/** Whether a case failed because of the interruption. Such a case has no result, and a resumed run repeats it. */
const isCut = (run: CaseRun, { status }: Verdict): boolean =>
  (run.interrupted || status === 'failed' || status === 'errored') && !run.failures.some(({ cause }) => cause === 'check' || cause === 'teardown');

/** Resolves the fixtures of a case before its locks are taken. If the overrides of a row throw, the attempt reports the error. */
function placedNow(placing: Placing): Placing {
  if (typeof placing !== 'function') return placing;
  try {
    return placing();
  } catch (error) {
    return () => {
      throw error;
    };
  }
}

const none: readonly string[] = [];

/** What its suites, its test, its row and its fixtures want for themselves. */
function locksOf({ test, entry }: PlannedCaseImpl, placed: Placing): readonly string[] {
  const around = test.inherited.locks;
  const own = entry.annotations?.locks ?? none;
  const fixtures = typeof placed === 'function' ? none : placed.locks;
  return own.length === 0 && fixtures.length === 0 ? around : [...around, ...own, ...fixtures];
}

export const failureOfProblem = (problem: Problem): Failure => ({ cause: 'data', message: formatProblem(problem), location: problem.at });
