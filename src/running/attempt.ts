import { isThenable } from '../checks/checks.ts';
import type { Node } from '../fixtures/graph.ts';
import { Holder, type Hosting, ordinaryLimit, type Span, valuesOf } from '../fixtures/instances.ts';
import type { Problem } from '../problems/problem.ts';
import { CaseHand, type CaseRun } from './case-run.ts';
import { now } from './originals.ts';
import { holders, type Open, type Placed } from './scopes.ts';
import { type Watch, within } from './watch.ts';

/** What an attempt needs of the run around it. */
export interface Around {
  readonly seed: number;
  readonly lane: number;
  readonly watch: Watch;
  /** Binds what a case starts to that case. */
  readonly bindContext: (<T>(run: CaseRun, act: () => T) => T) | undefined;
  told(problem: Problem): void;
  /** What belongs to no case. */
  loose(parts: readonly unknown[]): void;
  /** Something is past its time and its grace, and goes on. */
  stuck(): void;
  /** The fixtures of the run, for those of a lane. */
  fromRun(node: Node, run: CaseRun, placed: Placed): Promise<unknown>;
  /** Told of set-ups and tear-downs. */
  readonly span: ((span: Span) => void) | undefined;
  phase(run: CaseRun, phase: 'setup' | 'body' | 'teardown', limit: number): void;
}

const noValues: Readonly<Record<string, unknown>> = Object.freeze({});

/** Runs a case once; a promise where something in it takes time. `placed` comes late where a row binds: it may throw. */
export function attempt(run: CaseRun, placed: Placed | (() => Placed), scopes: readonly Open[], limit: number, around: Around): Promise<void> | undefined {
  if (typeof placed === 'function' || placed.graph.edges.length > 0) return withFixtures(run, placed, scopes, limit, around);
  around.phase(run, 'body', limit);
  const body = runBody(run, noValues, limit, around);
  return body ? body.then(() => cleanUp(run, around)) : cleanUp(run, around);
}

async function withFixtures(run: CaseRun, given: Placed | (() => Placed), scopes: readonly Open[], limit: number, around: Around): Promise<void> {
  const { planned } = run;
  const own = new Holder('case', planned.id, scopes.length);
  let placed: Placed | undefined;
  const hosting: Hosting = { ...hostingFor(run, around), fromRun: (node) => around.fromRun(node, run, placed as Placed) };
  const begun = now();
  around.phase(run, 'setup', ordinaryLimit);
  let ready = false;
  try {
    placed = typeof given === 'function' ? given() : given;
    const holderOf = holders(placed, scopes, own);
    for (const node of placed.order) {
      const waiting = holderOf(node).acquire(node, holderOf, hosting);
      if (waiting) await waiting;
    }
    ready = true;
  } catch (error) {
    run.threw(error, 'setup');
  }
  run.setup = now() - begun;
  if (placed && ready) {
    around.phase(run, 'body', limit);
    const holderOf = holders(placed, scopes, own);
    await runBody(run, valuesOf(placed.graph.edges, holderOf, hosting), limit, around);
    await cleanUp(run, around);
  }
  const failed = run.failures.length > 0;
  if (placed) for (const node of placed.depths.keys()) holders(placed, scopes, own)(node).used(node, planned, failed);
  if (own.isEmpty) return;
  const ending = now();
  around.phase(run, 'teardown', ordinaryLimit);
  for (const { fixture, error } of await own.close(hosting)) run.threw(error, 'teardown', fixture);
  run.teardown += now() - ending;
}

/** The body, with its time limit. */
function runBody(run: CaseRun, values: Readonly<Record<string, unknown>>, limit: number, around: Around): Promise<void> | undefined {
  const { test } = run.planned.test;
  const begun = now();
  const over = (): void => {
    run.body = now() - begun;
    if (run.body > limit && !run.failures.some(({ cause }) => cause === 'timeout')) overdue(run, limit);
  };
  let given: unknown;
  try {
    const hand = new CaseHand(run) as never;
    given = around.bindContext ? around.bindContext(run, () => test.body(hand, values)) : test.body(hand, values);
  } catch (error) {
    run.threw(error);
  }
  if (!isThenable(given)) {
    over();
    return undefined;
  }
  return within(around.watch, given, limit, () => run.abort()).then(
    (outcome) => {
      if (outcome.overdue) {
        overdue(run, limit);
        around.stuck();
      }
      over();
    },
    (error: unknown) => {
      run.threw(error);
      over();
    },
  );
}

function overdue(run: CaseRun, limit: number): void {
  const step = run.stepPath?.join(' › ');
  const checks = run.checksPassed + run.checksFailed;
  const made = checks === 0 ? 'no check' : checks === 1 ? 'one check' : `${checks} checks`;
  run.fail({
    cause: 'timeout',
    message: `ran past its time of ${limit} ms; it had made ${made}${step ? ` and was in step "${step}"` : ''}`,
    step: run.stepPath,
  });
}

/** What the body deferred, last in first out. */
function cleanUp(run: CaseRun, around: Around): Promise<void> | undefined {
  return run.deferred.length === 0 ? undefined : runDeferred(run, around);
}

async function runDeferred(run: CaseRun, around: Around): Promise<void> {
  const begun = now();
  const hosting = hostingFor(run, around);
  for (const act of [...run.deferred].reverse()) {
    try {
      await hosting.limited('clean-up', ordinaryLimit, act);
    } catch (error) {
      run.threw(error, 'teardown');
    }
  }
  run.teardown += now() - begun;
}

/** What fixtures are given while they are set up or torn down for a case, or for nobody in particular. */
export function hostingFor(run: Pick<CaseRun, 'log' | 'attach'>, around: Around): Hosting {
  const bind =
    around.bindContext && 'planned' in run
      ? (act: () => unknown): unknown => around.bindContext?.(run as CaseRun, act)
      : (act: () => unknown): unknown => act();
  return {
    lane: around.lane,
    seed: around.seed,
    log: (parts) => run.log(parts),
    loose: (parts) => around.loose(parts),
    attach: (name, content) => run.attach(name, content),
    told: (problem) => around.told(problem),
    now,
    ...(around.span && { span: around.span }),
    limited(name, milliseconds, act) {
      // Controllers are dear, and few set-ups look at their signal.
      let abort: AbortController | undefined;
      const signal = (): AbortSignal => {
        abort ??= new AbortController();
        return abort.signal;
      };
      const given = bind(() => act(signal));
      if (!isThenable(given)) return given;
      return within(around.watch, given, milliseconds, () => abort?.abort(new Error(`the time of the ${name} is over`))).then((outcome) => {
        if (!outcome.overdue) return outcome.value;
        around.stuck();
        throw new Error(`the ${name} ran past its time of ${milliseconds} ms`);
      });
    },
  };
}
