import { mkdirSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { formatSlug } from '../../cases/ids.ts';
import { formatThousands } from '../../problems/format-thousands.ts';
import type { Problem } from '../../problems/problem.ts';
import type { JournalEntry } from '../../results/journal/entries.ts';
import type { RecordedResult, TestHeader } from '../../results/recorded-result.ts';
import type { CaseAttempt } from '../../running/case-attempt.ts';
import { buildThrowFailure } from '../../running/failures.ts';
import { buildResult } from '../../running/outcome.ts';
import type { CaseResult } from '../../running/result.ts';
import type { Plan, PlannedCaseImpl } from '../../suites/planned.ts';
import { type RedactionPredicate, Secrets } from '../../suites/redaction.ts';
import type { Job } from '../protocol.ts';
import { JournalWriter } from './journal-writer.ts';
import { buildCaseName, buildDetails, canBeWrittenCompactly } from './names.ts';

/** The maximum number of recorded problems of one kind in one lane. */
const MAX_PROBLEMS_OF_A_KIND = 50;

/** The maximum length of a lane's output outside of cases, in characters. */
const MAX_UNOWNED_LENGTH = 1_000_000;

/** The record of a lane: its journal and attachments, redacted. A closed record ignores further entries. */
export class LaneRecord {
  readonly #job: Job;
  readonly #isRedacted: RedactionPredicate | undefined;
  readonly #secrets: Secrets | undefined;
  readonly #journal: JournalWriter;
  #unownedLength = 0;
  #attachments = 0;
  readonly #problems = new Map<Problem['code'], number>();
  #closed = false;

  /** `onWriteError` receives the reason if writing fails. */
  constructor(job: Job, isRedacted: RedactionPredicate | undefined, onWriteError: (error: Error) => void) {
    this.#job = job;
    this.#isRedacted = isRedacted;
    this.#secrets = isRedacted && new Secrets(isRedacted);
    this.#journal = new JournalWriter(job.journal, job.lane, onWriteError);
  }

  get isClosed(): boolean {
    return this.#closed;
  }

  /** Values of redacted settings are secrets, too. */
  registerSecrets(plan: Plan): void {
    this.#secrets?.learnSettings(plan);
  }

  put(entry: JournalEntry, atOnce = false): void {
    if (!this.#closed) this.#journal.put(entry, atOnce);
  }

  /** Records the first problems of a kind, and at the end the number of the others. */
  writeProblem(problem: Problem): void {
    const number = (this.#problems.get(problem.code) ?? 0) + 1;
    this.#problems.set(problem.code, number);
    if (number <= MAX_PROBLEMS_OF_A_KIND) this.put({ type: 'problem', problem }, true);
  }

  /** Records a result. If that fails, only its own case is affected. */
  ended(planned: PlannedCaseImpl, result: CaseResult): void {
    try {
      this.put({ type: 'ended', result: this.#recorded(planned, result) }, result.status !== 'passed');
    } catch (error) {
      this.put({ type: 'ended', result: describeUnrecordable(planned, result, error) }, true);
    }
  }

  /** Records a case that passed without details. `start` is relative to the start of the lane. */
  passed(run: CaseAttempt, start: number, { columns, data }: TestHeader): void {
    const { planned } = run;
    if (this.#closed || (canBeWrittenCompactly(planned, data) && this.#journal.pass(run, start, columns))) return;
    this.ended(planned, buildResult(run, { status: 'passed' }, 1, run.begun - start));
  }

  /** Records details of a test that take time to compute and that nothing waits for. */
  writeTestDetails(header: TestHeader, first: PlannedCaseImpl, testsOnLine: number | undefined): void {
    const details = this.#scrub(buildDetails(first, this.#isRedacted));
    this.put({ type: 'test', header: { ...header, ...details, ...(testsOnLine !== undefined && { testsOnLine }) } });
  }

  /** Records output that belongs to no case, up to a limit. */
  writeUnowned(text: string): void {
    this.#unownedLength += text.length;
    if (this.#unownedLength <= MAX_UNOWNED_LENGTH) this.put({ type: 'output', text: this.#scrub(text) });
    else if (this.#unownedLength - text.length <= MAX_UNOWNED_LENGTH)
      this.put({ type: 'output', text: `… output after ${formatThousands(MAX_UNOWNED_LENGTH)} characters is not kept\n` });
  }

  flush(): void {
    if (!this.#closed) this.#journal.flush();
  }

  close(): void {
    for (const [kind, number] of this.#problems)
      if (number > MAX_PROBLEMS_OF_A_KIND) this.put({ type: 'problem', problem: { code: 'more-problems', kind, count: number - MAX_PROBLEMS_OF_A_KIND } });
    if (!this.#closed) this.#journal.close();
    this.#closed = true;
  }

  #recorded(planned: PlannedCaseImpl, given: CaseResult): RecordedResult {
    if (planned.row !== planned.redactedRow) this.#secrets?.learnHidden(planned.row, planned.redactedRow);
    const result = this.#scrub(given);
    const attachments = result.attachments.map(({ name, content }) => {
      // Each process of a lane has its own journal and attachments.
      const file = `${basename(this.#job.journal, '.journal')}-${this.#attachments++}-${formatSlug(name).slice(0, 60)}`;
      mkdirSync(this.#job.attachments, { recursive: true });
      writeFileSync(join(this.#job.attachments, file), content);
      return { name, file };
    });
    // Fixtures that all cases of a test share are recorded with the test.
    const hasOverridesByRow = result.failures.length > 0 && typeof planned.test.test.options.overrides === 'function';
    return {
      ...buildCaseName(planned),
      ...result,
      start: roundToMicroseconds(result.start),
      times: {
        setup: roundToMicroseconds(result.times.setup),
        body: roundToMicroseconds(result.times.body),
        teardown: roundToMicroseconds(result.times.teardown),
      },
      attachments,
      ...(hasOverridesByRow && { fixtures: this.#scrub(buildDetails(planned, this.#isRedacted).fixtures) }),
    };
  }

  #scrub<T>(value: T): T {
    return this.#secrets ? this.#secrets.redactText(value) : value;
  }
}

/** Compact lines of passed cases have this precision, too. */
const roundToMicroseconds = (milliseconds: number): number => Math.round(milliseconds * 1000) / 1000;

/** Replaces a result that cannot be recorded, such as one with an attachment that cannot be written. */
function describeUnrecordable({ test, ordinal, id, title, location }: PlannedCaseImpl, result: CaseResult, error: unknown): RecordedResult {
  const failure = { ...buildThrowFailure(error, 'record', {}), location, frames: undefined };
  const message = `the result could not be recorded: ${failure.message}`;
  const failures = [{ ...failure, message }];
  const { attempts, start, times, checks } = result;
  return {
    ...{ test: test.index, ordinal, id, title, row: {}, tags: [], location },
    ...{ status: 'errored', cause: 'record', attempts, start, times, checks, failures, steps: [], output: [], attachments: [] },
  };
}
