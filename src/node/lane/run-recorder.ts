import type { Span } from '../../fixtures/instance.ts';
import type { Problem } from '../../problems/problem.ts';
import type { TestHeader } from '../../results/recorded-result.ts';
import type { CaseAttempt } from '../../running/case-attempt.ts';
import type { CaseResult } from '../../running/result.ts';
import type { Activity, RunListener } from '../../running/run-options.ts';
import type { PlannedCaseImpl, PlannedTest } from '../../suites/planned.ts';
import { TestsOnLine } from '../../suites/tests-on-line.ts';
import type { LaneRecord } from './lane-record.ts';
import { LeakCounter } from './leak-finder.ts';
import { buildCaseName, buildHeader } from './names.ts';

interface RecordedTest {
  readonly header: TestHeader;
  /** The first case that was seen, which shows the columns and fixtures of the test. */
  first: PlannedCaseImpl | undefined;
  hasDetails: boolean;
}

/** Records the events of a run, and counts what cases leave open. */
export class RunRecorder implements RunListener {
  /** The cases that are running. */
  readonly #runningCases: Set<CaseAttempt>;
  readonly #record: LaneRecord;
  readonly #tests = new Map<PlannedTest, RecordedTest>();
  readonly #lines = new TestsOnLine();
  readonly #leaks = new LeakCounter();
  /** When the lane started, on the runner's clock. */
  readonly #started: number;
  #isStreaming = false;

  constructor(record: LaneRecord, runningCases: Set<CaseAttempt>, started: number) {
    this.#record = record;
    this.#runningCases = runningCases;
    this.#started = started;
  }

  announce(activity: Activity): void {
    const { limit } = activity;
    switch (activity.kind) {
      case 'stream':
        this.#isStreaming = true;
        this.#writeHeader(activity.test);
        this.#record.put({ type: 'streaming', test: activity.test.index, limit }, true);
        return;
      case 'rows': {
        const { invalid } = activity;
        this.#record.put({ type: 'activity', activity: { kind: 'rows', name: invalid.test.id, limit, invalid: buildCaseName(invalid) } }, true);
        return;
      }
      case 'shared-teardown':
        this.#record.put({ type: 'activity', activity: { kind: 'teardown', name: activity.name, limit } }, true);
        return;
      default:
        this.#announceCase(activity.run, activity.kind, limit);
    }
  }

  #announceCase(run: CaseAttempt, kind: 'setup' | 'body' | 'teardown', limit: number): void {
    this.#isStreaming = false;
    if (kind !== 'teardown') this.#writeHeader(run.planned.test, run.planned);
    if (!this.#runningCases.has(run)) {
      // The earlier attempt of the same case has ended.
      for (const other of this.#runningCases) if (other.planned === run.planned) this.#runningCases.delete(other);
      this.#runningCases.add(run);
      this.#record.put({ type: 'started', name: buildCaseName(run.planned), attempt: run.attempt, start: run.begun - this.#started });
    }
    this.#record.put({ type: 'activity', activity: { kind, name: run.planned.id, limit } }, true);
  }

  passed(run: CaseAttempt, start: number): void {
    const { planned } = run;
    // A case that was announced before a stream can end in it.
    if (this.#runningCases.size > 0) this.#runningCases.delete(run);
    if (!this.#isStreaming) this.#sampleLeaks(planned);
    this.#record.passed(run, start, this.#writeHeader(planned.test, planned));
  }

  ended(planned: PlannedCaseImpl, result: CaseResult, run?: CaseAttempt): void {
    this.#writeHeader(planned.test, planned);
    if (run) this.#runningCases.delete(run);
    if (run && !this.#isStreaming) this.#sampleLeaks(planned);
    if (result.failures.length > 0) this.#writeDetails(planned.test, true);
    this.#record.ended(planned, result);
  }

  interrupted(run: CaseAttempt): void {
    this.#runningCases.delete(run);
  }

  testEnded(test: PlannedTest): void {
    if (this.#tests.has(test)) this.#record.put({ type: 'test-ended', test: test.index });
  }

  teardownFailed({ id, title }: { id: string; title: string }, result: CaseResult): void {
    this.#record.put({ type: 'teardown-failed', id, title, result }, true);
  }

  span(span: Span): void {
    if (span.scope !== 'case')
      this.#leaks.sample({ id: span.owner, title: `fixture "${span.fixture}"` }, `${span.fixture} ${span.owner}`, span.kind === 'teardown');
    this.#record.put({ type: 'span', span });
  }

  writeUnowned(text: string): void {
    this.#record.writeUnowned(text);
  }

  reportProblem(problem: Problem): void {
    this.#record.writeProblem(problem);
  }

  flush(): void {
    this.#record.flush();
  }

  /** Records the details of tests that did not fail, which takes time. Called when no case is waiting any more. */
  writeTestDetails(): void {
    for (const test of this.#tests.keys()) this.#writeDetails(test, false);
  }

  /** Records the details of a test once. Those of a failing test are needed with its failure, even if the lane ends early. */
  #writeDetails(test: PlannedTest, isFailing: boolean): void {
    const recorded = this.#tests.get(test);
    if (!recorded?.first || recorded.hasDetails) return;
    recorded.hasDetails = true;
    this.#record.writeTestDetails(recorded.header, recorded.first, isFailing ? this.#lines.count(test) : undefined);
  }

  /** The resources that are still open, with the cases and fixtures that opened them. */
  countLeaks(): LeakCounter['leaks'] {
    this.#leaks.sample(undefined);
    return this.#leaks.leaks;
  }

  #sampleLeaks({ id, title }: PlannedCaseImpl): void {
    this.#leaks.sample(this.#runningCases.size === 0 ? { id, title } : undefined);
  }

  /** Writes the header of a test before its first entry, with the details that its first row shows. */
  #writeHeader(test: PlannedTest, first?: PlannedCaseImpl): TestHeader {
    let recorded = this.#tests.get(test);
    if (!recorded) {
      recorded = { header: buildHeader(test, first), first, hasDetails: false };
      this.#tests.set(test, recorded);
      this.#record.put({ type: 'test', header: recorded.header });
    }
    recorded.first ??= first;
    return recorded.header;
  }
}
