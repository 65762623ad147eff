import { closeSync, openSync, readSync } from 'node:fs';

const buffer = new Uint8Array(256 * 1024);
const LINE_FEED = 10;
const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** Reads the complete lines of a file that can still grow. */
export class LineReader {
  readonly #path: string;
  #file: number | undefined;
  #offset = 0;
  /** The beginning of a line that is not complete. */
  readonly #begun: Uint8Array[] = [];

  constructor(path: string) {
    this.#path = path;
  }

  /** The lines since the last call, in batches. Empty if the file does not exist. */
  *read(): Generator<readonly string[]> {
    for (const chunk of this.chunks()) yield decoder.decode(chunk.subarray(0, -1)).split('\n');
  }

  /** The same as UTF-8 bytes, with line endings. */
  *chunks(): Generator<Uint8Array> {
    try {
      this.#file ??= openSync(this.#path, 'r');
    } catch {
      return;
    }
    for (;;) {
      const length = readSync(this.#file, buffer, 0, buffer.length, this.#offset);
      if (length === 0) return;
      this.#offset += length;
      // A long line can exceed the buffer.
      const end = buffer.lastIndexOf(LINE_FEED, length - 1) + 1;
      const whole = end === 0 ? undefined : Buffer.concat([...this.#begun.splice(0), buffer.subarray(0, end)]);
      if (end < length) this.#begun.push(buffer.slice(end, length));
      if (whole) yield whole;
    }
  }

  /** The text after the last complete line. */
  get rest(): string {
    return decoder.decode(Buffer.concat(this.#begun));
  }

  close(): void {
    if (this.#file !== undefined) closeSync(this.#file);
    this.#file = undefined;
  }
}
