import { isThenable } from '../checks/thenable.ts';
import type { Node } from '../fixtures/graph.ts';
import { DEFAULT_FIXTURE_TIMEOUT_MS, type FixtureRuntime, type LimitedPhase, type Span } from '../fixtures/instance.ts';
import { collectValues, ScopeInstance, type ScopeResolver } from '../fixtures/scope-instance.ts';
import type { Problem } from '../problems/problem.ts';
import { acceptBuiltIns, restoreBuiltIns } from './builtins.ts';
import { type CaseAttempt, CaseContextImpl } from './case-attempt.ts';
import { type DeadlineTimer, runWithin } from './deadlines.ts';
import { after, now } from './globals.ts';
import { buildScopeResolver, type OpenScope, type PlacedGraph } from './scopes.ts';

/** What an attempt needs from the run. */
export interface AttemptContext {
  readonly seed: number;
  readonly lane: number;
  readonly watch: DeadlineTimer;
  /** Runs `callback` in the asynchronous context of a case. */
  readonly bindContext: (<T>(run: CaseAttempt, callback: () => T) => T) | undefined;
  reportProblem(problem: Problem): void;
  warnOnce(about: object, buildProblem: () => Problem): void;
  /** Prints what belongs to no case. */
  logUnowned(parts: readonly unknown[]): void;
  /** Fetches the value of a run-scoped fixture, for a fixture of a lane. */
  fetchRunFixture(node: Node, run: CaseAttempt, placed: PlacedGraph): Promise<unknown>;
  /** Called after each setup and teardown. */
  readonly onSpan: ((span: Span) => void) | undefined;
  phase(run: CaseAttempt, phase: 'setup' | 'body' | 'teardown', limit: number): void;
}

/** The next setup of a case is announced after this time, so that each setup has the whole limit. */
const ANNOUNCE_AFTER_MS = 500;

const noValues: Readonly<Record<string, unknown>> = Object.freeze({});

/**
 * Runs a case once. Returns a promise if something in it takes time. `placed` can be a function, since resolving the overrides of a row can
 * throw.
 */
export function runAttempt(
  run: CaseAttempt,
  placed: PlacedGraph | (() => PlacedGraph),
  scopes: readonly OpenScope[],
  limit: number,
  context: AttemptContext,
): Promise<void> | undefined {
  if (typeof placed === 'function' || placed.graph.edges.length > 0) return withFixtures(run, placed, scopes, limit, context);
  context.phase(run, 'body', limit);
  const body = runBody(run, noValues, limit, context, run.begun);
  return body ? after(body, () => runDeferred(run, context)) : runDeferred(run, context);
}

async function withFixtures(
  run: CaseAttempt,
  given: PlacedGraph | (() => PlacedGraph),
  scopes: readonly OpenScope[],
  limit: number,
  context: AttemptContext,
): Promise<void> {
  const { planned } = run;
  const own = new ScopeInstance('case', planned, scopes.length);
  const runtime = new CaseFixtureHost(run, context);
  const begun = now();
  context.phase(run, 'setup', context.watch.limit(DEFAULT_FIXTURE_TIMEOUT_MS));
  let ready: { placed: PlacedGraph; findScope: ScopeResolver } | undefined;
  try {
    const placed = typeof given === 'function' ? given() : given;
    const findScope = buildScopeResolver(placed, scopes, own);
    runtime.placed = placed;
    let announced = begun;
    let limit = DEFAULT_FIXTURE_TIMEOUT_MS;
    for (const node of placed.order) {
      // Each setup has its own limit, which also ends code that blocks.
      const own = node.timeout ?? DEFAULT_FIXTURE_TIMEOUT_MS;
      if (own !== limit || now() - announced >= ANNOUNCE_AFTER_MS) {
        context.phase(run, 'setup', context.watch.limit(own));
        announced = now();
        limit = own;
      }
      const waiting = findScope(node).acquire(node, findScope, runtime);
      if (waiting) await waiting;
    }
    acceptBuiltIns();
    ready = { placed, findScope };
  } catch (error) {
    run.recordThrow(error, 'setup');
  }
  const setupEnd = now();
  run.setup = setupEnd - begun;
  if (ready) {
    context.phase(run, 'body', limit);
    const body = runBody(run, collectValues(ready.placed.graph.edges, ready.findScope, runtime), limit, context);
    if (body) await body;
    const cleaning = runDeferred(run, context);
    if (cleaning) await cleaning;
  }
  const failed = run.failures.length > 0;
  for (const [node, depth] of runtime.placed?.depths ?? []) scopes[depth]?.scopeInstance.recordUse(node, [planned], failed);
  if (own.isEmpty) return;
  own.recordUseOfAll(planned, failed);
  const ending = now();
  context.phase(run, 'teardown', context.watch.limit(own.longestLimit));
  const closing = own.close(runtime);
  for (const { fixture, error } of isThenable(closing) ? await closing : closing) run.recordThrow(error, 'teardown', fixture);
  run.teardown += now() - ending;
  acceptBuiltIns();
}

/** Runs the body with its time limit. */
function runBody(
  run: CaseAttempt,
  values: Readonly<Record<string, unknown>>,
  limit: number,
  context: AttemptContext,
  begun = now(),
): Promise<void> | undefined {
  try {
    const given = context.bindContext ? bodyInContext(context.bindContext, run, values) : run.planned.test.test.body(new CaseContextImpl(run), values);
    if (isThenable(given)) return awaitBody(given, run, limit, context, begun);
    restoreBuiltIns();
    run.returned();
  } catch (error) {
    restoreBuiltIns();
    run.recordThrow(error);
  }
  measure(run, limit, begun);
  return undefined;
}

const bodyInContext = (bindContext: NonNullable<AttemptContext['bindContext']>, run: CaseAttempt, values: Readonly<Record<string, unknown>>): unknown =>
  bindContext(run, () => run.planned.test.test.body(new CaseContextImpl(run), values));

async function awaitBody(given: PromiseLike<unknown>, run: CaseAttempt, limit: number, context: AttemptContext, begun: number): Promise<void> {
  try {
    const { end } = await runWithin(context.watch, given, {
      milliseconds: limit,
      abort: (interrupted) => run.abort(interrupted),
      isInterruptible: true,
      settled: restoreBuiltIns,
    });
    if (end === 'overdue') {
      failWithTimeout(run, limit);
      context.watch.reportStuck();
    } else if (end === 'settled') run.returned();
  } catch (error) {
    run.recordThrow(error);
  }
  measure(run, limit, begun);
}

function measure(run: CaseAttempt, limit: number, begun: number): void {
  run.body = now() - begun;
  if (run.body > limit && !run.failures.some(({ cause }) => cause === 'timeout')) failWithTimeout(run, limit);
}

function failWithTimeout(run: CaseAttempt, limit: number): void {
  const step = run.stepPath?.join(' › ');
  const checks = run.checksPassed + run.checksFailed;
  const made = checks === 0 ? 'no checks' : checks === 1 ? '1 check' : `${checks} checks`;
  run.fail({
    cause: 'timeout',
    message: `exceeded its time limit of ${limit} ms after ${made}${step ? `, in step "${step}"` : ''}`,
    step: run.stepPath,
  });
}

/** Runs what the body deferred, last in first out. */
function runDeferred(run: CaseAttempt, context: AttemptContext): Promise<void> | undefined {
  return run.deferred.length === 0 ? undefined : runAllDeferred(run, context);
}

async function runAllDeferred(run: CaseAttempt, context: AttemptContext): Promise<void> {
  const begun = now();
  const runtime = new CaseFixtureHost(run, context);
  for (const callback of [...run.deferred].reverse()) {
    try {
      await runtime.runWithDeadline('cleanup', run.planned.title, DEFAULT_FIXTURE_TIMEOUT_MS, callback);
    } catch (error) {
      run.recordThrow(error, 'teardown');
    }
  }
  run.teardown += now() - begun;
}

type OutputSink = Pick<CaseAttempt, 'log' | 'attach'>;

/** The host of fixtures that are set up or torn down for no particular case. */
export class SharedFixtureHost implements FixtureRuntime {
  readonly context: AttemptContext;
  readonly #sink: OutputSink;
  readonly onSpan: FixtureRuntime['onSpan'];

  constructor(sink: OutputSink, context: AttemptContext) {
    this.#sink = sink;
    this.context = context;
    this.onSpan = context.onSpan;
  }

  get lane(): number {
    return this.context.lane;
  }
  get seed(): number {
    return this.context.seed;
  }
  now(): number {
    return now();
  }
  log(parts: readonly unknown[]): void {
    this.#sink.log(parts);
  }
  logUnowned(parts: readonly unknown[]): void {
    this.context.logUnowned(parts);
  }
  attach(name: string, content: string | Uint8Array | object): void {
    this.#sink.attach(name, content);
  }
  reportProblem(problem: Problem): void {
    this.context.reportProblem(problem);
  }
  warnOnce(about: object, buildProblem: () => Problem): void {
    this.context.warnOnce(about, buildProblem);
  }

  runWithDeadline(phase: LimitedPhase, name: string, milliseconds: number, callback: (signal: () => AbortSignal) => unknown): unknown {
    // Controllers are expensive, and few setups use their signal.
    let abort: AbortController | undefined;
    // The coordinator ends a lane whose code blocks for longer than the ordinary limit.
    const isMeasured = milliseconds < DEFAULT_FIXTURE_TIMEOUT_MS;
    const begun = isMeasured ? now() : 0;
    const given = this.bound(() =>
      callback(() => {
        abort ??= new AbortController();
        return abort.signal;
      }),
    );
    const whole = (): string => `${phase} of ${phase === 'cleanup' ? 'case' : 'fixture'} "${name}"`;
    const exceeded = (): Error => new Error(`the ${whole()} exceeded its time limit of ${milliseconds} ms`);
    if (!isThenable(given)) {
      if (isMeasured && now() - begun > this.context.watch.limit(milliseconds)) throw exceeded();
      return given;
    }
    const limited = runWithin(this.context.watch, given, {
      milliseconds: this.context.watch.limit(milliseconds),
      abort: (interrupted) => abort?.abort(new Error(interrupted ? 'the run was interrupted' : `the time limit of the ${whole()} is over`)),
      isInterruptible: phase === 'setup',
      settled: acceptBuiltIns,
    });
    return after(limited, ({ end, value }) => {
      if (end === 'settled') return value;
      if (end === 'interrupted') throw new Error(`the ${whole()} was interrupted`);
      this.context.watch.reportStuck();
      throw exceeded();
    });
  }

  protected bound(callback: () => unknown): unknown {
    return callback();
  }
}

/** The host of one case's fixtures: what they start belongs to the case. */
class CaseFixtureHost extends SharedFixtureHost {
  readonly #run: CaseAttempt;
  placed: PlacedGraph | undefined;

  constructor(run: CaseAttempt, context: AttemptContext) {
    super(run, context);
    this.#run = run;
  }

  fetchRunFixture(node: Node): Promise<unknown> {
    return this.context.fetchRunFixture(node, this.#run, this.placed as PlacedGraph);
  }

  protected override bound(callback: () => unknown): unknown {
    return this.context.bindContext ? this.context.bindContext(this.#run, callback) : callback();
  }
}
