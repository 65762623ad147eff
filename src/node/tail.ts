import { type JournalEntry, JournalReader } from '../results/journal.ts';
import { Lines } from './lines.ts';

/** Follows a journal while it grows. */
export class Tail {
  readonly #reader = new JournalReader();
  readonly #lines: Lines;

  constructor(path: string) {
    this.#lines = new Lines(path);
  }

  /** The whole entries that came since the last call, some at a time. */
  *read(): Generator<readonly JournalEntry[]> {
    for (const piece of this.#lines.pieces()) yield* this.#reader.readAll(piece);
  }

  close(): void {
    this.#lines.close();
  }
}
