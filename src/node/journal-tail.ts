import type { JournalEntry } from '../results/journal/entries.ts';
import { JournalReader } from '../results/journal/reader.ts';
import { LineReader } from './line-reader.ts';

/** Follows a journal while it grows. */
export class JournalTail {
  readonly #reader = new JournalReader();
  readonly #lines: LineReader;

  readonly #inBlocks: boolean;

  /** `inBlocks`: plain passes that follow each other come as one entry. */
  constructor(path: string, inBlocks = false) {
    this.#lines = new LineReader(path);
    this.#inBlocks = inBlocks;
  }

  /** The whole entries that came since the last call, some at a time. */
  *read(): Generator<readonly JournalEntry[]> {
    for (const piece of this.#lines.pieces()) yield* this.#reader.readAll(piece, this.#inBlocks);
  }

  close(): void {
    this.#lines.close();
  }
}
