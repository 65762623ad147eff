import { type CaseResult, type PlannedCase, ProblemError, type RunSummary, runSuites, type Status, type WhereItFails, whereItFails } from 'red-lattice';
import { folder, suites } from './suites.ts';

export interface Ended {
  readonly planned: PlannedCase;
  readonly result: CaseResult;
}

/** The results of one test so far. */
export interface TestSoFar {
  /** The titles of its suites and its own title. */
  readonly path: readonly string[];
  readonly counts: Partial<Record<Status, number>>;
  readonly ended: Ended[];
  readonly failing: Ended[];
  underWay: number;
}

export interface RunSoFar {
  readonly tests: Map<string, TestSoFar>;
  readonly problems: string[];
  planned: number | undefined;
  summary: RunSummary | undefined;
}

export interface Wanted {
  /** Also runs cases that run only on request: the draft of the tariff. */
  readonly onRequest: boolean;
  readonly signal: AbortSignal;
}

const isFailing = ({ status }: CaseResult): boolean => status === 'failed' || status === 'errored';

/** Runs the suites in this page. Calls `changed` after each event with the same state. */
export async function run({ onRequest, signal }: Wanted, changed: (run: RunSoFar) => void): Promise<void> {
  const run: RunSoFar = { tests: new Map(), problems: [], planned: undefined, summary: undefined };
  const testOf = ({ path }: PlannedCase): TestSoFar => {
    const key = path.join('\n');
    const known = run.tests.get(key) ?? { path, counts: {}, ended: [], failing: [], underWay: 0 };
    run.tests.set(key, known);
    return known;
  };
  try {
    await runSuites(suites, {
      base: folder,
      signal,
      onRequest,
      onEvent(event) {
        if (event.type === 'planned') run.planned = event.tests;
        else if (event.type === 'started') testOf(event.case).underWay++;
        else if (event.type === 'ended') {
          const { case: planned, result } = event;
          const test = testOf(planned);
          test.underWay = 0;
          test.counts[result.status] = (test.counts[result.status] ?? 0) + 1;
          test.ended.push({ planned, result });
          if (isFailing(result)) test.failing.push({ planned, result });
        } else if (event.type === 'teardown-failed') run.problems.push(...event.result.failures.map(({ message }) => `${event.title}: ${message}`));
        else if (event.type === 'finished') run.summary = event.summary;
        changed(run);
      },
    });
  } catch (error) {
    run.problems.push(...(error instanceof ProblemError ? error.message.split('\n') : [String(error)]));
    changed(run);
  }
}

export const causesOf = (test: TestSoFar): WhereItFails =>
  whereItFails(test.ended.map(({ planned, result }) => ({ row: planned.row, failed: isFailing(result) })));
