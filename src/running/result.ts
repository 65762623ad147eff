import type { DifferingColumn, DifferingFile, TableRow } from '../checks/writable.ts';
import type { Frame, SourceLocation } from '../problems/source-location.ts';

/**
 * The status of a case.
 *
 * - `passed`: everything passed
 * - `failed`: a check or the body failed, or the body exceeded its time limit
 * - `errored`: a setup, a teardown, the row or the process failed
 * - `skipped`: skipped, with a reason
 * - `not-requested`: runs only on request
 * - `known-failure`: failed as expected
 * - `not-run`: the run ended before it
 */
export type Status = 'passed' | 'failed' | 'errored' | 'skipped' | 'not-requested' | 'known-failure' | 'not-run';
export const statuses: readonly Status[] = ['passed', 'failed', 'errored', 'skipped', 'not-requested', 'known-failure', 'not-run'];
/**
 * Why a case failed or errored. 'unexpected-pass': a known failure passed. 'expired': the date of a skip has passed. 'record': its result
 * could not be recorded.
 */
export type Cause = 'check' | 'throw' | 'timeout' | 'setup' | 'teardown' | 'data' | 'crash' | 'leak' | 'unexpected-pass' | 'expired' | 'record';

/** One failure of a case. */
export interface Failure {
  readonly cause: Cause;
  readonly message: string;
  readonly note?: string | undefined;
  readonly actual?: string | undefined;
  readonly expected?: string | undefined;
  /** Set if `expected` is not a value to compare with, but a pattern or a part. */
  readonly expectedKind?: 'pattern' | 'part' | undefined;
  /** The location of the check, or of the innermost frame outside the library. */
  readonly location?: SourceLocation | undefined;
  /** The stack frames, innermost first. */
  readonly frames?: readonly Frame[] | undefined;
  /** The titles of the running steps, outermost first. */
  readonly step?: readonly string[] | undefined;
  /** The messages of its causes (from `cause` and AggregateError), outermost first. */
  readonly causes?: readonly string[] | undefined;
  readonly fixture?: string | undefined;
  /** The columns that differ from the row, if computed values were compared with it. */
  readonly columns?: readonly DifferingColumn[] | undefined;
  /** The place of the row, if it is written in a test file. */
  readonly tableRow?: TableRow | undefined;
  /** The file that a content was compared with. */
  readonly differingFile?: DifferingFile | undefined;
}

/** The result of one step of a case. */
export interface StepResult {
  readonly title: string;
  /** The number of steps around it. */
  readonly depth: number;
  readonly status: 'passed' | 'failed' | 'unfinished';
  readonly milliseconds: number;
}

/** An attachment of a case: text or bytes. */
export interface Attachment {
  readonly name: string;
  readonly content: string | Uint8Array;
}

/** Durations in milliseconds, with fractions. */
export interface Times {
  readonly setup: number;
  readonly body: number;
  readonly teardown: number;
}

/** The result of one case. */
export interface CaseResult {
  readonly status: Status;
  readonly cause?: Cause | undefined;
  /** Why it was skipped, not requested or excused. */
  readonly reason?: string | undefined;
  readonly attempts: number;
  /** Milliseconds since the lane began. */
  readonly start: number;
  readonly times: Times;
  readonly checks: { readonly passed: number; readonly failed: number };
  readonly failures: readonly Failure[];
  readonly steps: readonly StepResult[];
  readonly output: readonly string[];
  readonly attachments: readonly Attachment[];
}
