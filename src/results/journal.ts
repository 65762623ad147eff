import { caseSlug, nameOfValues } from '../cases/names.ts';
import { fillTitle, hasPlaceholders, readTitle } from '../cases/title.ts';
import type { Span } from '../fixtures/instance.ts';
import type { Place } from '../problems/place.ts';
import type { Problem } from '../problems/problem.ts';
import type { BindingUse } from '../running/bindings.ts';
import type { ExplainedFixture, Explanation } from '../running/explain.ts';
import type { CaseResult } from '../running/result.ts';
import type { Piece } from '../suites/pieces.ts';
import { idOf, titleOf } from '../suites/planned.ts';
import type { Leak } from './leaks.ts';
import type { LineBytes } from './line-bytes.ts';

/** The journal's shape is this package's own; a reader refuses what it does not know. */
export const journalVersion = 2;

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
  /** Those of all its cases. */
  readonly tags: readonly string[];
  /** The file that its rows come from, where there is one: the URL, as places name it. */
  readonly data?: string | undefined;
  /** The columns of its first row. */
  readonly columns: readonly string[];
  /** What is told of its rows as a whole, where cases are listed. */
  readonly facts?: readonly string[] | undefined;
  /** As its first case sees them, in the order of set-up; known when its lane has run all that it was dealt. */
  readonly fixtures?: readonly UsedFixture[] | undefined;
}

/** A fixture that a case has, with its settings and where they come from. */
export type UsedFixture = Omit<ExplainedFixture, 'of' | 'sharedBy'>;

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

export type RecordedResult = CaseName &
  Omit<CaseResult, 'attachments'> & {
    readonly attachments: readonly { readonly name: string; readonly file: string }[];
    /** Where its row bound them and it failed; else those of its test. */
    readonly fixtures?: readonly UsedFixture[] | undefined;
  };

/** One line of a journal. */
export type JournalEntry =
  | { readonly is: 'header'; readonly version: number; readonly lane: number }
  | { readonly is: 'doing'; readonly doing: Doing }
  /** `reads` are the sources that it reaches, as URLs. */
  | { readonly is: 'loaded'; readonly file: string; readonly milliseconds: number; readonly reads: readonly string[] }
  | {
      readonly is: 'planned';
      readonly files: number;
      readonly tests: number;
      readonly problems: readonly Problem[];
      readonly warnings: readonly Problem[] /** Of its tests, in order. */;
      readonly hash: string;
    }
  /** What lanes can run apart, and the ids of all tests in the order of the plan. */
  | { readonly is: 'pieces'; readonly pieces: readonly Piece[]; readonly tests: readonly string[] }
  /** The process comes to its end by what the last result tells: nobody else is to be charged with it. */
  | { readonly is: 'blamed' }
  /** The moment that times of cases and fixtures are counted from: milliseconds since 1970. */
  | { readonly is: 'running'; readonly at: number }
  /** Waits for something to do. */
  | { readonly is: 'idle' }
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

/** Whole microseconds; as a small integer where it is one, which is far faster to write. */
const micro = (milliseconds: number): number => (milliseconds < 2_000_000 ? (milliseconds * 1000 + 0.5) | 0 : Math.round(milliseconds * 1000));

/** A passed case of which there is nothing to say but its times: by far the most frequent entry. */
export interface PlainPass {
  readonly test: number;
  readonly ordinal: number;
  readonly twin: number;
  /** Milliseconds. */
  readonly start: number;
  readonly setup: number;
  readonly body: number;
  readonly teardown: number;
  readonly checks: number;
  /** The line of its row in the test's data file; 0 without one. */
  readonly line: number;
  /** Its values, under the columns that the test's header names. */
  readonly row: Readonly<Record<string, unknown>>;
}

export const writeEntry = (entry: JournalEntry, stringify: (value: unknown) => string): string => `${stringify(entry)}\n`;

/**
 * Writes a plain pass as a line: `+test ordinal twin start set-up body tear-down checks line`, times in microseconds, then the values
 * after a tab. Its id and its title are worked out from its test's header when somebody asks. Texts of JSON hold neither line breaks nor
 * tabs.
 *
 * False, and nothing is written, for a row that does not stand in a journal as it is: words, finite numbers and truths under these
 * columns do, which names show as they show the recorded row.
 */
export function writePass(pass: PlainPass, columns: readonly string[], lines: LineBytes, stringify: (value: unknown) => string): boolean {
  const from = lines.length;
  lines.number(plus, pass.test);
  lines.number(blank, pass.ordinal);
  lines.number(blank, pass.twin);
  lines.number(blank, micro(pass.start));
  lines.number(blank, micro(pass.setup));
  lines.number(blank, micro(pass.body));
  lines.number(blank, micro(pass.teardown));
  lines.number(blank, pass.checks);
  lines.number(blank, pass.line);
  lines.unit(tab);
  const { row } = pass;
  let seen = 0;
  for (const column in row) {
    if (columns[seen] !== column || !writeValue(seen === 0 ? bracket : comma, row[column], lines, stringify)) return lines.cut(from);
    seen++;
  }
  if (seen !== columns.length) return lines.cut(from);
  lines.text(seen === 0 ? '[]\n' : ']\n');
  return true;
}

function writeValue(before: number, value: unknown, lines: LineBytes, stringify: (value: unknown) => string): boolean {
  if (typeof value === 'number') {
    if (!Number.isFinite(value) || Object.is(value, -0)) return false;
    lines.number(before, value);
    return true;
  }
  if (typeof value !== 'string' && typeof value !== 'boolean') return false;
  lines.unit(before);
  if (typeof value === 'string') lines.json(value, stringify);
  else lines.text(value ? 'true' : 'false');
  return true;
}

const [tab, blank, plus, comma, bracket] = [9, 32, 43, 44, 91];

/** Where `nextNumber` goes on. */
let readFrom = 0;

/** The whole number that stands next in a line, and the blank or tab after it: taken digit by digit, as millions are read. */
function nextNumber(line: string): number {
  let number = 0;
  for (;;) {
    const digit = line.charCodeAt(readFrom++) - 48;
    if (!(digit >= 0)) return number;
    number = number * 10 + digit;
  }
}

/** A plain pass as whole results are; what takes time is worked out when it is asked for. */
class ReadPass implements RecordedResult {
  readonly status = 'passed';
  readonly attempts = 1;
  readonly failures = [];
  readonly steps = [];
  readonly output = [];
  readonly attachments = [];
  readonly test: number;
  readonly ordinal: number;
  readonly start: number;
  readonly times: { readonly setup: number; readonly body: number; readonly teardown: number };
  readonly checks: { readonly passed: number; readonly failed: 0 };
  readonly #twin: number;
  readonly #line: number;
  readonly #values: string;
  #row: Readonly<Record<string, unknown>> | undefined;
  readonly #header: TestHeader | undefined;

  constructor(line: string, headers: ReadonlyMap<number, TestHeader>) {
    readFrom = 1;
    this.test = nextNumber(line);
    this.ordinal = nextNumber(line);
    this.#twin = nextNumber(line);
    this.start = nextNumber(line) / 1000;
    this.times = { setup: nextNumber(line) / 1000, body: nextNumber(line) / 1000, teardown: nextNumber(line) / 1000 };
    this.checks = { passed: nextNumber(line), failed: 0 };
    this.#line = nextNumber(line);
    this.#values = line.slice(readFrom);
    this.#header = headers.get(this.test);
  }

  get row(): Readonly<Record<string, unknown>> {
    if (!this.#row) {
      const values = JSON.parse(this.#values) as unknown[];
      this.#row = Object.fromEntries((this.#header?.columns ?? []).map((column, i) => [column, values[i]]));
    }
    return this.#row;
  }
  get id(): string {
    return idOf(this.#header?.id ?? '', this.#header?.source === undefined ? undefined : caseSlug(this.row, undefined), this.#twin);
  }
  get title(): string {
    const path = this.#header?.path ?? [];
    const template = readTitle(path.at(-1) ?? '');
    const { row } = this;
    return titleOf([...path.slice(0, -1), fillTitle(template, row)], hasPlaceholders(template) ? '' : nameOfValues(row));
  }
  get tags(): readonly string[] {
    return this.#header?.tags ?? [];
  }
  get place(): Place | undefined {
    return this.#line && this.#header?.data !== undefined ? { file: this.#header.data, line: this.#line, column: 1 } : undefined;
  }
}

/** What a line holds that is no plain pass; undefined for one that was torn off. */
export function readEntry(line: string): JournalEntry | undefined {
  try {
    return JSON.parse(line) as JournalEntry;
  } catch {
    return undefined;
  }
}

/** Reads the lines of one journal, in their order. */
export class JournalReader {
  readonly #headers = new Map<number, TestHeader>();

  /** The entry that a line holds; undefined for a line that was torn off while it was written, or changed since. */
  read(line: string): JournalEntry | undefined {
    if (line.startsWith('+')) return line.endsWith(']') ? { is: 'ended', result: new ReadPass(line, this.#headers) } : undefined;
    const entry = readEntry(line);
    if (entry?.is === 'ended' && typeof entry.result?.id !== 'string') return undefined;
    if (entry?.is === 'test') this.#headers.set(entry.header.test, entry.header);
    return entry;
  }
}
