import { evaluateAnnotations } from '../cases/annotations.ts';
import { formatProblem } from '../problems/format-problem.ts';
import type { Problem } from '../problems/problem.ts';
import type { PlannedCaseImpl } from '../suites/planned.ts';
import { type AttemptContext, runAttempt } from './attempt.ts';
import { restoreBuiltIns } from './builtins.ts';
import { CaseAttempt } from './case-attempt.ts';
import { ConcurrencyGate, EXCLUSIVE_LOCK, type ResourceRequest } from './concurrency-gate.ts';
import { buildThrowFailure } from './failures.ts';
import { after, now, today } from './globals.ts';
import { buildResult, EMPTY_OUTCOME } from './outcome.ts';
import type { CaseResult, Failure } from './result.ts';
import type { ResultDispatcher } from './result-dispatcher.ts';
import type { PlanRunOptions } from './run-options.ts';
import type { OpenScope, PlacedGraph } from './scopes.ts';
import { decideVerdict, type Verdict } from './verdict.ts';

/** The scopes of a case's fixtures. It is a function if the row has overrides, since resolving them can throw. */
export type LazyPlacement = PlacedGraph | (() => PlacedGraph);

/** The scopes in which the cases of a test run. */
export interface TestPlacement {
  /** The scopes around the cases, outermost first. */
  readonly scopes: readonly OpenScope[];
  place(planned: PlannedCaseImpl): LazyPlacement;
}

/** A case to run. */
interface CaseJob {
  readonly planned: PlannedCaseImpl;
  readonly placed: LazyPlacement;
  readonly scopes: readonly OpenScope[];
  readonly knownFailure: string | undefined;
}

/**
 * Runs cases, from annotations to results.
 *
 * Millions of trivial cases pass through this class. Whatever does not have to wait is done synchronously, without promises and closures.
 */
export class CaseRunner {
  readonly #options: PlanRunOptions;
  readonly #context: AttemptContext;
  readonly #delivery: ResultDispatcher;
  readonly #started: number;
  readonly #day = today();
  readonly #admission = new ConcurrencyGate();
  #failed = 0;
  /** The number of cases without a result because the run was interrupted. */
  interruptedCount = 0;
  #isInterrupted = false;

  /** `started` is when the lane started, on the runner's clock. */
  constructor(options: PlanRunOptions, context: AttemptContext, delivery: ResultDispatcher, started: number) {
    this.#options = options;
    this.#context = context;
    this.#delivery = delivery;
    this.#started = started;
  }

  /** Marks the run as interrupted. Later failures other than failed checks count as interrupted. */
  interrupt(): void {
    this.#isInterrupted = true;
  }

  /** Whether enough cases have failed that no new one starts. */
  get hasReachedFailureLimit(): boolean {
    return this.#failed >= (this.#options.stopAfter ?? Number.POSITIVE_INFINITY);
  }

  /**
   * Starts a case. Returns a promise if the next case must wait for it. Never throws or rejects: an error in the runner affects this case
   * only.
   */
  begin(planned: PlannedCaseImpl, placement: TestPlacement): Promise<void> | undefined {
    try {
      const waiting = this.#begin(planned, placement);
      return waiting && after(waiting, undefined, (error) => this.#recordRunnerError(planned, error));
    } catch (error) {
      this.#recordRunnerError(planned, error);
      return undefined;
    }
  }

  #recordRunnerError(planned: PlannedCaseImpl, error: unknown): void {
    restoreBuiltIns();
    this.#finishWithoutRunning(planned, { status: 'errored', cause: 'record' }, [buildThrowFailure(error, 'record', {})]);
  }

  #begin(planned: PlannedCaseImpl, { scopes, place }: TestPlacement): Promise<void> | undefined {
    const { problems } = planned.entry;
    const { skip, expired, notRequested, knownFailure } = evaluateAnnotations(planned.marks, this.#day);
    if (problems) return this.#finishWithoutRunning(planned, { status: 'errored', cause: 'data' }, problems.map(failureOfProblem));
    if (skip !== undefined) return this.#finishWithoutRunning(planned, { status: 'skipped', reason: skip });
    if (expired !== undefined)
      return this.#finishWithoutRunning(planned, { status: 'failed', cause: 'expired', reason: expired }, [
        { cause: 'expired', message: `the skip has expired: ${expired}`, location: planned.location },
      ]);
    if (notRequested !== undefined && !this.#options.isRequested?.(planned))
      return this.#finishWithoutRunning(planned, { status: 'not-requested', reason: notRequested });
    return this.#admit({ planned, placed: resolvePlacement(place(planned)), scopes, knownFailure });
  }

  /** Records a result for a case without running it. */
  #finishWithoutRunning(planned: PlannedCaseImpl, verdict: Verdict, failures: readonly Failure[] = []): undefined {
    this.#count(verdict);
    this.#delivery.reportNotRun(planned, this.buildResultWithoutRun(verdict, failures));
  }

  /** The result of a case that was not run. */
  buildResultWithoutRun(verdict: Verdict, failures: readonly Failure[]): CaseResult {
    return { ...EMPTY_OUTCOME, ...verdict, attempts: 0, start: now() - this.#started, failures, attachments: [] };
  }

  #admit(job: CaseJob): Promise<void> | undefined {
    const concurrency = this.#options.isSerial ? 1 : job.planned.test.inherited.concurrency;
    const locks = listLocks(job);
    if (concurrency > 1 || !this.#admission.isIdle) return this.#admitAmong({ concurrency, locks }, job);
    const running = this.#runLocked(locks, job);
    return running ? after(running, () => this.#delivery.yieldToEventLoop()) : this.#delivery.yieldToEventLoop();
  }

  async #admitAmong(demand: ResourceRequest, job: CaseJob): Promise<void> {
    const release = await this.#admission.acquire(demand);
    const running = this.#runLocked(demand.locks, job);
    if (!running) {
      release();
      return this.#delivery.yieldToEventLoop();
    }
    const { pendingCases } = job.scopes.at(-1) as OpenScope;
    const ended = (): void => {
      release();
      pendingCases.delete(tracked);
    };
    const tracked: Promise<void> = after(running, ended, (error) => {
      this.#recordRunnerError(job.planned, error);
      ended();
    });
    pendingCases.add(tracked);
  }

  /** Runs a case once the lane holds the locks that it shares with other lanes. */
  #runLocked(locks: readonly string[], job: CaseJob): Promise<void> | undefined {
    const { lock } = this.#options;
    if (!lock || locks.length === 0 || locks.every((name) => name === EXCLUSIVE_LOCK)) return this.#run(job, 1);
    const shared = locks.filter((name) => name !== EXCLUSIVE_LOCK);
    return this.#runHolding(lock(shared), job);
  }

  async #runHolding(locked: Promise<() => void>, job: CaseJob): Promise<void> {
    const unlock = await locked;
    try {
      await this.#run(job, 1);
    } finally {
      unlock();
    }
  }

  /** Runs a case from attempt `number` on: synchronously if nothing in it takes time. */
  #run(job: CaseJob, number: number): Promise<void> | undefined {
    // The run ended while the case waited for its locks.
    if (number === 1 && this.#options.signal?.aborted) {
      this.interruptedCount++;
      return undefined;
    }
    const { planned, placed, scopes } = job;
    const run = new CaseAttempt(planned, this.#context.reportProblem, number);
    run.begun = now();
    const attempted = runAttempt(
      run,
      placed,
      scopes,
      this.#context.watch.limit(planned.entry.annotations?.timeout ?? planned.test.inherited.timeout),
      this.#context,
    );
    return attempted ? this.#decideAfter(attempted, run, job) : this.#decide(run, job);
  }

  async #decideAfter(attempted: Promise<void>, run: CaseAttempt, job: CaseJob): Promise<void> {
    await attempted;
    return this.#decide(run, job);
  }

  #decide(run: CaseAttempt, job: CaseJob): Promise<void> | undefined {
    return this.#isToRunAgain(run, job.knownFailure) ? this.#run(job, run.attempt + 1) : this.#finish(run, job.knownFailure);
  }

  #isToRunAgain(run: CaseAttempt, knownFailure: string | undefined): boolean {
    if (run.attempt > run.planned.test.inherited.retries) return false;
    const { status } = decideVerdict(run, knownFailure);
    return (status === 'failed' || status === 'errored') && !this.#options.signal?.aborted && !this.hasReachedFailureLimit && !this.#context.watch.isStuck;
  }

  #finish(run: CaseAttempt, knownFailure: string | undefined): undefined {
    const verdict = decideVerdict(run, knownFailure);
    if (verdict.cause === 'unexpected-pass')
      run.fail({
        cause: 'unexpected-pass',
        message: `passed, but is stated as a known failure (${knownFailure}); remove \`knownFailure\``,
        location: run.planned.location,
      });
    run.ended = true;
    if (this.#isInterrupted && isInterrupted(run, verdict)) {
      this.interruptedCount++;
      this.#delivery.dropInterrupted(run);
      return;
    }
    this.#count(verdict);
    const isPlain = verdict.status === 'passed' && run.attempt === 1 && run.hasNoDetails;
    this.#delivery.ended(run, isPlain ? undefined : buildResult(run, verdict, run.attempt, this.#started));
  }

  #count({ status }: Verdict): void {
    if (status === 'failed' || status === 'errored') this.#failed++;
  }
}

/** Whether a case failed because of the interruption. Such a case has no result, and a resumed run repeats it. */
const isInterrupted = (run: CaseAttempt, { status }: Verdict): boolean =>
  (run.interrupted || status === 'failed' || status === 'errored') && !run.failures.some(({ cause }) => cause === 'check' || cause === 'teardown');

/** Resolves the fixtures of a case before its locks are taken. If the overrides of a row throw, the attempt reports the error. */
function resolvePlacement(placing: LazyPlacement): LazyPlacement {
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

/** The locks of the suites, the test, the row and the fixtures of a case. */
function listLocks({ planned: { test, entry }, placed }: CaseJob): readonly string[] {
  const outerLocks = test.inherited.locks;
  const own = entry.annotations?.locks ?? none;
  const fixtures = typeof placed === 'function' ? none : placed.locks;
  return own.length === 0 && fixtures.length === 0 ? outerLocks : [...outerLocks, ...own, ...fixtures];
}

export const failureOfProblem = (problem: Problem): Failure => ({ cause: 'data', message: formatProblem(problem), location: problem.at });
