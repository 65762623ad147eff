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
  /** Those of all its cases. */
  readonly tags: readonly string[];
  /** The file that its rows come from, where there is one: the URL, as places name it. */
  readonly data?: string | undefined;
  /** The columns of its first row. */
  readonly columns: readonly string[];
  /** Summaries of its rows, if cases are listed. */
  readonly facts?: readonly string[] | undefined;
  /** As its first case sees them, in the order of setup; known when its lane has run all that it was dealt. */
  readonly fixtures?: readonly UsedFixture[] | undefined;
}

/** A fixture that a case has, with its settings and where they come from. */
export type UsedFixture = Omit<ExplainedFixture, 'owner' | 'shareDescription'>;

/** Which case a line speaks of. */
export interface CaseName {
  readonly test: number;
  readonly ordinal: number;
  readonly id: string;
  readonly title: string;
  /** The row's own name, where it has one and cases are listed. */
  readonly name?: string | undefined;
  readonly row: Readonly<Record<string, unknown>>;
  readonly tags: readonly string[];
  readonly location?: SourceLocation | undefined;
}

export type RecordedResult = CaseName &
  Omit<CaseResult, 'attachments'> & {
    readonly attachments: readonly { readonly name: string; readonly file: string }[];
    /** Where its row bound them and it failed; else those of its test. */
    readonly fixtures?: readonly UsedFixture[] | undefined;
  };
