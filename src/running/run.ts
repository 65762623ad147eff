import { standing } from '../cases/marks.ts';
import type { Entry, FileReader } from '../cases/row.ts';
import { mostRows } from '../cases/row.ts';
import { isThenable } from '../checks/checks.ts';
import { show } from '../checks/show.ts';
import type { Definition } from '../fixtures/fixture.ts';
import { type Graph, type Node, Nodes, resolve } from '../fixtures/graph.ts';
import { Holder, type HolderOf, type Hosting, ordinaryLimit, SetUpFailed, type TearDownError, valuesOf } from '../fixtures/instances.ts';
import { type Problem, ProblemError } from '../problems/problem.ts';
import { wording } from '../problems/wording.ts';
import { casesOf, levelsOf, needsOf } from '../suites/plan.ts';
import { CaseOf, type Group, type Plan, type PlannedTest } from '../suites/planned.ts';
import { CaseHand, CaseRun } from './case-run.ts';
import { failureOfThrow } from './failures.ts';
import { nextTurn, now, today } from './originals.ts';
import type { CaseResult, Failure } from './result.ts';
import { type Verdict, verdictOf } from './verdict.ts';
import { Watch, within } from './watch.ts';

export interface RunOptions {
  readonly seed: number;
  /** 0-based. */
  readonly lane?: number | undefined;
  readonly files?: FileReader | undefined;
  /** Aborted when the run is interrupted: no new case begins, tear-downs run. */
  readonly signal?: AbortSignal | undefined;
  /** Which cases of the plan to run; all unless said. */
  readonly select?: ((planned: CaseOf) => boolean) | undefined;
  /** Whether a case that runs on request only is asked for. */
  readonly asked?: ((planned: CaseOf) => boolean) | undefined;
  /** Binds what a case starts to that case, for whoever catches output and stray errors. */
  readonly bindContext?: (<T>(run: CaseRun, act: () => T) => T) | undefined;
  /** Every case is told before it begins, whatever that costs; unless said, a stream of trivial ones is told as such. */
  readonly careful?: boolean | undefined;
  /** No two cases overlap, whatever they allow. */
  readonly oneAtATime?: boolean | undefined;
  /** A case that is past its time cannot be ended here: end the run so that somebody can end the process. */
  readonly stopWhenStuck?: boolean | undefined;
}

/** What is told while cases run. */
export interface Listener {
  /** A case is about to begin, or to go on to its next phase. Not told in a stream of trivial cases: then `streaming` was. */
  begun?(run: CaseRun, phase: 'setup' | 'body' | 'teardown', limit: number): void;
  /** From here on cases of this test begin unannounced, until another test begins. */
  streaming?(test: PlannedTest, limit: number): void;
  /** Shared fixtures are about to be torn down. */
  closing?(name: string, limit: number): void;
  /** `run` is its last attempt, if it had any. */
  ended(planned: CaseOf, result: CaseResult, run?: CaseRun): void;
  testEnded?(test: PlannedTest): void;
  /** A shared fixture's tear-down failed: a result of its own. */
  tornDown?(owner: { id: string; title: string }, result: CaseResult): void;
  /** What has been told can be written now. */
  turn?(): void;
  told(problem: Problem): void;
}

export interface RunEnd {
  readonly selected: number;
  /** Ended early since a case was past its time. */
  readonly stuck: boolean;
}

export interface Running {
  /** Never rejects for what a case does. */
  readonly done: Promise<RunEnd>;
  /** Takes an error that no promise and no call caught: it costs the case that started it. */
  stray(run: CaseRun, error: unknown, what: 'throw' | 'rejection'): void;
}

/** Runs the cases of a plan in order. */
export function runPlan(plan: Plan, options: RunOptions, listener: Listener): Running {
  const runner = new Runner(options, listener);
  return { done: runner.run(plan), stray: (run, error, what) => runner.stray(run, error, what) };
}

/** So many cases in a row, none longer than this on average, are a stream of trivial ones. */
const streamAfter = 64;
const trivialMilliseconds = 0.025;
/** In a stream the event loop gets a turn, and results go out, this often. */
const turnEvery = 1;

const emptyValues: Readonly<Record<string, unknown>> = Object.freeze({});

/** A scope on the way from the run to the case at hand. */
interface Open {
  readonly holder: Holder;
  readonly group: Group | undefined;
  readonly title: string;
}

class Runner {
  readonly #options: RunOptions;
  readonly #listener: Listener;
  readonly #nodes = new Nodes();
  readonly #watch = new Watch();
  readonly #day = today();
  readonly #started = now();
  readonly #active = new Map<Promise<void>, number>();
  #selected = 0;
  #stuck = false;
  /** Passed cases that still can be amended: what they left behind may break before the event loop has had a turn. */
  #undelivered: { run: CaseRun; result: CaseResult }[] = [];
  #turning: Promise<void> | undefined;
  #lastTurn = now();
  #streak = { cases: 0, milliseconds: 0 };
  /** Whether it was told that cases of the test at hand begin unannounced. */
  #announced = false;

  constructor(options: RunOptions, listener: Listener) {
    this.#options = options;
    this.#listener = listener;
  }

  async run(plan: Plan): Promise<RunEnd> {
    const lane: Open = { holder: new Holder('lane', `lane ${this.#options.lane ?? 0}`), group: undefined, title: 'the run' };
    for (const file of plan.files) {
      if (this.#over) break;
      await this.#group(file, [lane]);
    }
    await this.#close(lane);
    await this.#turn();
    this.#watch.stop();
    return { selected: this.#selected, stuck: this.#stuck };
  }

  get #over(): boolean {
    return this.#stuck || this.#options.signal?.aborted === true;
  }

  async #group(group: Group, around: readonly Open[]): Promise<void> {
    const open: Open = { holder: new Holder(group.kind, group.id), group, title: group.title };
    const scopes = [...around, open];
    for (const child of group.children) {
      if (this.#over) break;
      if (child.kind === 'test') await this.#test(child, scopes);
      else await this.#group(child, scopes);
    }
    await this.#drain();
    await this.#close(open);
  }

  async #test(test: PlannedTest, around: readonly Open[]): Promise<void> {
    const open: Open = { holder: new Holder('test', test.id), group: undefined, title: test.title.template };
    const scopes = [...around, open];
    const { options } = test.test;
    const shared = typeof options.bind === 'function' ? undefined : resolve(needsOf(test), test.inherited.levels, this.#nodes);
    this.#streak = { cases: 0, milliseconds: 0 };
    this.#announced = false;
    let last: CaseOf | undefined;
    try {
      for await (const chunk of casesOf(test, this.#options.files)) {
        for (const planned of chunk) {
          if (this.#over) return;
          last = planned;
          if (planned.ordinal >= mostRows) throw new ProblemError([{ code: 'endless-source', limit: mostRows }]);
          if (this.#options.select && !this.#options.select(planned)) continue;
          this.#selected++;
          const waiting = this.#begin(planned, shared, scopes);
          if (waiting) await waiting;
        }
      }
    } catch (error) {
      this.#sourceBroke(test, last, error);
    } finally {
      if (test.parent.inherited.concurrency === 1 || this.#over) await this.#drain();
      await this.#close(open);
      this.#listener.testEnded?.(test);
    }
  }

  /** A source that broke off while streaming: the rows that it owes are one errored case. */
  #sourceBroke(test: PlannedTest, last: CaseOf | undefined, error: unknown): void {
    const name = 'rows that could not be read';
    const planned = new CaseOf(test, (last?.ordinal ?? -1) + 1, { row: {}, name }, 1);
    const problems: readonly Problem[] =
      error instanceof ProblemError ? error.problems : [{ code: 'source-threw', source: test.source ?? '', reason: String(error) }];
    this.#deliver(planned, this.#result({ status: 'errored', cause: 'data' }, problems.map(failureOfProblem)));
  }

  /** Begins a case; a promise where the next must wait for it. */
  #begin(planned: CaseOf, shared: Graph | undefined, scopes: readonly Open[]): Promise<void> | undefined {
    const { entry } = planned;
    const { skip, expired, held, known } = standing(planned.marks, this.#day, this.#options.asked?.(planned) ?? false);
    const at = planned.place && { place: planned.place };
    if (entry.problems) this.#deliver(planned, this.#result({ status: 'errored', cause: 'data' }, entry.problems.map(failureOfProblem)));
    else if (skip !== undefined) this.#deliver(planned, this.#result({ status: 'skipped', reason: skip }));
    else if (expired !== undefined)
      this.#deliver(
        planned,
        this.#result({ status: 'failed', cause: 'expired', reason: expired }, [{ cause: 'expired', message: `the day has come: ${expired}`, ...at }]),
      );
    else if (held !== undefined) this.#deliver(planned, this.#result({ status: 'held', reason: held }));
    else return this.#admit(planned, shared, scopes, known);
    return undefined;
  }

  #admit(planned: CaseOf, shared: Graph | undefined, scopes: readonly Open[], known: string | undefined): Promise<void> | undefined {
    const { inherited } = planned.test;
    const limit = entryTimeout(planned.entry) ?? inherited.timeout;
    const concurrency = this.#options.oneAtATime ? 1 : inherited.concurrency;
    if (concurrency === 1 && this.#active.size === 0) {
      const running = this.#runCase(planned, shared, scopes, known, limit);
      return running ? running.then(() => this.#breathe()) : this.#breathe();
    }
    return this.#admitAmong(concurrency, () => this.#runCase(planned, shared, scopes, known, limit));
  }

  /** Waits until as few cases are under way as this one and all of those allow. */
  async #admitAmong(concurrency: number, start: () => Promise<void> | undefined): Promise<void> {
    while (this.#active.size > 0 && this.#active.size >= Math.min(concurrency, ...this.#active.values())) await Promise.race(this.#active.keys());
    const running = start();
    if (!running) return this.#breathe();
    const tracked: Promise<void> = running.then(() => {
      this.#active.delete(tracked);
    });
    this.#active.set(tracked, concurrency);
    void this.#turn();
  }

  async #drain(): Promise<void> {
    while (this.#active.size > 0) await Promise.race(this.#active.keys());
  }

  /** Between cases: a turn of the event loop after each, but in a stream of trivial ones only now and then. */
  #breathe(): Promise<void> | undefined {
    if (!this.#streaming) return this.#turn();
    return now() - this.#lastTurn >= turnEvery ? this.#turn() : undefined;
  }

  get #streaming(): boolean {
    return !this.#options.careful && this.#streak.cases >= streamAfter && this.#streak.milliseconds < this.#streak.cases * trivialMilliseconds;
  }

  #turn(): Promise<void> {
    this.#turning ??= nextTurn().then(() => {
      this.#turning = undefined;
      this.#lastTurn = now();
      this.#flush();
    });
    return this.#turning;
  }

  #flush(): void {
    const ready = this.#undelivered;
    this.#undelivered = [];
    for (const { run, result } of ready) this.#listener.ended(run.planned, result, run);
    this.#listener.turn?.();
  }

  #deliver(planned: CaseOf, result: CaseResult): void {
    this.#listener.ended(planned, result);
  }

  /** Runs a case with its attempts; at once where nothing in it takes time. */
  #runCase(planned: CaseOf, shared: Graph | undefined, scopes: readonly Open[], known: string | undefined, limit: number): Promise<void> | undefined {
    const retries = planned.test.inherited.retries;
    const again = (attempt: number): Promise<void> | undefined => {
      const run = new CaseRun(planned, (problem) => this.#listener.told(problem));
      run.begun = now();
      const simple = shared?.order.length === 0 && shared.edges.length === 0;
      if (!this.#streaming) this.#listener.begun?.(run, simple ? 'body' : 'setup', simple ? limit : ordinaryLimit);
      else if (!this.#announced) {
        this.#announced = true;
        this.#listener.streaming?.(planned.test, limit);
      }
      const finish = (): Promise<void> | undefined => {
        const verdict = verdictOf(run, known);
        if ((verdict.status === 'failed' || verdict.status === 'errored') && attempt <= retries && !this.#over) return again(attempt + 1);
        this.#finish(run, verdict, attempt);
        return undefined;
      };
      if (!simple) return this.#withFixtures(run, shared, scopes, limit).then(finish);
      const body = this.#body(run, emptyValues, limit);
      const cleaned = body ? body.then(() => this.#cleanUp(run)) : this.#cleanUp(run);
      return cleaned ? cleaned.then(finish) : finish();
    };
    return again(1);
  }

  #finish(run: CaseRun, verdict: Verdict, attempts: number): void {
    run.ended = true;
    const end = now();
    this.#streak.cases++;
    this.#streak.milliseconds += end - run.begun;
    const result: CaseResult = {
      ...verdict,
      attempts,
      start: run.begun - this.#started,
      times: { setup: run.setup, body: run.body, teardown: run.teardown },
      checks: { passed: run.checksPassed, failed: run.checksFailed },
      failures: run.failures,
      steps: run.steps,
      output: run.output,
      attachments: run.attachments,
    };
    this.#undelivered.push({ run, result });
    void (this.#streaming || this.#turn());
  }

  /** What a case left behind broke. Costs the case, where its result has not gone out yet; else it is a problem of the run. */
  stray(run: CaseRun, error: unknown, what: 'throw' | 'rejection'): void {
    if (!run.ended) run.threw(error);
    else {
      const failure = failureOfThrow(error, 'throw', {});
      const pending = this.#undelivered.find((one) => one.run === run);
      if (pending) pending.result = { ...pending.result, status: 'failed', cause: 'throw', failures: [...pending.result.failures, failure] };
      else this.#listener.told({ code: 'after-the-end', what, id: run.planned.id, detail: failure.message, at: failure.place });
    }
  }

  /** The body, with its time limit. */
  #body(run: CaseRun, values: Readonly<Record<string, unknown>>, limit: number): Promise<void> | undefined {
    const { test } = run.planned.test;
    const begun = now();
    const over = (): void => {
      run.body = now() - begun;
      if (run.body > limit && !run.failures.some(({ cause }) => cause === 'timeout')) this.#overdue(run, limit);
    };
    let given: unknown;
    try {
      const hand = new CaseHand(run) as never;
      given = this.#options.bindContext ? this.#options.bindContext(run, () => test.body(hand, values)) : test.body(hand, values);
    } catch (error) {
      run.threw(error);
    }
    if (!isThenable(given)) {
      over();
      return undefined;
    }
    return within(this.#watch, given, limit, () => run.abort()).then(
      ({ overdue }) => {
        if (overdue) {
          this.#overdue(run, limit);
          if (this.#options.stopWhenStuck) this.#stuck = true;
        }
        over();
      },
      (error: unknown) => {
        run.threw(error);
        over();
      },
    );
  }

  #overdue(run: CaseRun, limit: number): void {
    run.fail({ cause: 'timeout', message: `ran past its time of ${limit} ms; ${reached(run)}`, step: run.stepPath });
  }

  /** What the body deferred, last in first out. */
  #cleanUp(run: CaseRun): Promise<void> | undefined {
    if (run.deferred.length === 0) return undefined;
    const begun = now();
    return (async () => {
      for (const act of [...run.deferred].reverse()) {
        try {
          await this.#hosting(run).limited('clean-up', ordinaryLimit, () => act());
        } catch (error) {
          run.threw(error, 'teardown');
        }
      }
      run.teardown += now() - begun;
    })();
  }

  async #withFixtures(run: CaseRun, shared: Graph | undefined, scopes: readonly Open[], limit: number): Promise<void> {
    const { planned } = run;
    const own = new Holder('case', planned.id);
    const hosting = this.#hosting(run);
    const holderOf = this.#holders(planned.test, scopes, own);
    const begun = now();
    let graph: Graph | undefined;
    let ready = false;
    try {
      graph = shared ?? this.#graphOfRow(planned);
      for (const node of graph.order) {
        const waiting = holderOf(node).acquire(node, holderOf, hosting);
        if (waiting) await waiting;
      }
      ready = true;
    } catch (error) {
      this.#setUpBroke(run, error);
    }
    run.setup = now() - begun;
    if (ready && graph) {
      if (!this.#streaming) this.#listener.begun?.(run, 'body', limit);
      await this.#body(run, valuesOf(graph.edges, holderOf, hosting), limit);
      await this.#cleanUp(run);
    }
    const failed = run.failures.length > 0;
    for (const node of graph?.order ?? []) holderOf(node).used(node, () => planned.id, failed);
    const ending = now();
    if (!own.isEmpty && !this.#streaming) this.#listener.begun?.(run, 'teardown', ordinaryLimit);
    for (const { fixture, error } of await own.close(hosting)) run.threw(error, 'teardown', fixture);
    run.teardown += now() - ending;
  }

  #graphOfRow(planned: CaseOf): Graph {
    const { test, inherited } = planned.test;
    const bindings = (test.options.bind as (row: object) => readonly unknown[])(planned.entry.row);
    return resolve(needsOf(planned.test), [...inherited.levels, ...levelsOf(bindings ?? [], `a row of test "${test.title}"`)], this.#nodes);
  }

  #setUpBroke(run: CaseRun, error: unknown): void {
    if (!(error instanceof SetUpFailed)) run.threw(error, 'setup');
    else if (error.again)
      run.fail({
        cause: 'setup',
        fixture: error.node.name,
        message: `fixture "${error.node.name}" had failed to set up; the first case that needed it tells why`,
      });
    else run.threw(error.reason, 'setup', error.node.name);
  }

  /** Where a node's instance belongs, for the cases of a test. */
  #holders(test: PlannedTest, scopes: readonly Open[], own: Holder): HolderOf {
    return (node) => {
      if (node.scope === 'case') return own;
      if (node.scope !== 'suite') return (scopes.find(({ holder }) => holder.scope === node.scope) ?? (scopes[0] as Open)).holder;
      const suites = scopes.filter(({ group }) => group?.kind === 'suite');
      const mentioned = suites.findLast(({ group }) => mentions(group as Group, node));
      return (mentioned ?? suites.at(-1) ?? scopes.find(({ group }) => group === fileGroup(test)) ?? (scopes[0] as Open)).holder;
    };
  }

  async #close(open: Open): Promise<void> {
    if (open.holder.isEmpty) return;
    const run: string[] = [];
    this.#listener.closing?.(open.title, ordinaryLimit);
    const errors = await open.holder.close(
      this.#hosting({ log: (parts) => run.push(parts.map((part) => (typeof part === 'string' ? part : show(part))).join(' ')), attach: () => undefined }),
    );
    for (const { fixture, error } of errors) this.#tearDownBroke(open, { fixture, error });
  }

  #tearDownBroke(open: Open, { fixture, error }: TearDownError): void {
    const failure = failureOfThrow(error, 'teardown', { fixture });
    this.#listener.tornDown?.(
      { id: `${open.holder.id}!${fixture}`, title: `tear-down of fixture "${fixture}" for ${open.title}` },
      this.#result({ status: 'errored', cause: 'teardown' }, [failure]),
    );
  }

  #hosting(run: Pick<CaseRun, 'log' | 'attach'>): Hosting {
    return {
      lane: this.#options.lane ?? 0,
      seed: this.#options.seed,
      log: (parts) => run.log(parts),
      attach: (name, content) => run.attach(name, content),
      told: (problem) => this.#listener.told(problem),
      limited: (name, milliseconds, act) => this.#limited(run, name, milliseconds, act),
    };
  }

  #limited(run: object, name: string, milliseconds: number, act: (signal: () => AbortSignal) => unknown): unknown {
    // Controllers are dear, and few set-ups look at their signal.
    let abort: AbortController | undefined;
    const begun = (): unknown => act(() => (abort ??= new AbortController()).signal);
    const given = run instanceof CaseRun && this.#options.bindContext ? this.#options.bindContext(run, begun) : begun();
    if (!isThenable(given)) return given;
    return within(this.#watch, given, milliseconds, () => abort?.abort(new Error(`the time of the ${name} is over`))).then(({ overdue, value }) => {
      if (!overdue) return value;
      if (this.#options.stopWhenStuck) this.#stuck = true;
      throw new Error(`the ${name} ran past its time of ${milliseconds} ms`);
    });
  }

  #result(verdict: Verdict, failures: readonly Failure[] = []): CaseResult {
    const start = now() - this.#started;
    return {
      ...verdict,
      attempts: 0,
      start,
      times: { setup: 0, body: 0, teardown: 0 },
      checks: { passed: 0, failed: 0 },
      failures,
      steps: [],
      output: [],
      attachments: [],
    };
  }
}

const entryTimeout = (entry: Entry): number | undefined => entry.marks?.timeout;

const failureOfProblem = (problem: Problem): Failure => ({ cause: 'data', message: wording(problem), place: problem.at });

function reached(run: CaseRun): string {
  const step = run.stepPath?.join(' › ');
  const checks = run.checksPassed + run.checksFailed;
  return `it had made ${checks === 0 ? 'no check' : checks === 1 ? 'one check' : `${checks} checks`}${step ? ` and was in step "${step}"` : ''}`;
}

const fileGroup = (test: PlannedTest): Group => {
  let group = test.parent;
  while (group.parent) group = group.parent;
  return group;
};

/** Whether a suite lists or binds a fixture, or anything beneath it. */
function mentions(group: Group, node: Node): boolean {
  const seen = (definition: Definition): boolean => group.mentions.has(definition);
  return seen(node.definition) || node.needs.some((edge) => mentions(group, edge.node));
}
