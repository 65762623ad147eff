import { type CheckRecorder, type Checks, ChecksImpl, type Ensures, EnsuresImpl } from '../checks/checks.ts';
import type { CheckOutcome, Mismatch } from '../checks/comparisons.ts';
import { formatValue } from '../checks/format-value.ts';
import { type RowChecks, RowChecksImpl, type RowEnsures, RowEnsuresImpl } from '../checks/row-checks.ts';
import { isThenable } from '../checks/thenable.ts';
import { SetupError } from '../fixtures/scope-instance.ts';
import { formatThousands } from '../problems/format-thousands.ts';
import { isInstanceOf } from '../problems/instance-of.ts';
import type { Problem } from '../problems/problem.ts';
import { throwProblem } from '../problems/problem-error.ts';
import { type CapturedStack, captureStack, findLocation } from '../problems/source-location.ts';
import type { CaseContext, Step, StepContext, StepFunction } from '../suites/contexts.ts';
import type { PlannedCaseImpl } from '../suites/planned.ts';
import { AttemptExpectations } from './checked-case.ts';
import { ControlSignal } from './control-signal.ts';
import { buildCheckFailure, buildThrowFailure } from './failures.ts';
import { now, startTimer } from './globals.ts';
import type { Attachment, CaseResult, Cause, Failure, StepResult } from './result.ts';
import { limitText, MAX_NAME_LENGTH, MAX_NOTE_LENGTH, toText } from './text-limits.ts';

/** The maximum length of a case's output, in characters. */
const MAX_OUTPUT_LENGTH = 1_000_000;

/** The maximum number of recorded failed checks of one case. */
const MAX_FAILED_CHECKS = 1000;

/** Detected by internal slots, since any object can have the prototype. */
const isBytes = (value: unknown): value is Uint8Array => ArrayBuffer.isView(value) && isInstanceOf(value, Uint8Array);

const none: readonly never[] = [];
const appendLazily = <T>(list: T[] | readonly never[], item: T): T[] => {
  if (list === none) return [item];
  (list as T[]).push(item);
  return list as T[];
};

/** Formats logged values as one line of text. */
export const formatLogLine = (parts: readonly unknown[]): string => `${parts.map((part) => (typeof part === 'string' ? part : formatValue(part))).join(' ')}\n`;

/** An operation that the body must await. */
interface Pending {
  readonly label: string;
  readonly origin: CapturedStack;
}

interface StepRun {
  readonly title: string;
  readonly outer: StepRun | undefined;
  readonly depth: number;
  readonly begun: number;
  failed: boolean;
  status: StepResult['status'];
  milliseconds: number;
}

/** One attempt at one case: collects all that happens while its body runs. Lists are created on first use. */
export class CaseAttempt implements CheckRecorder {
  readonly planned: PlannedCaseImpl;
  /** Counted from 1. */
  readonly attempt: number;
  readonly #reportProblem: (problem: Problem) => void;
  /** Milliseconds on the runner's clock. */
  begun = 0;
  setup = 0;
  body = 0;
  teardown = 0;
  checksPassed = 0;
  checksFailed = 0;
  ended = false;
  /** Set when the attempt has ended. Undefined if it passed without anything to report. */
  result: CaseResult | undefined;
  skipped: string | undefined;
  failures: Failure[] | readonly never[] = none;
  output: string[] | readonly never[] = none;
  attachments: Attachment[] | readonly never[] = none;
  deferred: (() => unknown)[] | readonly never[] = none;
  #steps: StepRun[] | readonly never[] = none;
  /** The innermost running step. */
  #step: StepRun | undefined;
  #pending: Set<Pending> | undefined;
  #written = 0;
  #abort: AbortController | undefined;
  #aborted: Error | undefined;
  /** Whether the run was interrupted while the body was running. */
  interrupted = false;

  constructor(planned: PlannedCaseImpl, reportProblem: (problem: Problem) => void, attempt = 1) {
    this.planned = planned;
    this.attempt = attempt;
    this.#reportProblem = reportProblem;
  }

  /** A check that is not called on a step's own context counts for the running step. */
  recordResult(finding: CheckOutcome, note: string | undefined, origin: CapturedStack | undefined): boolean {
    return this.recordCheck(this.#step, finding, note, origin);
  }

  recordCheck(step: StepRun | undefined, finding: CheckOutcome, note: string | undefined, origin: CapturedStack | undefined): boolean {
    if (this.ended) {
      const at = findLocation(origin ?? captureStack(this.recordCheck, 12));
      this.#reportLate('check', finding ? `${note ? `${toText(note)}: ` : ''}${finding.message}` : 'it would have passed', at && { at });
    } else if (finding) {
      this.checksFailed++;
      this.#failCheck(finding, note, origin, step);
    } else this.checksPassed++;
    return finding === undefined;
  }

  /** Counts failing checks in a loop. Only the first ones are recorded. */
  #failCheck(finding: Mismatch, note: string | undefined, origin: CapturedStack | undefined, step: StepRun | undefined): void {
    if (this.checksFailed <= MAX_FAILED_CHECKS) this.fail(buildCheckFailure(finding, note, origin, { step: pathOf(step) }), step);
    else if (this.checksFailed === MAX_FAILED_CHECKS + 1)
      this.fail({ cause: 'check', message: `more checks failed; only the first ${formatThousands(MAX_FAILED_CHECKS)} failures are recorded` }, step);
    else markFailed(step);
  }

  stop(): never {
    throw new ControlSignal(this.#step ? 'step' : 'case');
  }

  trackPending(label: string, origin: CapturedStack): () => boolean {
    const pending: Pending = { label, origin };
    this.#pending ??= new Set();
    this.#pending.add(pending);
    return () => this.#pending?.delete(pending) ?? false;
  }

  /** Records a failure for each operation that is still pending when the body ends. */
  returned(): void {
    for (const { label, origin } of this.#pending ?? [])
      this.fail(buildCheckFailure({ message: `${label} was still pending when the body ended; is an await missing?` }, undefined, origin, {}), undefined);
    this.#pending = undefined;
  }

  fail(failure: Failure, step: StepRun | undefined = this.#step): void {
    this.failures = appendLazily(this.failures, failure);
    markFailed(step);
  }

  /** Records what a body or its cleanup threw. A control signal is not a failure. */
  recordThrow(error: unknown, cause: Cause = 'throw', fixture?: string): void {
    if (isInstanceOf(error, ControlSignal)) this.skipped ??= error.skip;
    else this.fail(this.#failureOf(error, cause, this.#step, fixture));
  }

  /** The failure of an error. A failed setup is reported as one, wherever it was requested; that of a shared fixture once. */
  #failureOf(error: unknown, cause: Cause, step: StepRun | undefined, fixture?: string): Failure {
    if (!isInstanceOf(error, SetupError)) return buildThrowFailure(error, cause, { step: pathOf(step), fixture });
    if (isInstanceOf(error.reason, SetupError)) {
      const { node, reason, alreadyReported } = error.reason;
      return this.#failureOf(new SetupError(node, reason, alreadyReported || error.alreadyReported), cause, step);
    }
    const { name } = error.node;
    if (!error.alreadyReported) return buildThrowFailure(error.reason, 'setup', { step: pathOf(step), fixture: name });
    return { cause: 'setup', fixture: name, message: `fixture "${name}" failed to set up; the first case that needed it has the error` };
  }

  log(parts: readonly unknown[]): void {
    const text = formatLogLine(parts);
    if (this.ended) this.#reportLate('log', text.trimEnd());
    else this.write(text);
  }

  write(text: string): void {
    this.#written += text.length;
    if (this.#written > MAX_OUTPUT_LENGTH) {
      if (this.#written - text.length < MAX_OUTPUT_LENGTH)
        this.output = appendLazily(
          this.output,
          `${text.slice(0, MAX_OUTPUT_LENGTH - this.#written)}\n… output after ${formatThousands(MAX_OUTPUT_LENGTH)} characters is not kept\n`,
        );
      return;
    }
    this.output = appendLazily(this.output, text);
  }

  attach(name: unknown, content: unknown): void {
    // A copy, since code under test can reuse its buffer. `slice` of a Buffer would share the memory.
    const copy = typeof content === 'string' ? content : isBytes(content) ? new Uint8Array(content) : formatValue(content);
    this.attachments = appendLazily(this.attachments, { name: toText(name, MAX_NAME_LENGTH), content: copy });
  }

  defer(cleanUp: () => unknown): void {
    if (typeof cleanUp !== 'function') throwProblem({ code: 'invalid-type', expected: 'function', got: formatValue(cleanUp), owner: '`defer`' });
    this.deferred = appendLazily(this.deferred, cleanUp);
  }

  get signal(): AbortSignal {
    this.#abort ??= new AbortController();
    if (this.#aborted) this.#abort.abort(this.#aborted);
    return this.#abort.signal;
  }

  abort(interrupted: boolean): void {
    this.interrupted ||= interrupted;
    this.#aborted ??= new Error(interrupted ? 'the run was interrupted' : 'the time limit of this case is over');
    this.#abort?.abort(this.#aborted);
  }

  /** Nothing to report except times and passed checks. */
  get hasNoDetails(): boolean {
    return this.failures === none && this.output === none && this.attachments === none && this.#steps === none && this.skipped === undefined;
  }

  get steps(): readonly StepResult[] {
    return this.#steps.map(({ title, depth, status, milliseconds }) => ({ title, depth, status, milliseconds }));
  }

  /** The titles of the running steps, outermost first. */
  get stepPath(): readonly string[] | undefined {
    return pathOf(this.#step);
  }

  runStep(outer: StepRun | undefined, given: unknown, part: (context: StepContext) => unknown, must: boolean): unknown {
    const title = toText(given);
    if (this.ended) this.#reportLate('step', title);
    const step: StepRun = { title, outer, depth: outer ? outer.depth + 1 : 0, begun: now(), failed: false, status: 'unfinished', milliseconds: 0 };
    this.#steps = appendLazily(this.#steps, step);
    this.#step = step;
    let settled: (() => boolean) | undefined;
    const close = (): void => {
      settled?.();
      step.status = step.failed ? 'failed' : 'passed';
      step.milliseconds = now() - step.begun;
      // Steps can overlap. The running step is then the last one that started and has not ended.
      if (this.#step === step) this.#step = findInnermostOpen(this.#steps);
    };
    const onResolved = (value: unknown): unknown => {
      close();
      if (must && step.failed) throw new ControlSignal('case');
      return value;
    };
    const onRejected = (error: unknown): undefined => {
      if (!isInstanceOf(error, ControlSignal)) this.fail(this.#failureOf(error, 'throw', step), step);
      close();
      if (isInstanceOf(error, ControlSignal) && error.ends === 'case') throw error;
      if (must) throw new ControlSignal('case');
      return undefined;
    };
    let value: unknown;
    let waits: boolean;
    try {
      value = part(new StepContextImpl(this, step));
      waits = isThenable(value);
    } catch (error) {
      return onRejected(error);
    }
    if (!waits) return onResolved(value);
    settled = this.trackPending(`step "${title}"`, captureStack(this.runStep, 12));
    return (value as PromiseLike<unknown>).then(onResolved, onRejected);
  }

  get currentStep(): StepRun | undefined {
    return this.#step;
  }

  #reportLate(kind: 'check' | 'log' | 'step', detail: string, where: object = {}): void {
    this.#reportProblem({ code: `late-${kind}`, id: this.planned.id, detail: limitText(detail, MAX_NOTE_LENGTH), ...where });
  }
}

/** A failure in a step is also a failure of the steps around it. */
function markFailed(step: StepRun | undefined): void {
  for (let at = step; at; at = at.outer) at.failed = true;
}

const findInnermostOpen = (steps: readonly StepRun[]): StepRun | undefined => steps.findLast((step) => step.status === 'unfinished');

function pathOf(step: StepRun | undefined): readonly string[] | undefined {
  if (!step) return undefined;
  const path: string[] = [];
  for (let at: StepRun | undefined = step; at; at = at.outer) path.unshift(at.title);
  return path;
}

function stepFunction(run: CaseAttempt, outer: () => StepRun | undefined): Step {
  const step = <T>(title: string, part: (context: StepContext) => T): StepFunction<T> => run.runStep(outer(), title, part, false) as StepFunction<T>;
  const required = <T>(title: string, part: (context: StepContext) => T): T => run.runStep(outer(), title, part, true) as T;
  return Object.assign(step, { required });
}

/** The argument of a step's body. Its checks count for this step, whatever other steps are running. */
class StepContextImpl implements StepContext {
  readonly #run: CaseAttempt;
  readonly #step: StepRun;

  constructor(run: CaseAttempt, step: StepRun) {
    this.#run = run;
    this.#step = step;
  }

  get #recorder(): CheckRecorder {
    return {
      recordResult: (finding, note, origin) => this.#run.recordCheck(this.#step, finding, note, origin),
      stop: () => {
        throw new ControlSignal('step');
      },
      trackPending: (label, origin) => this.#run.trackPending(label, origin),
    };
  }

  get check(): Checks {
    return new ChecksImpl(this.#recorder);
  }
  get ensure(): Ensures {
    return new EnsuresImpl(this.#recorder);
  }
  get step(): Step {
    return stepFunction(this.#run, () => this.#step);
  }
  get log(): (...parts: unknown[]) => void {
    return (...parts) => this.#run.log(parts);
  }
}

/** The argument of a body. Its properties are getters, since most bodies use few of them; each value can be destructured. */
export class CaseContextImpl implements CaseContext<any> {
  readonly #run: CaseAttempt;
  #check: RowChecks<any> | undefined;
  #ensure: RowEnsures<any> | undefined;
  #stepper: Step | undefined;

  constructor(run: CaseAttempt) {
    this.#run = run;
  }

  get row(): object {
    return this.#run.planned.entry.row;
  }
  get check(): RowChecks<any> {
    this.#check ??= new RowChecksImpl(this.#run, new AttemptExpectations(this.#run));
    return this.#check;
  }
  get ensure(): RowEnsures<any> {
    this.#ensure ??= new RowEnsuresImpl(this.#run, new AttemptExpectations(this.#run));
    return this.#ensure;
  }
  get step(): Step {
    this.#stepper ??= stepFunction(this.#run, () => this.#run.currentStep);
    return this.#stepper;
  }
  get id(): string {
    return this.#run.planned.id;
  }
  get title(): string {
    return this.#run.planned.title;
  }
  get signal(): AbortSignal {
    return this.#run.signal;
  }
  get log(): (...parts: unknown[]) => void {
    return (...parts) => this.#run.log(parts);
  }
  get attach(): (name: string, content: string | Uint8Array | object) => void {
    return (name, content) => this.#run.attach(name, content);
  }
  get defer(): (cleanUp: () => unknown) => void {
    return (cleanUp) => this.#run.defer(cleanUp);
  }
  get skip(): (reason: string) => never {
    return (reason: unknown) => {
      if (reason === undefined || reason === '') throw new TypeError('`skip` needs a reason: a text that says why the case does not apply');
      throw new ControlSignal('case', toText(reason));
    };
  }
  get eventually(): CaseContext<any>['eventually'] {
    const run = this.#run;
    return async function eventually(probe, { within = 1000, every = 20 } = {}) {
      const origin = captureStack(eventually, 12);
      const settled = run.trackPending('`eventually`', origin);
      const end = now() + within;
      try {
        for (;;) {
          const last = await probe();
          if (last) return last;
          if (now() >= end || run.ended) {
            if (settled()) run.recordResult({ message: `condition not met within ${within} ms`, actual: formatValue(last) }, undefined, origin);
            return run.stop();
          }
          await new Promise<void>((resolve) => startTimer(resolve, every));
        }
      } finally {
        settled();
      }
    };
  }
}
