import { closeSync, openSync, readSync } from 'node:fs';

const buffer = new Uint8Array(256 * 1024);
const LINE_FEED = 10;
const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** The whole lines of a file that may still grow. */
export class LineReader {
  readonly #path: string;
  #file: number | undefined;
  #offset = 0;
  /** What has come of a line that has not ended. */
  readonly #begun: Uint8Array[] = [];

  constructor(path: string) {
    this.#path = path;
  }

  /** The lines since the last call, in batches; none while the file does not exist. */
  *read(): Generator<readonly string[]> {
    for (const piece of this.pieces()) yield decoder.decode(piece.subarray(0, -1)).split('\n');
  }

  /** The same as they stand, in UTF-8 and with their ends. */
  *pieces(): Generator<Uint8Array> {
    try {
      this.#file ??= openSync(this.#path, 'r');
    } catch {
      return;
    }
    for (;;) {
      const length = readSync(this.#file, buffer, 0, buffer.length, this.#offset);
      if (length === 0) return;
      this.#offset += length;
      // With a long line, no end may be in sight.
      const end = buffer.lastIndexOf(LINE_FEED, length - 1) + 1;
      const whole = end === 0 ? undefined : Buffer.concat([...this.#begun.splice(0), buffer.subarray(0, end)]);
      if (end < length) this.#begun.push(buffer.slice(end, length));
      if (whole) yield whole;
    }
  }

  /** What stands behind the last whole line. */
  get rest(): string {
    return decoder.decode(Buffer.concat(this.#begun));
  }

  close(): void {
    if (this.#file !== undefined) closeSync(this.#file);
    this.#file = undefined;
  }
}
