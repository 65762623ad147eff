import type { Span } from '../../fixtures/instance.ts';
import type { Problem } from '../../problems/problem.ts';
import type { Explanation } from '../../running/explain-case.ts';
import type { OverrideUse } from '../../running/override-usage.ts';
import type { CaseResult } from '../../running/result.ts';
import type { NotRunCount } from '../../running/run.ts';
import type { WorkUnit } from '../../suites/work-units.ts';
import type { Leak } from '../leaks.ts';
import type { CaseName, RecordedResult, TestHeader } from '../recorded-result.ts';
import type { PassBlock } from './pass-block.ts';

/** The format is private to this package. A reader rejects other versions. */
export const JOURNAL_VERSION = 6;

/** What a lane is about to do, with its time limit. The coordinator ends a lane that is silent for longer. */
export interface Activity {
  readonly kind: 'load' | 'plan' | 'rows' | 'setup' | 'body' | 'teardown';
  /** The file, the test or the fixture's scope. */
  readonly name: string;
  /** Milliseconds. */
  readonly limit: number;
  /** For rows: the case that represents rows that cannot be read. */
  readonly invalid?: CaseName;
}

/** One line of a journal. */
export type JournalEntry =
  | { readonly type: 'header'; readonly version: number; readonly lane: number }
  | { readonly type: 'activity'; readonly activity: Activity }
  /** `reads` are the URLs of the files that it imports and reads. */
  | { readonly type: 'loaded'; readonly file: string; readonly milliseconds: number; readonly reads: readonly string[] }
  /** The URL of a file that a content is compared with, and the test file that compares it; once per lane. */
  | { readonly type: 'expected-file'; readonly file: string; readonly reader: string }
  | {
      readonly type: 'planned';
      readonly files: number;
      readonly tests: number;
      readonly problems: readonly Problem[];
      readonly warnings: readonly Problem[];
      /** A hash of its tests, in order. */
      readonly hash: string;
      /** Options to write instead of those that match nothing. */
      readonly suggestions?: readonly string[];
    }
  /** The units that lanes can run independently, and the ids of all tests in the order of the plan. */
  | { readonly type: 'work-units'; readonly units: readonly WorkUnit[]; readonly tests: readonly string[] }
  /** The last result explains the end of the process, which must not be attributed to another case. */
  | { readonly type: 'exit-attributed' }
  /** The time that times of cases and fixtures are relative to: milliseconds since 1970. */
  | { readonly type: 'running'; readonly at: number }
  /** Waits for work. */
  | { readonly type: 'idle' }
  | { readonly type: 'test'; readonly header: TestHeader }
  /** A warning about a source, when cases are listed. */
  | { readonly type: 'warning'; readonly problem: Problem }
  | { readonly type: 'listed'; readonly name: CaseName }
  | { readonly type: 'started'; readonly name: CaseName; readonly attempt: number; readonly start: number }
  | { readonly type: 'streaming'; readonly test: number; readonly limit: number }
  | { readonly type: 'ended'; readonly result: RecordedResult }
  /** Many passed cases at once, for readers that need only their sums. */
  | { readonly type: 'passed'; readonly block: PassBlock }
  /** The failed teardown of a shared fixture. */
  | { readonly type: 'teardown-failed'; readonly id: string; readonly title: string; readonly result: Omit<CaseResult, 'attachments'> }
  | { readonly type: 'test-ended'; readonly test: number }
  | { readonly type: 'span'; readonly span: Span }
  | { readonly type: 'explained'; readonly name: CaseName; readonly explanation: Explanation }
  | { readonly type: 'problem'; readonly problem: Problem }
  | { readonly type: 'output'; readonly text: string }
  | { readonly type: 'leaks'; readonly leaks: readonly Leak[] }
  /** The leaks of the whole run with the places where they were opened, found by running their cases again. */
  | { readonly type: 'located-leaks'; readonly leaks: readonly Leak[] }
  | { readonly type: 'override-usage'; readonly uses: readonly OverrideUse[]; readonly warnings: readonly Problem[] }
  /** `notRun` are the cases that the run ended before. A resumed run can have run them since. */
  | {
      readonly type: 'finished';
      readonly selected: number;
      readonly isStuck: boolean;
      readonly notRun?: NotRunCount;
      /** The number of selected cases that belong to other shards. Default: 0. */
      readonly inOtherShards?: number;
    };

export const encodeEntry = (entry: JournalEntry, stringify: (value: unknown) => string): string => `${stringify(entry)}\n`;
