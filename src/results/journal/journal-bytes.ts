import { type CompactPass, PassWriter } from './compact-pass.ts';
import { encodeEntry, type JournalEntry } from './entries.ts';
import { Utf8LineBuffer } from './line-buffer.ts';
import { PassBlockBuilder } from './pass-block.ts';

type Stringify = (value: unknown) => string;

/** The lines of a journal that have not been written yet, in UTF-8. */
export class JournalBytes {
  readonly #stringify: Stringify;
  readonly #lines = new Utf8LineBuffer();
  readonly #passes = new PassWriter();
  readonly #block = new PassBlockBuilder();

  constructor(stringify: Stringify) {
    this.#stringify = stringify;
  }

  get length(): number {
    return this.#lines.length;
  }

  put(entry: JournalEntry): void {
    this.#endBlock();
    this.#lines.text(encodeEntry(entry, this.#stringify));
  }

  /** Returns false, and writes nothing, for a row that a compact line cannot contain under the columns of its test. */
  pass(pass: CompactPass, columns: readonly string[]): boolean {
    const { test, ordinal, checks } = pass;
    if (!this.#block.canAppend(test, ordinal)) this.#endBlock();
    const from = this.#lines.length;
    if (!this.#passes.write(pass, columns, this.#lines, this.#stringify)) return false;
    this.#block.add(test, ordinal, this.#passes.time, checks, from);
    return true;
  }

  /** The bytes since the last call. They are valid until more are added. */
  take(): Uint8Array {
    this.#endBlock();
    return this.#lines.take();
  }

  /** Makes the next line readable without the lines before it. */
  #endBlock(): void {
    const { from } = this.#block;
    const head = this.#block.end(this.#lines.length - from);
    if (head) this.#lines.insert(from, head);
    this.#passes.resetDelta();
  }
}
