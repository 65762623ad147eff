import type { SourceLocation } from '../problems/source-location.ts';
import type { ExplainedFixture } from '../running/explain-case.ts';
import type { CaseResult } from '../running/result.ts';

export interface TestHeader {
  readonly test: number;
  readonly id: string;
  readonly file: string;
  /** The titles of its suites and its own, with placeholders. */
  readonly path: readonly string[];
  readonly location?: SourceLocation | undefined;
  /** The number of tests that `file:line` selects at this location. Only for tests with failing cases. */
  readonly testsOnLine?: number | undefined;
  readonly source?: string | undefined;
  /** The tags of all its cases. */
  readonly tags: readonly string[];
  /** The URL of the file that its rows come from, as in locations. */
  readonly data?: string | undefined;
  /** The columns of its first row. */
  readonly columns: readonly string[];
  /** Summaries of its rows, if cases are listed. */
  readonly facts?: readonly string[] | undefined;
  /** The fixtures of its first case, in the order of setup. Known when its lane has run its whole assignment. */
  readonly fixtures?: readonly UsedFixture[] | undefined;
}

/** A fixture of a case, with its settings and their origins. */
export type UsedFixture = Omit<ExplainedFixture, 'owner' | 'shareDescription'>;

/** Identifies the case of a line. */
export interface CaseName {
  readonly test: number;
  readonly ordinal: number;
  readonly id: string;
  readonly title: string;
  /** The row's own name, if it has one and cases are listed. */
  readonly name?: string | undefined;
  readonly row: Readonly<Record<string, unknown>>;
  readonly tags: readonly string[];
  readonly location?: SourceLocation | undefined;
}

export type RecordedResult = CaseName &
  Omit<CaseResult, 'attachments'> & {
    readonly attachments: readonly { readonly name: string; readonly file: string }[];
    /** Set if the row has overrides and the case failed. Otherwise the fixtures of its test apply. */
    readonly fixtures?: readonly UsedFixture[] | undefined;
  };
