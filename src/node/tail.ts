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
    for (const lines of this.#lines.read()) {
      for (let at = 0; at < lines.length; at++) {
        const entry = this.#reader.read(lines[at] as string);
        if (entry) yield entry;
      }
    }
  }

  close(): void {
    this.#lines.close();
  }
}
