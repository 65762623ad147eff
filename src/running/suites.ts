import { setAmbientHost } from '../cases/ambient-host.ts';
import type { FileSource } from '../cases/row.ts';
import type { Problem } from '../problems/problem.ts';
import { ProblemError } from '../problems/problem-error.ts';
import { expandCases } from '../suites/expand.ts';
import { BUILT_IN_DEFAULTS, planFiles } from '../suites/plan.ts';
import type { Plan, PlannedCase } from '../suites/planned.ts';
import type { Child } from '../suites/suite.ts';
import type { CaseAttempt } from './case-attempt.ts';
import { buildThrowFailure } from './failures.ts';
import { fetchedFiles } from './fetched-files.ts';
import { wallClockNow } from './globals.ts';
import { listenForErrors } from './page-errors.ts';
import type { CaseResult, Status } from './result.ts';
import { statuses } from './result.ts';
import { runPlan } from './run.ts';

/** The events of a run, in order. `planned` comes first, `finished` last. */
export type RunEvent =
  | { readonly type: 'planned'; readonly tests: number; readonly warnings: readonly Problem[] }
  | { readonly type: 'started'; readonly case: PlannedCase }
  | { readonly type: 'ended'; readonly case: PlannedCase; readonly result: CaseResult }
  /** The teardown of a shared fixture failed: a result without a case. */
  | { readonly type: 'teardown-failed'; readonly id: string; readonly title: string; readonly result: CaseResult }
  /** A warning, which does not fail the run: an unused override. */
  | { readonly type: 'warning'; readonly problem: Problem }
  /** A problem of the run that belongs to no case. */
  | { readonly type: 'problem'; readonly problem: Problem }
  | { readonly type: 'finished'; readonly summary: RunSummary };

/** The number of cases by status. */
export interface RunSummary {
  readonly counts: Readonly<Record<Status, number>>;
  /** Whether the run succeeded. False after a failed or errored case, a failed shared teardown, or another problem. */
  readonly ok: boolean;
}

/** Where suites find their data files. */
export interface DataFileLocation {
  /** Access to data files. Default: over HTTP. */
  readonly files?: FileSource | undefined;
  /** The folder of relative data files. Default: the folder of the page. */
  readonly base?: URL | undefined;
}

/** The folder of the page or the worker. */
const pageFolder = (): URL | undefined => {
  const { location } = globalThis as { location?: { href: string } };
  return location && new URL('.', location.href);
};

const withDefaults = <T extends DataFileLocation>(options: T): T & { files: FileSource; base: URL | undefined } => ({
  ...options,
  files: options.files ?? fetchedFiles,
  base: options.base ?? pageFolder(),
});

async function planChildren(
  suites: readonly Child[],
  { files, base }: ReturnType<typeof withDefaults>,
  concurrency = BUILT_IN_DEFAULTS.concurrency,
): Promise<Plan> {
  const plan = await planFiles([{ file: 'suites', url: base, exports: { suites }, folders: [] }], { files }, { ...BUILT_IN_DEFAULTS, concurrency });
  if (plan.problems.length) throw new ProblemError(plan.problems);
  return plan;
}

/**
 * List all cases without running them. Throws a ProblemError for plan errors. The cases do not depend on the seed.
 *
 * ```ts
 * for await (const { id, title } of planSuites([dues])) console.log(id, title);
 * ```
 */
export async function* planSuites(
  suites: readonly Child[],
  options: DataFileLocation & { readonly seed?: number | undefined } = {},
): AsyncGenerator<PlannedCase> {
  const folder = withDefaults(options);
  const plan = await planChildren(suites, folder);
  for (const test of plan.tests) for await (const chunk of expandCases(test, folder)) yield* chunk;
}

/** Options of a run. */
export interface RunOptions extends DataFileLocation {
  /** The seed of random values. Default: random. */
  readonly seed?: number | undefined;
  /** How many cases of a test can run at a time, if the test does not set it. Default: 1. */
  readonly concurrency?: number | undefined;
  /** Ends the run: running cases are aborted, and everything is torn down. */
  readonly signal?: AbortSignal | undefined;
  /** Selects cases. Default: all. */
  readonly filter?: ((planned: PlannedCase) => boolean) | undefined;
  /** Also run cases marked `onRequest`. Default: false. */
  readonly onRequest?: boolean | undefined;
  /** Called with each event. */
  onEvent?(event: RunEvent): void;
}

/**
 * Run suites in this process or browser page. Throws a ProblemError for plan errors, before anything runs.
 *
 * ```ts
 * const { ok, counts } = await runSuites([dues], { onEvent: (event) => event.type === 'ended' && show(event.case.title, event.result.status) });
 * ```
 */
export async function runSuites(suites: readonly Child[], options: RunOptions = {}): Promise<RunSummary> {
  const { seed = wallClockNow() % 1_000_000, concurrency, signal, filter: only, onRequest = false, onEvent } = options;
  const folder = withDefaults(options);
  const { files } = folder;
  setAmbientHost(folder);
  const plan = await planChildren(suites, folder, concurrency);
  onEvent?.({ type: 'planned', tests: plan.tests.length, warnings: plan.warnings });
  const counts = Object.fromEntries(statuses.map((status) => [status, 0])) as Record<Status, number>;
  let problems = 0;
  const reportProblem = (problem: Problem): void => {
    problems++;
    onEvent?.({ type: 'problem', problem });
  };
  const begun = new WeakSet<object>();
  /** The last case that started. In a page, uncaught errors are attributed to it. */
  let last: CaseAttempt | undefined;
  const running = runPlan(
    plan,
    { seed, signal, host: { files }, select: only, isRequested: () => onRequest, announcesEveryCase: true },
    {
      announce(activity) {
        if (!('run' in activity)) return;
        const { run, kind } = activity;
        if (kind !== 'teardown' && !begun.has(run)) onEvent?.({ type: 'started', case: run.planned });
        begun.add(run);
        last = run;
      },
      ended(planned, result) {
        counts[result.status]++;
        onEvent?.({ type: 'ended', case: planned, result });
      },
      teardownFailed({ id, title }, result) {
        problems++;
        onEvent?.({ type: 'teardown-failed', id, title, result });
      },
      reportProblem,
    },
  );
  const stopListening = listenForErrors((error, kind) => {
    if (last) running.handleLateError(last, error, kind);
    else reportProblem({ code: `unhandled-${kind}`, detail: buildThrowFailure(error, 'throw', {}).message });
  });
  const onAbort = (): void => running.interrupt(false);
  signal?.addEventListener('abort', onAbort);
  const { overrideUses, warnings, notRun } = await running.done;
  signal?.removeEventListener('abort', onAbort);
  stopListening();
  counts['not-run'] = notRun.cases;
  for (const problem of warnings) onEvent?.({ type: 'warning', problem });
  for (const { unusedReason } of overrideUses) if (unusedReason) onEvent?.({ type: 'warning', problem: unusedReason });
  const summary: RunSummary = { counts, ok: counts.failed + counts.errored + problems === 0 };
  onEvent?.({ type: 'finished', summary });
  return summary;
}
