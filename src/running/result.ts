import type { Frame, SourceLocation } from '../problems/place.ts';

/**
 * What came of a case: it held, a check or the body failed, it could not be run as it should, it was skipped with a reason, it runs
 * on request only, it failed as it was known to, or the run ended before it.
 */
export type Status = 'passed' | 'failed' | 'errored' | 'skipped' | 'not-requested' | 'known-failure' | 'not-run';
export const statuses: readonly Status[] = ['passed', 'failed', 'errored', 'skipped', 'not-requested', 'known-failure', 'not-run'];
/** Why a case failed or errored, or what its mark says no longer: a `surprise` is a known failure that passes. */
export type Cause = 'check' | 'throw' | 'timeout' | 'setup' | 'teardown' | 'data' | 'crash' | 'leak' | 'unexpected-pass' | 'expired';

/** One thing that went wrong in a case. */
export interface Failure {
  readonly cause: Cause;
  readonly message: string;
  readonly note?: string | undefined;
  readonly actual?: string | undefined;
  readonly expected?: string | undefined;
  /** Where what was expected is no value to compare with: a pattern, or a part. */
  readonly expectedKind?: 'pattern' | 'part' | undefined;
  /** Where: the check, or the innermost frame outside of the library. */
  readonly location?: SourceLocation | undefined;
  /** The frames from there outward. */
  readonly frames?: readonly Frame[] | undefined;
  /** The titles of the steps under way, outermost first. */
  readonly step?: readonly string[] | undefined;
  /** The errors behind it, from `cause` and AggregateError, outermost first. */
  readonly causes?: readonly string[] | undefined;
  readonly fixture?: string | undefined;
}

/** What came of one step of a case. */
export interface StepResult {
  readonly title: string;
  /** How deep it stands in other steps, from 0. */
  readonly depth: number;
  readonly status: 'passed' | 'failed' | 'unfinished';
  readonly milliseconds: number;
}

/** What a case attached: text, or bytes. */
export interface Attachment {
  readonly name: string;
  readonly content: string | Uint8Array;
}

/** Milliseconds, with fractions. */
export interface Times {
  readonly setup: number;
  readonly body: number;
  readonly teardown: number;
}

/** What came of one case. */
export interface CaseResult {
  readonly status: Status;
  readonly cause?: Cause | undefined;
  /** Why it was skipped, held, or excused. */
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
