import type { Checks, Ensures } from '../checks/checks.ts';
import type { RowChecks, RowEnsures } from '../checks/row-checks.ts';

/** The argument of a test body: the row, the checks, the steps. */
export interface CaseContext<Row extends object> {
  /** The case's row, with the rows of the suites around it. */
  readonly row: Readonly<Row>;
  /** Checks that record a failure and continue. */
  readonly check: RowChecks<Row>;
  /** Checks that record a failure and end the case, or the step if inside one. */
  readonly ensure: RowEnsures<Row>;
  /** Runs a named part of the case. If it fails, the case fails and continues after the step. */
  readonly step: Step;
  /** Calls `probe` every `every` ms (default: 20) until it returns a truthy value, for up to `within` ms (default: 1,000). Fails with the last value. */
  eventually<T>(probe: () => T, limit?: { within?: number; every?: number }): Promise<NonNullable<Awaited<T>>>;
  /** Registers cleanup to run after the body, last in first out, before the case's fixtures are torn down. */
  defer(cleanUp: () => unknown): void;
  /** Adds a line to the case's output, which is kept with its result. */
  log(...parts: unknown[]): void;
  /** Attaches a file to the result: text, bytes, or an object as JSON. */
  attach(name: string, content: string | Uint8Array | object): void;
  /** Ends the case as skipped, with a reason. */
  skip(reason: string): never;
  /** Aborted when the case exceeds its time limit or the run is interrupted. */
  readonly signal: AbortSignal;
  /** `<file>#<suite>/<test>/<case>`: stable between runs. */
  readonly id: string;
  readonly title: string;
}

/** Runs a named part of a case. Returns its value, or undefined if it threw or an `ensure` in it failed. */
export interface Step {
  <T>(title: string, part: (context: StepContext) => T): StepFunction<T>;
  /** The same, but a failure ends the case, so the value is always defined. */
  required<T>(title: string, part: (context: StepContext) => T): T;
}

/** The argument of a step: its own checks and steps. Use it if steps overlap in time. */
export interface StepContext {
  readonly check: Checks;
  readonly ensure: Ensures;
  readonly step: Step;
  log(...parts: unknown[]): void;
}

export type StepFunction<T> = [T] extends [never] ? undefined : T extends PromiseLike<infer V> ? Promise<V | undefined> : T | undefined;
