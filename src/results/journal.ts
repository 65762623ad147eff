import type { Span } from '../fixtures/instance.ts';
import type { Problem } from '../problems/problem.ts';
import type { BindingUse } from '../running/bindings.ts';
import type { Explanation } from '../running/explain.ts';
import type { CaseResult } from '../running/result.ts';
import type { Left } from '../running/run.ts';
import type { Piece } from '../suites/pieces.ts';
import type { Leak } from './leaks.ts';
import { isBlock, type PassBlock, readBlock } from './pass-block.ts';
import { endOfLine, Headers, isPass, type ReadPass, readPass } from './plain-pass.ts';
import type { CaseName, RecordedResult, TestHeader } from './recorded-result.ts';

/** The journal's shape is this package's own; a reader refuses what it does not know. */
export const journalVersion = 4;

/** What a lane is about to do, and how long that may take: whoever watches it ends a lane that goes silent for longer. */
export interface Activity {
  readonly what: 'load' | 'plan' | 'setup' | 'body' | 'teardown';
  /** The file, the test or the fixture's scope. */
  readonly name: string;
  /** Milliseconds. */
  readonly limit: number;
}

/** One line of a journal. */
export type JournalEntry =
  | { readonly type: 'header'; readonly version: number; readonly lane: number }
  | { readonly type: 'activity'; readonly activity: Activity }
  /** `reads` are the sources that it reaches, as URLs. */
  | { readonly type: 'loaded'; readonly file: string; readonly milliseconds: number; readonly reads: readonly string[] }
  | {
      readonly type: 'planned';
      readonly files: number;
      readonly tests: number;
      readonly problems: readonly Problem[];
      readonly warnings: readonly Problem[] /** Of its tests, in order. */;
      readonly hash: string;
      /** Options to write instead of those that match nothing. */
      readonly suggestions?: readonly string[];
    }
  /** What lanes can run apart, and the ids of all tests in the order of the plan. */
  | { readonly type: 'pieces'; readonly pieces: readonly Piece[]; readonly tests: readonly string[] }
  /** The process comes to its end by what the last result tells: nobody else is to be charged with it. */
  | { readonly type: 'exit-attributed' }
  /** The moment that times of cases and fixtures are counted from: milliseconds since 1970. */
  | { readonly type: 'running'; readonly at: number }
  /** Waits for something to do. */
  | { readonly type: 'idle' }
  | { readonly type: 'test'; readonly header: TestHeader }
  /** What is odd about a source, where cases are listed. */
  | { readonly type: 'source-warning'; readonly problem: Problem }
  | { readonly type: 'listed'; readonly name: CaseName }
  | { readonly type: 'started'; readonly name: CaseName; readonly attempt: number; readonly start: number }
  | { readonly type: 'streaming'; readonly test: number; readonly limit: number }
  | { readonly type: 'ended'; readonly result: RecordedResult }
  /** Many at once, for whoever wants no more than their sums. */
  | { readonly type: 'passed'; readonly block: PassBlock }
  /** A shared fixture's tear-down that failed. */
  | { readonly type: 'teardown-failed'; readonly id: string; readonly title: string; readonly result: Omit<CaseResult, 'attachments'> }
  | { readonly type: 'test-ended'; readonly test: number }
  | { readonly type: 'span'; readonly span: Span }
  | { readonly type: 'explained'; readonly explanation: Explanation }
  | { readonly type: 'problem'; readonly problem: Problem }
  | { readonly type: 'output'; readonly text: string }
  | { readonly type: 'leaks'; readonly leaks: readonly Leak[] }
  | { readonly type: 'bindings'; readonly uses: readonly BindingUse[]; readonly warnings: readonly Problem[] }
  /** `unrun` are cases that its run ended before: what goes on with the run may have run them since. */
  | { readonly type: 'finished'; readonly selected: number; readonly stuck: boolean; readonly unrun?: Left };

export const writeEntry = (entry: JournalEntry, stringify: (value: unknown) => string): string => `${stringify(entry)}\n`;

/** What a line holds that is no plain pass; undefined for one that was torn off. */
export function readEntry(line: string): JournalEntry | undefined {
  try {
    return JSON.parse(line) as JournalEntry;
  } catch {
    return undefined;
  }
}

const mostAtOnce = 256;
const encoder = new TextEncoder();
const decoder = new TextDecoder();

/** Reads the lines of a journal in their order; of several, where a header comes before what is read of another. */
export class JournalReader {
  readonly #headers = new Headers();
  /** By lane: the plain pass that its last line was, if it was one. */
  readonly #before: (ReadPass | undefined)[] = [];
  #lane = 0;

  /** The entry that a line holds; undefined for a line that was torn off while it was written, or changed since. */
  read(line: string): JournalEntry | undefined {
    if (!isPass(line.charCodeAt(0))) return this.#other(line);
    const result = this.#pass(encoder.encode(line), 0);
    return result && { type: 'ended', result };
  }

  /**
   * The entries of whole lines, in UTF-8, with their ends; some at a time, so that they are gone before the next come. The bytes are not to
   * change any more: what is seldom asked for stays in them. `inBlocks`: plain passes that follow each other come as one entry.
   */
  *readAll(lines: Uint8Array, inBlocks = false): Generator<readonly JournalEntry[]> {
    let entries: JournalEntry[] = [];
    for (let from = 0; from < lines.length; ) {
      if (entries.length === mostAtOnce) {
        yield entries;
        entries = [];
      }
      let end = from;
      const block = inBlocks && isBlock(lines[from]) ? readBlock(lines, from, this.#headers) : undefined;
      if (block) {
        entries.push({ type: 'passed', block: block.block });
        from = block.end;
        continue;
      }
      if (isPass(lines[from])) {
        const result = this.#pass(lines, from);
        if (result) entries.push({ type: 'ended', result });
        end = result?.end ?? endOfLine(lines, from);
      } else {
        end = endOfLine(lines, from);
        const entry = this.#other(decoder.decode(lines.subarray(from, end)));
        if (entry) entries.push(entry);
      }
      from = end + 1;
    }
    yield entries;
  }

  #pass(lines: Uint8Array, from: number): ReadPass | undefined {
    const pass = readPass(lines, from, this.#headers, this.#before[this.#lane]);
    this.#before[this.#lane] = pass;
    return pass;
  }

  #other(line: string): JournalEntry | undefined {
    const entry = isBlock(line.charCodeAt(0)) ? undefined : readEntry(line);
    if (entry?.type === 'header') this.#lane = entry.lane;
    else this.#before[this.#lane] = undefined;
    if (entry?.type === 'ended' && typeof entry.result?.id !== 'string') return undefined;
    if (entry?.type === 'test') this.#headers.set(entry.header);
    return entry;
  }
}
