import type { JournalEntry } from '../results/journal/entries.ts';
import { type EntryFilter, JournalReader } from '../results/journal/reader.ts';
import { LineReader } from './line-reader.ts';

/** Follows a growing journal. */
export class JournalTail {
  readonly #reader = new JournalReader();
  readonly #lines: LineReader;

  readonly #filter: EntryFilter;

  constructor(path: string, filter: EntryFilter = {}) {
    this.#lines = new LineReader(path);
    this.#filter = filter;
  }

  /** The complete entries since the last call, in batches. */
  *read(): Generator<readonly JournalEntry[]> {
    for (const chunk of this.#lines.chunks()) yield* this.#reader.readAll(chunk, this.#filter);
  }

  close(): void {
    this.#lines.close();
  }
}
