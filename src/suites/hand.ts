import type { Checks, Ensures } from '../checks/checks.ts';

/** What a test's body is handed: its row, its checks, its steps. */
export interface CaseContext<Row extends object> {
  /** The case's row; that of the suites around it is part of it. */
  readonly row: Readonly<Row>;
  /** Records a failure and goes on. */
  readonly check: Checks;
  /** Records a failure and ends the case. */
  readonly ensure: Ensures;
  /** A named part of the case. One that fails is recorded, the case fails, and what follows still runs. */
  readonly step: Step;
  /** Asks again until it gives something truthy, within so many milliseconds (1,000; every 20); then fails with what it gave last. */
  eventually<T>(probe: () => T, limit?: { within?: number; every?: number }): Promise<NonNullable<Awaited<T>>>;
  /** Clean-up after the body, last in first out, before the case's fixtures are torn down. */
  defer(cleanUp: () => unknown): void;
  /** A line of the case's output, kept with its result. */
  log(...parts: unknown[]): void;
  /** A file beside the result: text, bytes, or an object as JSON. */
  attach(name: string, content: string | Uint8Array | object): void;
  /** Leaves the rest of the case undone, with a reason. */
  skip(reason: string): never;
  /** Aborted when the case's time is over or the run is interrupted. */
  readonly signal: AbortSignal;
  /** `<file>#<suite>/<test>/<case>`: steady from run to run. */
  readonly id: string;
  readonly title: string;
}

/** Runs a named part of a case. Gives what the part gives; undefined where it threw, or an `ensure` in it did not hold. */
export interface Step {
  <T>(title: string, part: (now: StepContext) => T): Stepped<T>;
  /** As step, but a failure ends the case: so it has a value. */
  required<T>(title: string, part: (now: StepContext) => T): T;
}

/** A step's own checks and steps: needed only where steps overlap in time. */
export interface StepContext {
  readonly check: Checks;
  readonly ensure: Ensures;
  readonly step: Step;
  log(...parts: unknown[]): void;
}

export type Stepped<T> = [T] extends [never] ? undefined : T extends PromiseLike<infer V> ? Promise<V | undefined> : T | undefined;
