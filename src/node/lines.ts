import { closeSync, openSync, readSync } from 'node:fs';
import { StringDecoder } from 'node:string_decoder';

const piece = Buffer.alloc(256 * 1024);

/** The whole lines of a file that may still grow. */
export class Lines {
  readonly #path: string;
  readonly #decoder = new StringDecoder('utf8');
  #file: number | undefined;
  #offset = 0;
  /** What has come of a line that has not ended. */
  rest = '';

  constructor(path: string) {
    this.#path = path;
  }

  /** Those that came since the last call, many at a time; none while there is no such file. */
  *read(): Generator<readonly string[]> {
    try {
      this.#file ??= openSync(this.#path, 'r');
    } catch {
      return;
    }
    for (;;) {
      const length = readSync(this.#file, piece, 0, piece.length, this.#offset);
      if (length === 0) return;
      this.#offset += length;
      const lines = (this.rest + this.#decoder.write(piece.subarray(0, length))).split('\n');
      this.rest = lines.pop() as string;
      yield lines;
    }
  }

  close(): void {
    if (this.#file !== undefined) closeSync(this.#file);
    this.#file = undefined;
  }
}
