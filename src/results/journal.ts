import type { Span } from '../fixtures/instance.ts';
import type { Place } from '../problems/place.ts';
import type { Problem } from '../problems/problem.ts';
import type { BindingUse } from '../running/bindings.ts';
import type { Explanation } from '../running/explain.ts';
import type { CaseResult } from '../running/result.ts';
import type { Leak } from './leaks.ts';

/** The journal's shape is this package's own; a reader refuses what it does not know. */
export const journalVersion = 1;

/** What a lane is about to do, and how long that may take: whoever watches it ends a lane that goes silent for longer. */
export interface Doing {
  readonly what: 'load' | 'plan' | 'setup' | 'body' | 'teardown';
  /** The file, the test or the fixture's scope. */
  readonly name: string;
  /** Milliseconds. */
  readonly limit: number;
}

export interface TestHeader {
  readonly test: number;
  readonly id: string;
  readonly file: string;
  /** The titles of its suites and its own, with placeholders. */
  readonly path: readonly string[];
  readonly place?: Place | undefined;
  readonly source?: string | undefined;
  /** What is told of its rows as a whole, where cases are listed. */
  readonly facts?: readonly string[] | undefined;
}

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
  readonly place?: Place | undefined;
}

export type RecordedResult = CaseName & Omit<CaseResult, 'attachments'> & { readonly attachments: readonly { readonly name: string; readonly file: string }[] };

/** One line of a journal. */
export type JournalEntry =
  | { readonly is: 'header'; readonly version: number; readonly lane: number }
  | { readonly is: 'doing'; readonly doing: Doing }
  | { readonly is: 'loaded'; readonly file: string; readonly milliseconds: number }
  | { readonly is: 'planned'; readonly files: number; readonly tests: number; readonly problems: readonly Problem[]; readonly warnings: readonly Problem[] }
  | { readonly is: 'test'; readonly header: TestHeader }
  /** What is odd about a source, where cases are listed. */
  | { readonly is: 'remarked'; readonly problem: Problem }
  | { readonly is: 'listed'; readonly name: CaseName }
  | { readonly is: 'begun'; readonly name: CaseName; readonly attempt: number }
  | { readonly is: 'streaming'; readonly test: number; readonly limit: number }
  | { readonly is: 'ended'; readonly result: RecordedResult }
  /** A shared fixture's tear-down that failed. */
  | { readonly is: 'torn'; readonly id: string; readonly title: string; readonly result: Omit<CaseResult, 'attachments'> }
  | { readonly is: 'test-ended'; readonly test: number }
  | { readonly is: 'span'; readonly span: Span }
  | { readonly is: 'explained'; readonly explanation: Explanation }
  | { readonly is: 'told'; readonly problem: Problem }
  | { readonly is: 'output'; readonly text: string }
  | { readonly is: 'leaks'; readonly leaks: readonly Leak[] }
  | { readonly is: 'bindings'; readonly uses: readonly BindingUse[]; readonly warnings: readonly Problem[] }
  | { readonly is: 'finished'; readonly selected: number; readonly stuck: boolean };

const micro = (milliseconds: number): number => Math.round(milliseconds * 1000);

/**
 * An entry as a line. A passed case that said nothing, by far the most frequent, has a compact form:
 * `+test ordinal start set-up body tear-down checks`, times in microseconds, then id, title and row after tabs; all others
 * are JSON. Texts of JSON hold neither line breaks nor tabs.
 */
export function writeEntry(entry: JournalEntry, stringify: (value: unknown) => string): string {
  if (entry.is !== 'ended' || !isPlainPass(entry.result)) return `${stringify(entry)}\n`;
  const { test, ordinal, start, times, checks, id, title, row } = entry.result;
  const numbers = `+${test} ${ordinal} ${micro(start)} ${micro(times.setup)} ${micro(times.body)} ${micro(times.teardown)} ${checks.passed}`;
  return `${numbers}\t${stringify(id)}\t${stringify(title)}\t${stringify(row)}\n`;
}

const isPlainPass = (result: RecordedResult): boolean =>
  result.status === 'passed' &&
  result.attempts === 1 &&
  !result.steps.length &&
  !result.output.length &&
  !result.attachments.length &&
  !result.tags.length &&
  !result.place;

/** The entry that a line holds; undefined for a line that was torn off while it was written. */
export function readEntry(line: string): JournalEntry | undefined {
  try {
    if (!line.startsWith('+')) return JSON.parse(line) as JournalEntry;
    const [numbers, id, title, row] = line.split('\t') as [string, string, string, string];
    const [test, ordinal, start, setup, body, teardown, passed] = numbers.slice(1).split(' ').map(Number) as [
      number,
      number,
      number,
      number,
      number,
      number,
      number,
    ];
    return {
      is: 'ended',
      result: {
        test,
        ordinal,
        id: JSON.parse(id) as string,
        title: JSON.parse(title) as string,
        row: JSON.parse(row) as Record<string, unknown>,
        tags: [],
        status: 'passed',
        attempts: 1,
        start: start / 1000,
        times: { setup: setup / 1000, body: body / 1000, teardown: teardown / 1000 },
        checks: { passed, failed: 0 },
        failures: [],
        steps: [],
        output: [],
        attachments: [],
      },
    };
  } catch {
    return undefined;
  }
}
