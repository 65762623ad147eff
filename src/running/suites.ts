import type { FileSource } from '../cases/row.ts';
import type { Problem } from '../problems/problem.ts';
import { ProblemError } from '../problems/problem-error.ts';
import { casesOf } from '../suites/expand.ts';
import { ordinaryDefaults, planFiles } from '../suites/plan.ts';
import type { Plan, PlannedCase } from '../suites/planned.ts';
import type { Child } from '../suites/suite.ts';
import { fetchedFiles } from './fetched-files.ts';
import { epoch } from './originals.ts';
import type { CaseResult, Status } from './result.ts';
import { statuses } from './result.ts';
import { runPlan } from './run.ts';

/** What happens during a run, in order; `planned` comes first and `finished` last. */
export type RunEvent =
  | { readonly type: 'planned'; readonly tests: number; readonly warnings: readonly Problem[] }
  | { readonly type: 'started'; readonly case: PlannedCase }
  | { readonly type: 'ended'; readonly case: PlannedCase; readonly result: CaseResult }
  /** A shared fixture's tear-down failed: a result without a case. */
  | { readonly type: 'teardown-failed'; readonly id: string; readonly title: string; readonly result: CaseResult }
  /** What is odd and fails nothing: a binding without effect. */
  | { readonly type: 'warning'; readonly problem: Problem }
  /** A problem of the run that no case can be charged with. */
  | { readonly type: 'problem'; readonly problem: Problem }
  | { readonly type: 'finished'; readonly summary: RunSummary };

/** What a run came to: how many cases have each status; unrun are those that it was aborted before. */
export interface RunSummary {
  readonly counts: Readonly<Record<Status, number>>;
  /** Nothing failed, nothing errored, and no problem was told. */
  readonly ok: boolean;
}

/** Where suites find their data files. */
export interface DataFileLocation {
  /** How data files are read: over HTTP, unless said. */
  readonly files?: FileSource | undefined;
  /** The folder that relative data files start from: that of the page, unless said. */
  readonly base?: URL | undefined;
}

/** A page's own, or a worker's. */
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
  concurrency = ordinaryDefaults.concurrency,
): Promise<Plan> {
  const plan = await planFiles([{ file: 'suites', url: base, exports: { suites }, folders: [] }], { files }, { ...ordinaryDefaults, concurrency });
  if (plan.problems.length) throw new ProblemError(plan.problems);
  return plan;
}

/** All cases, expanded and checked, none of them run. Throws a ProblemError with all that is wrong. They are the same whatever the seed. */
export async function* planSuites(
  suites: readonly Child[],
  options: DataFileLocation & { readonly seed?: number | undefined } = {},
): AsyncGenerator<PlannedCase> {
  const folder = withDefaults(options);
  const plan = await planChildren(suites, folder);
  for (const test of plan.tests) for await (const chunk of casesOf(test, folder)) yield* chunk;
}

/** How suites are run. */
export interface RunOptions extends DataFileLocation {
  /** Of random values; taken from the clock unless said. */
  readonly seed?: number | undefined;
  /** How many cases may be under way at once where nothing else is said; 1 unless said. */
  readonly concurrency?: number | undefined;
  /** Ends the run: what is under way is told to stop, and torn down. */
  readonly signal?: AbortSignal | undefined;
  /** Chooses cases; all unless said. */
  readonly filter?: ((planned: PlannedCase) => boolean) | undefined;
  /** Cases that run on request only are run, too. */
  readonly onRequest?: boolean | undefined;
  /** Told of each event as it happens. */
  onEvent?(event: RunEvent): void;
}

/**
 * Runs suites in this process or page: what a lane does, and what a browser page calls. Throws a ProblemError where the plan has
 * errors; then nothing has run.
 */
export async function runSuites(suites: readonly Child[], options: RunOptions = {}): Promise<RunSummary> {
  const { seed = epoch() % 1_000_000, concurrency, signal, filter: only, onRequest = false, onEvent } = options;
  const folder = withDefaults(options);
  const { files } = folder;
  const plan = await planChildren(suites, folder, concurrency);
  onEvent?.({ type: 'planned', tests: plan.tests.length, warnings: plan.warnings });
  const counts = Object.fromEntries(statuses.map((status) => [status, 0])) as Record<Status, number>;
  let told = 0;
  const begun = new WeakSet<object>();
  const {
    bindings,
    warnings,
    notRun: unrun,
  } = await runPlan(
    plan,
    { seed, signal, surroundings: { files }, select: only, asked: () => onRequest, careful: true },
    {
      begun(run, phase) {
        if (phase !== 'teardown' && !begun.has(run)) onEvent?.({ type: 'started', case: run.planned });
        begun.add(run);
      },
      ended(planned, result) {
        counts[result.status]++;
        onEvent?.({ type: 'ended', case: planned, result });
      },
      tornDown({ id, title }, result) {
        counts[result.status]++;
        onEvent?.({ type: 'teardown-failed', id, title, result });
      },
      told(problem) {
        told++;
        onEvent?.({ type: 'problem', problem });
      },
    },
  ).done;
  counts['not-run'] = unrun.cases;
  for (const problem of warnings) onEvent?.({ type: 'warning', problem });
  for (const { idle } of bindings) if (idle) onEvent?.({ type: 'warning', problem: idle });
  const summary: RunSummary = { counts, ok: counts.failed + counts.errored + told === 0 };
  onEvent?.({ type: 'finished', summary });
  return summary;
}
