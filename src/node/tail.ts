import { type JournalEntry, JournalReader } from '../results/journal.ts';
import { Lines } from './lines.ts';

/** Follows a journal while it grows. */
export class Tail {
  readonly #reader = new JournalReader();
  readonly #lines: Lines;

  constructor(path: string) {
    this.#lines = new Lines(path);
  }

  /** The whole entries that came since the last call. */
  *read(): Generator<JournalEntry> {
    for (const line of this.#lines.read()) {
      const entry = this.#reader.read(line);
      if (entry) yield entry;
    }
  }

  close(): void {
    this.#lines.close();
  }
}
