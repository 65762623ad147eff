import { closeSync, openSync, readSync } from 'node:fs';
import { StringDecoder } from 'node:string_decoder';
import { type JournalEntry, JournalReader } from '../results/journal.ts';

const piece = Buffer.alloc(256 * 1024);

/** Follows a journal while it grows. */
export class Tail {
  readonly #path: string;
  readonly #reader = new JournalReader();
  readonly #decoder = new StringDecoder('utf8');
  #file: number | undefined;
  #offset = 0;
  #rest = '';

  constructor(path: string) {
    this.#path = path;
  }

  /** The whole entries that came since the last call. */
  *read(): Generator<JournalEntry> {
    try {
      this.#file ??= openSync(this.#path, 'r');
    } catch {
      return;
    }
    for (;;) {
      const length = readSync(this.#file, piece, 0, piece.length, this.#offset);
      if (length === 0) return;
      this.#offset += length;
      const lines = (this.#rest + this.#decoder.write(piece.subarray(0, length))).split('\n');
      this.#rest = lines.pop() as string;
      for (const line of lines) {
        const entry = this.#reader.read(line);
        if (entry) yield entry;
      }
    }
  }

  close(): void {
    if (this.#file !== undefined) closeSync(this.#file);
    this.#file = undefined;
  }
}
