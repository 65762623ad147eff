import { createRandom } from '../cases/random.ts';
import { MAX_ROWS } from '../cases/row.ts';
import type { Scope } from '../fixtures/fixture.ts';
import { type Node, NodeInterner, resolve } from '../fixtures/graph.ts';
import type { TearDownError } from '../fixtures/instance.ts';
import { ScopeInstance } from '../fixtures/scope-instance.ts';
import { isInstanceOf } from '../problems/instance-of.ts';
import type { Problem } from '../problems/problem.ts';
import { ProblemError } from '../problems/problem-error.ts';
import { buildOverrideLayers, expandInBatches } from '../suites/expand.ts';
import { collectNeeds } from '../suites/needs.ts';
import { type Group, type Plan, PlannedCaseImpl, type PlannedTest } from '../suites/planned.ts';
import { type AttemptContext, SharedFixtureHost } from './attempt.ts';
import { type CaseAttempt, formatLogLine } from './case-attempt.ts';
import { CaseRunner, failureOfProblem, type TestPlacement } from './case-runner.ts';
import { DeadlineTimer } from './deadlines.ts';
import { buildThrowFailure } from './failures.ts';
import { buildFixtureAddress, type FixtureAddress } from './fixture-address.ts';
import { now } from './globals.ts';
import { OverrideUsage, type OverrideUse } from './override-usage.ts';
import { ResultDispatcher } from './result-dispatcher.ts';
import { LocalRunFixtures, type RunFixtures } from './run-fixture-host.ts';
import type { PlanPart, PlanRunOptions, RunListener } from './run-options.ts';
import { assignScopes, type OpenScope, type PlacedGraph } from './scopes.ts';

/** Selected cases that have no result because the run ended early. */
export interface NotRunCount {
  readonly cases: number;
  /** There are more, which were not counted. */
  readonly isMore: boolean;
}

export interface RunEnd {
  readonly selected: number;
  readonly notRun: NotRunCount;
  /** The run ended early because a case exceeded its time limit and did not end. */
  readonly isStuck: boolean;
  /** The effect of overrides on the tests that ran. */
  readonly overrideUses: readonly OverrideUse[];
  /** Warnings about the run. */
  readonly warnings: readonly Problem[];
}

export interface RunHandle {
  /** Never rejects because of a case. */
  readonly done: Promise<RunEnd>;
  /** Handles an uncaught error or an unhandled rejection: the case that caused it fails. */
  handleLateError(run: CaseAttempt, error: unknown, kind: 'error' | 'rejection'): void;
  /** Aborts running bodies and setups, with a grace period unless `urgent`. Abort the signal of the run as well, so that no case starts. */
  interrupt(urgent: boolean): void;
}

/** The number of rows that a run that ends early still counts as not run: sources can be endless. */
const MAX_NOT_RUN_SCAN = 100_000;

/** Runs the cases of a plan in order. */
export function runPlan(plan: Plan, options: PlanRunOptions, listener: RunListener): RunHandle {
  const runner = new Runner(options, listener);
  return {
    done: runner.run(plan),
    handleLateError: (run, error, kind) => runner.handleLateError(run, error, kind),
    interrupt: (urgent) => runner.interrupt(urgent),
  };
}

/** Longer than most classes: opening a scope, running in it and closing it belong together. */
class Runner {
  readonly #options: PlanRunOptions;
  readonly #listener: RunListener;
  readonly #context: AttemptContext;
  readonly #delivery: ResultDispatcher;
  readonly #cases: CaseRunner;
  readonly #nodes = new NodeInterner();
  readonly #started = now();
  readonly #overrideUsage = new OverrideUsage();
  readonly #warnings = new Map<object, Problem>();
  /** The addresses of the run-scoped fixtures that this lane has copies of. */
  readonly #addresses = new Map<Node, FixtureAddress>();
  readonly #runFixtures: RunFixtures;
  #part: PlanPart = { tests: new Set() };
  #selected = 0;
  #notRunCases = 0;
  /** The number of rows that were counted after the run ended. */
  #scannedCases = 0;

  constructor(options: PlanRunOptions, listener: RunListener) {
    this.#options = options;
    this.#listener = listener;
    this.#delivery = new ResultDispatcher(listener, options.announcesEveryCase === true, this.#started);
    this.#context = {
      seed: options.seed,
      lane: options.lane ?? 0,
      watch: new DeadlineTimer({ keepsAlive: !options.unrefsTimers, hasNoTimeouts: options.hasNoTimeouts, stopsWhenStuck: options.stopWhenStuck }),
      bindContext: options.bindContext,
      onSpan: listener.span && ((span) => (span.scope !== 'case' || options.everySpan) && listener.span?.({ ...span, start: span.start - this.#started })),
      reportProblem: (problem) => listener.reportProblem(problem),
      warnOnce: (about, buildProblem) => {
        if (!this.#warnings.has(about)) this.#warnings.set(about, buildProblem());
      },
      logUnowned: (parts) => listener.writeUnowned?.(formatLogLine(parts)),
      fetchRunFixture: (node, run, placed) => this.#fetchRunFixture(node, run, placed),
      phase: (run, phase, limit) => this.#delivery.announce(run, run.planned.test, phase, limit),
    };
    this.#cases = new CaseRunner(options, this.#context, this.#delivery, this.#started);
    this.#runFixtures = options.runFixtures ?? new LocalRunFixtures(new SharedFixtureHost({ log: () => undefined, attach: () => undefined }, this.#context));
  }

  async run(plan: Plan): Promise<RunEnd> {
    const run = open('run', 'run', 0, 'the run');
    const lane = open('lane', `lane ${this.#context.lane}`, 1, 'the lane');
    for await (const part of this.#options.parts ?? [{ tests: new Set(plan.tests) }]) {
      this.#part = part;
      for (const file of this.#orderSiblings(
        plan.files.filter((group) => this.#touches(group)),
        'files',
      )) {
        if (this.#hasSeenEnough) break;
        await this.#group(file, [run, lane]);
      }
      await this.#delivery.flushAfterTurn();
      if (this.#hasSeenEnough) break;
    }
    await this.#closeScope(lane);
    await this.#leaveRun(run);
    await this.#delivery.flushAfterTurn();
    this.#context.watch.stop();
    // If a case is stuck, the process that continues does the counting.
    const notRun = this.#context.watch.isStuck
      ? { cases: 0, isMore: false }
      : { cases: this.#notRunCases + this.#cases.interruptedCount, isMore: this.#scannedCases > MAX_NOT_RUN_SCAN };
    return {
      selected: this.#selected,
      notRun,
      isStuck: this.#context.watch.isStuck,
      overrideUses: this.#overrideUsage.uses(plan),
      warnings: [...this.#overrideUsage.unstableSettings, ...this.#warnings.values()],
    };
  }

  #fetchRunFixture(node: Node, run: CaseAttempt, { graph }: PlacedGraph): Promise<unknown> {
    const { test, ordinal } = run.planned;
    const address = buildFixtureAddress(node, graph, test.index, ordinal);
    this.#addresses.set(node, address);
    return this.#runFixtures.fetch(node, address);
  }

  async #leaveRun(scope: OpenScope): Promise<void> {
    for (const { node, users } of scope.scopeInstance.remoteInstances) this.#runFixtures.used(this.#addresses.get(node) as FixtureAddress, users);
    await this.#closeScope(scope);
    for (const error of await this.#runFixtures.close()) this.#tornDown(error, scope, []);
  }

  interrupt(urgent: boolean): void {
    this.#cases.interrupt();
    this.#context.watch.interrupt(urgent);
  }

  handleLateError(run: CaseAttempt, error: unknown, kind: 'error' | 'rejection'): void {
    this.#delivery.handleLateError(run, error, kind);
  }

  get #isOver(): boolean {
    return this.#context.watch.isStuck || this.#cases.hasReachedFailureLimit || this.#options.signal?.aborted === true;
  }

  /** After the run has ended early, rows are counted up to this limit. */
  get #hasSeenEnough(): boolean {
    return this.#context.watch.isStuck || this.#scannedCases > MAX_NOT_RUN_SCAN;
  }

  /** Whether the current part of the plan includes a test, or a test in a group. */
  #touches(node: Group | PlannedTest): boolean {
    return node.kind === 'test' ? this.#part.tests.has(node) : node.children.some((child) => this.#touches(child));
  }

  #orderSiblings<T>(items: readonly T[], parentId: string): readonly T[] {
    return this.#options.shuffle ? createRandom(`${this.#options.seed} order of ${parentId}`).shuffle(items) : items;
  }

  async #group(group: Group, outerScopes: readonly OpenScope[]): Promise<void> {
    const scope = open(group.kind, group.id, outerScopes.length, group.title, group);
    const scopes = [...outerScopes, scope];
    for (const child of this.#orderSiblings(
      group.children.filter((one) => this.#touches(one)),
      group.id,
    )) {
      if (this.#hasSeenEnough) break;
      const left = child.kind === 'test' ? this.#test(child, scopes) : this.#group(child, scopes);
      // If cases of several tests can overlap, the next test starts while the last cases of this one are running.
      await this.#closeOrDefer(left, scope, group.inherited.concurrency);
    }
    await this.#closeScope(scope);
  }

  async #test(test: PlannedTest, outerScopes: readonly OpenScope[]): Promise<void> {
    const scope = open('test', test.id, outerScopes.length, test.title.template);
    const scopes = [...outerScopes, scope];
    const placement = { scopes, place: this.#buildPlacement(test, scopes) };
    this.#delivery.resetForTest();
    const { isDone, isWhole = this.#part.cases !== undefined } = this.#part;
    for await (const cases of this.#streamCases(test)) {
      for (const planned of cases) {
        if (this.#isOver) this.#scannedCases++;
        if (this.#hasSeenEnough) break;
        if (isDone?.(planned)) continue;
        if (!isWhole && this.#options.select && !this.#options.select(planned)) continue;
        this.#selected++;
        if (this.#isOver) {
          this.#notRunCases++;
          continue;
        }
        const waiting = this.#cases.begin(planned, placement);
        if (waiting) await waiting;
      }
      if (this.#hasSeenEnough) break;
    }
    const left = this.#closeScope(scope)
      .then(() => this.#delivery.drained())
      .then(() => this.#listener.testEnded?.(test));
    await this.#closeOrDefer(left, outerScopes.at(-1) as OpenScope, test.parent.inherited.concurrency);
  }

  /** The cases of a test, as its rows are read. If the source throws, one case is errored and the rows end. */
  async *#streamCases(test: PlannedTest): AsyncGenerator<readonly PlannedCaseImpl[]> {
    const { share, cases } = this.#part;
    if (cases) {
      yield cases;
      return;
    }
    const { host = {} } = this.#options;
    let rows = 0;
    this.#readRows(test, rows);
    try {
      for await (const chunk of expandInBatches(test, host, share)) {
        const cases = this.#orderSiblings(chunk.cases, `${test.id} ${rows}`);
        rows = chunk.rows;
        yield rows > MAX_ROWS ? cases.filter(({ ordinal }) => ordinal < MAX_ROWS) : cases;
        if (rows > MAX_ROWS) throw new ProblemError([{ code: 'too-many-rows', limit: MAX_ROWS }]);
        this.#readRows(test, rows);
      }
    } catch (error) {
      // Each partition of a test encounters the same error, and one reports it.
      if (!share || share.index === 0) this.#reportSourceFailure(test, rows, error);
    }
  }

  /** Announces that rows are read, since a source may never return. A stream of short cases is not interrupted for this. */
  #readRows(test: PlannedTest, rows: number): void {
    const { rowsLimit } = this.#options;
    if (rowsLimit !== undefined && test.test.options.cases && !this.#delivery.streaming)
      this.#listener.announce({ kind: 'rows', invalid: buildInvalidRows(test, rows), limit: rowsLimit });
  }

  /** Waits for the end of something in a scope, or leaves it to the end of the scope if others can overlap it. */
  async #closeOrDefer(left: Promise<void>, scope: OpenScope, concurrency: number): Promise<void> {
    if (concurrency === 1 || this.#options.isSerial || this.#isOver) return left;
    scope.pendingCases.add(left);
    void left.then(() => scope.pendingCases.delete(left));
  }

  /** Resolves the graph of a test when a case is about to run. All its cases share it, unless its rows have overrides. */
  #buildPlacement(test: PlannedTest, scopes: readonly OpenScope[]): TestPlacement['place'] {
    const { overrideLayers } = test.inherited;
    const { overrides } = test.test.options;
    const needs = collectNeeds(test);
    if (typeof overrides === 'function') {
      const owner = `a row of test "${test.test.title}"`;
      return (planned) => () => {
        const own = buildOverrideLayers(overrides(planned.entry.row) ?? [], owner, test.test);
        const graph = resolve(needs, [...overrideLayers, ...own], this.#nodes);
        this.#overrideUsage.noteRow(graph, overrideLayers, own, test.test);
        return assignScopes(graph, scopes);
      };
    }
    let placed: PlacedGraph | undefined;
    return () => {
      if (!placed) {
        const graph = resolve(needs, overrideLayers, this.#nodes);
        this.#overrideUsage.note(graph, overrideLayers);
        placed = assignScopes(graph, scopes);
      }
      return placed;
    };
  }

  /** Reports a source that failed while streaming: one errored case represents the missing rows. */
  #reportSourceFailure(test: PlannedTest, ordinal: number, error: unknown): void {
    const problems: readonly Problem[] = isInstanceOf(error, ProblemError)
      ? error.problems
      : [{ code: 'source-threw', source: test.source ?? '', reason: buildThrowFailure(error, 'data', {}).message }];
    const invalid = buildInvalidRows(test, ordinal);
    if (this.#part.isDone?.(invalid)) return;
    this.#selected++;
    this.#listener.ended(invalid, this.#cases.buildResultWithoutRun({ status: 'errored', cause: 'data' }, problems.map(failureOfProblem)));
  }

  /** Waits for everything that runs in a scope, and tears down its fixtures. */
  async #closeScope({ scopeInstance, title, pendingCases }: OpenScope): Promise<void> {
    while (pendingCases.size > 0) await Promise.all(pendingCases);
    if (scopeInstance.isEmpty) return;
    const output: string[] = [];
    this.#listener.announce({ kind: 'shared-teardown', name: title, limit: this.#context.watch.limit(scopeInstance.longestLimit) });
    const log = (parts: readonly unknown[]): void => void output.push(formatLogLine(parts));
    for (const error of await scopeInstance.close(new SharedFixtureHost({ log, attach: () => undefined }, this.#context)))
      this.#tornDown(error, { scopeInstance, title }, output);
  }

  #tornDown({ fixture, error }: TearDownError, { scopeInstance, title }: Pick<OpenScope, 'scopeInstance' | 'title'>, output: readonly string[]): void {
    const result = this.#cases.buildResultWithoutRun({ status: 'errored', cause: 'teardown' }, [buildThrowFailure(error, 'teardown', { fixture })]);
    this.#listener.teardownFailed({ id: `${scopeInstance.id}!${fixture}`, title: `teardown of fixture "${fixture}" for ${title}` }, { ...result, output });
  }
}

/** A case that represents the rows that could not be read. */
const buildInvalidRows = (test: PlannedTest, ordinal: number): PlannedCaseImpl => new PlannedCaseImpl(test, ordinal, { row: {}, name: 'invalid rows' }, 1);

const open = (scope: Scope, id: string, depth: number, title: string, group?: Group): OpenScope => ({
  scopeInstance: new ScopeInstance(scope, { id }, depth),
  title,
  group,
  pendingCases: new Set(),
});
