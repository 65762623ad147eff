import { randomFrom } from '../cases/random.ts';
import { mostRows } from '../cases/row.ts';
import type { Scope } from '../fixtures/fixture.ts';
import { type Node, Nodes, resolve } from '../fixtures/graph.ts';
import { Holder } from '../fixtures/holder.ts';
import type { TearDownError } from '../fixtures/instance.ts';
import { isInstanceOf } from '../problems/instance-of.ts';
import type { Problem } from '../problems/problem.ts';
import { ProblemError } from '../problems/problem-error.ts';
import { chunksOf, levelsOf } from '../suites/expand.ts';
import { needsOf } from '../suites/needs.ts';
import { type Group, type Plan, PlannedCaseImpl, type PlannedTest } from '../suites/planned.ts';
import { type Around, PlainHosting } from './attempt.ts';
import { BindingsUsed, type BindingUse } from './bindings.ts';
import { type CaseRun, textOf } from './case-run.ts';
import { CaseRunner, failureOfProblem, type Placing } from './case-runner.ts';
import { Delivery } from './delivery.ts';
import { failureOfThrow } from './failures.ts';
import { now } from './originals.ts';
import { type Address, LocalRunFixtures, type RunFixtures } from './run-host.ts';
import type { Listener, Part, RunOptions } from './run-options.ts';
import { type Open, type Placed, place } from './scopes.ts';
import { limits, Watch } from './watch.ts';

/** Selected cases that a run ended before. */
export interface Left {
  readonly cases: number;
  /** There are more, which nobody counted. */
  readonly isMore: boolean;
}

export interface RunEnd {
  readonly selected: number;
  readonly notRun: Left;
  /** Ended early since a case was past its time. */
  readonly stuck: boolean;
  /** The bindings that stood around the tests that ran. */
  readonly bindings: readonly BindingUse[];
  /** What is odd in how it went. */
  readonly warnings: readonly Problem[];
}

export interface Running {
  /** Never rejects for what a case does. */
  readonly done: Promise<RunEnd>;
  /** Takes an error that no promise and no call caught: it costs the case that started it. */
  stray(run: CaseRun, error: unknown, what: 'error' | 'rejection'): void;
  /** Aborts running bodies and setups, with a grace period unless `urgent`. Abort the signal of the run as well, so that no case starts. */
  interrupt(urgent: boolean): void;
}

/** When a run ends early, it still looks at so many rows to say what it left out: sources may have no end. */
const mostLookedAt = 100_000;

/** Runs the cases of a plan in order. */
export function runPlan(plan: Plan, options: RunOptions, listener: Listener): Running {
  const runner = new Runner(options, listener);
  return { done: runner.run(plan), stray: (run, error, what) => runner.stray(run, error, what), interrupt: (urgent) => runner.interrupt(urgent) };
}

/** Longer than most: what opens a scope, runs in it and closes it is told best in one place. */
class Runner {
  readonly #options: RunOptions;
  readonly #listener: Listener;
  readonly #around: Around;
  readonly #delivery: Delivery;
  readonly #cases: CaseRunner;
  readonly #nodes = new Nodes();
  readonly #started = now();
  readonly #bindings = new BindingsUsed();
  /** Where this lane's copies of the run's fixtures come from. */
  readonly #addresses = new Map<Node, Address>();
  readonly #runFixtures: RunFixtures;
  #part: Part = { tests: new Set() };
  #selected = 0;
  #unrun = 0;
  /** Rows, since the run is over. */
  #lookedAt = 0;
  #stuck = false;

  constructor(options: RunOptions, listener: Listener) {
    this.#options = options;
    this.#listener = listener;
    this.#delivery = new Delivery(listener, options.careful === true, this.#started);
    this.#around = {
      seed: options.seed,
      lane: options.lane ?? 0,
      watch: new Watch(!options.inBackground),
      limit: limits(options.untimed),
      bindContext: options.bindContext,
      span: listener.span && ((span) => (span.scope !== 'case' || options.everySpan) && listener.span?.({ ...span, start: span.start - this.#started })),
      told: (problem) => listener.told(problem),
      loose: (parts) => listener.loose?.(textOf(parts)),
      stuck: () => {
        if (options.stopWhenStuck) this.#stuck = true;
      },
      isStuck: () => this.#stuck,
      fromRun: (node, run, placed) => this.#fromRun(node, run, placed),
      phase: (run, phase, limit) => this.#delivery.announce(run, run.planned.test, phase, limit),
    };
    this.#cases = new CaseRunner(options, listener, this.#around, this.#delivery, this.#started);
    this.#runFixtures = options.runFixtures ?? new LocalRunFixtures(new PlainHosting({ log: () => undefined, attach: () => undefined }, this.#around));
  }

  async run(plan: Plan): Promise<RunEnd> {
    const run = open('run', 'run', 0, 'the run');
    const lane = open('lane', `lane ${this.#around.lane}`, 1, 'the lane');
    for await (const part of this.#options.pieces ?? [{ tests: new Set(plan.tests) }]) {
      this.#part = part;
      for (const file of this.#inOrder(
        plan.files.filter((group) => this.#touches(group)),
        'files',
      )) {
        if (this.#hasSeenEnough) break;
        await this.#group(file, [run, lane]);
      }
      await this.#delivery.turn();
      if (this.#hasSeenEnough) break;
    }
    await this.#leave(lane);
    await this.#leaveRun(run);
    await this.#delivery.turn();
    this.#around.watch.stop();
    // Where a case is stuck, who goes on in another process counts.
    const unrun = this.#stuck ? { cases: 0, isMore: false } : { cases: this.#unrun + this.#cases.cut, isMore: this.#lookedAt > mostLookedAt };
    return { selected: this.#selected, notRun: unrun, stuck: this.#stuck, bindings: this.#bindings.uses(plan), warnings: this.#bindings.fresh };
  }

  #fromRun(node: Node, run: CaseRun, { graph }: Placed): Promise<unknown> {
    const { test, ordinal } = run.planned;
    const address: Address = { test: test.index, ordinal, sight: graph.sights.findIndex((sight) => sight.node === node) };
    this.#addresses.set(node, address);
    return this.#runFixtures.fetch(node, address);
  }

  async #leaveRun(scope: Open): Promise<void> {
    for (const { node, users } of scope.holder.copies) this.#runFixtures.used(this.#addresses.get(node) as Address, users);
    await this.#leave(scope);
    for (const error of await this.#runFixtures.close()) this.#tornDown(error, scope, []);
  }

  interrupt(urgent: boolean): void {
    this.#cases.interrupt();
    this.#around.watch.interrupt(urgent);
  }

  stray(run: CaseRun, error: unknown, what: 'error' | 'rejection'): void {
    this.#delivery.stray(run, error, what);
  }

  get #over(): boolean {
    return this.#stuck || this.#cases.hasEnough || this.#options.signal?.aborted === true;
  }

  /** When no case begins any more, what is left is counted: up to here. */
  get #hasSeenEnough(): boolean {
    return this.#stuck || this.#lookedAt > mostLookedAt;
  }

  /** Whether the part under way has to do with a test or a group. */
  #touches(node: Group | PlannedTest): boolean {
    return node.kind === 'test' ? this.#part.tests.has(node) : node.children.some((child) => this.#touches(child));
  }

  #inOrder<T>(items: readonly T[], of: string): readonly T[] {
    return this.#options.shuffle ? randomFrom(`${this.#options.seed} order of ${of}`).shuffle(items) : items;
  }

  async #group(group: Group, around: readonly Open[]): Promise<void> {
    const scope = open(group.kind, group.id, around.length, group.title, group);
    const scopes = [...around, scope];
    for (const child of this.#inOrder(
      group.children.filter((one) => this.#touches(one)),
      group.id,
    )) {
      if (this.#hasSeenEnough) break;
      const left = child.kind === 'test' ? this.#test(child, scopes) : this.#group(child, scopes);
      // Where cases of several tests may overlap, the next one begins while the last ones of this are under way.
      await this.#leaving(left, scope, group.inherited.concurrency);
    }
    await this.#leave(scope);
  }

  async #test(test: PlannedTest, around: readonly Open[]): Promise<void> {
    const scope = open('test', test.id, around.length, test.title.template);
    const scopes = [...around, scope];
    const placedFor = this.#placedFor(test, scopes);
    this.#delivery.anew();
    const { isDone } = this.#part;
    for await (const cases of this.#casesOf(test)) {
      for (const planned of cases) {
        if (this.#over) this.#lookedAt++;
        if (this.#hasSeenEnough) break;
        if (isDone?.(planned)) continue;
        if (this.#options.select && !this.#options.select(planned)) continue;
        this.#selected++;
        if (this.#over) {
          this.#unrun++;
          continue;
        }
        const waiting = this.#cases.begin(planned, placedFor, scopes);
        if (waiting) await waiting;
      }
      if (this.#hasSeenEnough) break;
    }
    const left = this.#leave(scope)
      .then(() => this.#delivery.emptied())
      .then(() => this.#listener.testEnded?.(test));
    await this.#leaving(left, around.at(-1) as Open, test.parent.inherited.concurrency);
  }

  /** The cases of a test as its rows are read. A source that throws costs one errored case, and ends the rows. */
  async *#casesOf(test: PlannedTest): AsyncGenerator<readonly PlannedCaseImpl[]> {
    const { share } = this.#part;
    const { surroundings = {} } = this.#options;
    let rows = 0;
    this.#readRows(test, rows);
    try {
      for await (const chunk of chunksOf(test, surroundings, share)) {
        const cases = this.#inOrder(chunk.cases, `${test.id} ${rows}`);
        rows = chunk.rows;
        yield rows > mostRows ? cases.filter(({ ordinal }) => ordinal < mostRows) : cases;
        if (rows > mostRows) throw new ProblemError([{ code: 'too-many-rows', limit: mostRows }]);
        this.#readRows(test, rows);
      }
    } catch (error) {
      // Each share of a test meets the same error: one reports it.
      if (!share || share.index === 0) this.#sourceBroke(test, rows, error);
    }
  }

  /** Announces that the next rows are read, since a source may never return. A stream of short cases is not interrupted by it. */
  #readRows(test: PlannedTest, rows: number): void {
    const { rowsLimit } = this.#options;
    if (rowsLimit !== undefined && test.test.options.cases && !this.#delivery.streaming) this.#listener.reading?.(invalidRows(test, rows), rowsLimit);
  }

  /** The end of something within a scope: waited for, or where others may overlap it, left to the scope's own end. */
  async #leaving(left: Promise<void>, scope: Open, concurrency: number): Promise<void> {
    if (concurrency === 1 || this.#options.oneAtATime || this.#over) return left;
    scope.under.add(left);
    void left.then(() => scope.under.delete(left));
  }

  /** The graph of a test, the same for all its cases unless its rows bind. Asked for when a case is about to run. */
  #placedFor(test: PlannedTest, scopes: readonly Open[]): (planned: PlannedCaseImpl) => Placing {
    const { levels } = test.inherited;
    const { overrides: bind } = test.test.options;
    const needs = needsOf(test);
    if (typeof bind === 'function') {
      const owner = `a row of test "${test.test.title}"`;
      return (planned) => () => {
        const own = levelsOf(bind(planned.entry.row) ?? [], owner, test.test);
        const graph = resolve(needs, [...levels, ...own], this.#nodes);
        this.#bindings.noteRow(graph, levels, own, test.test);
        return place(graph, scopes);
      };
    }
    let placed: Placed | undefined;
    return () => {
      if (!placed) {
        const graph = resolve(needs, levels, this.#nodes);
        this.#bindings.note(graph, levels);
        placed = place(graph, scopes);
      }
      return placed;
    };
  }

  /** A source that broke off while streaming: the rows that it owes are one errored case. */
  #sourceBroke(test: PlannedTest, ordinal: number, error: unknown): void {
    const problems: readonly Problem[] = isInstanceOf(error, ProblemError)
      ? error.problems
      : [{ code: 'source-threw', source: test.source ?? '', reason: failureOfThrow(error, 'data', {}).message }];
    const invalid = invalidRows(test, ordinal);
    if (this.#part.isDone?.(invalid)) return;
    this.#selected++;
    this.#listener.ended(invalid, this.#cases.unrun({ status: 'errored', cause: 'data' }, problems.map(failureOfProblem)));
  }

  /** Waits for all that is under way within a scope, and tears its fixtures down. */
  async #leave({ holder, title, under }: Open): Promise<void> {
    while (under.size > 0) await Promise.all(under);
    if (holder.isEmpty) return;
    const output: string[] = [];
    this.#listener.closing?.(title, this.#around.limit(holder.longestLimit));
    const log = (parts: readonly unknown[]): void => void output.push(textOf(parts));
    for (const error of await holder.close(new PlainHosting({ log, attach: () => undefined }, this.#around))) this.#tornDown(error, { holder, title }, output);
  }

  #tornDown({ fixture, error }: TearDownError, { holder, title }: Pick<Open, 'holder' | 'title'>, output: readonly string[]): void {
    const result = this.#cases.unrun({ status: 'errored', cause: 'teardown' }, [failureOfThrow(error, 'teardown', { fixture })]);
    this.#listener.tornDown?.({ id: `${holder.id}!${fixture}`, title: `teardown of fixture "${fixture}" for ${title}` }, { ...result, output });
  }
}

/** Stands for the rows that could not be read. */
const invalidRows = (test: PlannedTest, ordinal: number): PlannedCaseImpl => new PlannedCaseImpl(test, ordinal, { row: {}, name: 'invalid rows' }, 1);

const open = (scope: Scope, id: string, depth: number, title: string, group?: Group): Open => ({
  holder: new Holder(scope, { id }, depth),
  title,
  group,
  under: new Set(),
});
