import { MAX_DIGITS, writeDigits } from '../../cases/digits.ts';

const ZERO = 48;
const QUOTE = 34;
const BACKSLASH = 92;
/** The maximum length of a text that is written character by character. Above, the runtime's encoder is faster. */
const SHORT_TEXT_LENGTH = 64;
const encoder = new TextEncoder();

/** Builds lines of UTF-8 byte by byte, for what is written millions of times. */
export class Utf8LineBuffer {
  #bytes = new Uint8Array(1 << 17);
  #length = 0;

  /** The number of bytes. */
  get length(): number {
    return this.#length;
  }

  /** The bytes since the last call. They are valid until more are added. */
  take(): Uint8Array {
    const taken = this.#bytes.subarray(0, this.#length);
    this.#length = 0;
    return taken;
  }

  /** Removes everything after a length. Always returns false. */
  truncate(length: number): false {
    this.#length = length;
    return false;
  }

  /** Inserts bytes at a position. */
  insert(at: number, bytes: Uint8Array): void {
    this.#ensureCapacity(bytes.length);
    this.#bytes.copyWithin(at + bytes.length, at, this.#length);
    this.#bytes.set(bytes, at);
    this.#length += bytes.length;
  }

  /** Writes one ASCII character. */
  writeByte(code: number): void {
    if (this.#length === this.#bytes.length) this.#ensureCapacity(1);
    this.#bytes[this.#length++] = code;
  }

  text(text: string): void {
    if (text.length > SHORT_TEXT_LENGTH || !this.#put(text, false)) this.#encode(text);
  }

  /** Writes a text as JSON. */
  json(text: string, stringify: (value: string) => string): void {
    this.writeByte(QUOTE);
    if (this.#put(text, true)) this.writeByte(QUOTE);
    else {
      this.#length--;
      this.#encode(stringify(text));
    }
  }

  /** Writes a finite number as JSON, after an ASCII character. */
  number(before: number, number: number): void {
    const from = this.#length;
    if (from + 1 + MAX_DIGITS > this.#bytes.length) this.#ensureCapacity(1 + MAX_DIGITS);
    const bytes = this.#bytes;
    bytes[from] = before;
    // Most numbers have one digit.
    if ((number > 0 && number < 10 && (number | 0) === number) || Object.is(number, 0)) {
      bytes[from + 1] = ZERO + number;
      this.#length = from + 2;
    } else this.#digits(from + 1, number);
  }

  #digits(from: number, number: number): void {
    const end = writeDigits(this.#bytes, from, number);
    this.#length = end < 0 ? from : end;
    if (end < 0) this.text(String(number));
  }

  /** Writes a text of plain characters. Writes nothing for any other text. */
  #put(text: string, quoted: boolean): boolean {
    this.#ensureCapacity(text.length);
    const from = this.#length;
    for (let i = 0; i < text.length; i++) {
      const unit = text.charCodeAt(i);
      if (unit > 126 || (quoted && (unit < 32 || unit === QUOTE || unit === BACKSLASH))) return false;
      this.#bytes[from + i] = unit;
    }
    this.#length = from + text.length;
    return true;
  }

  #encode(text: string): void {
    this.#ensureCapacity(text.length * 3);
    this.#length += encoder.encodeInto(text, this.#bytes.subarray(this.#length)).written;
  }

  /** Makes room for `room` more bytes. */
  #ensureCapacity(room: number): void {
    if (this.#length + room <= this.#bytes.length) return;
    const larger = new Uint8Array(Math.max(this.#bytes.length * 2, this.#length + room));
    larger.set(this.#bytes.subarray(0, this.#length));
    this.#bytes = larger;
  }
}
