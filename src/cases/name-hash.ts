import { MAX_DIGITS, writeDigits } from './digits.ts';
import { isIdentifierUnit, isLiteralWord, MAX_WORD_LENGTH, mayStartLiteral } from './identifiers.ts';

const a = 0x85ebca6b;
const b = 0x5f356495;

/** A text that occurs in many names, with its precomputed effect on their hashes. */
export class PreparedHash {
  readonly text: string;
  readonly a: number;
  readonly b: number;
  readonly powerOfA: number;
  readonly powerOfB: number;

  constructor(text: string) {
    this.text = text;
    let [hashA, hashB, powerOfA, powerOfB] = [0, 0, 1, 1];
    for (let i = 0; i < text.length; i++) {
      hashA = (Math.imul(hashA, a) + text.charCodeAt(i)) | 0;
      hashB = (Math.imul(hashB, b) + text.charCodeAt(i)) | 0;
      powerOfA = Math.imul(powerOfA, a);
      powerOfB = Math.imul(powerOfB, b);
    }
    this.a = hashA;
    this.b = hashB;
    this.powerOfA = powerOfA;
    this.powerOfB = powerOfB;
  }
}

/**
 * Two hashes of a name that arrives in pieces, independent of how it is split.
 *
 * Each is a polynomial of the name's UTF-16 units (M. O. Rabin, R. M. Karp, 1987), modulo 2^32, so that a prepared piece takes one step.
 * Numbers are signed, since engines store those without allocation.
 */
export class NameHash {
  length = 0;
  #a = 0;
  #b = 0;
  readonly #digits = new Uint8Array(MAX_DIGITS);

  clear(): void {
    this.length = 0;
    this.#a = 0;
    this.#b = 0;
  }

  text(part: string): void {
    let hashA = this.#a;
    let hashB = this.#b;
    for (let i = 0; i < part.length; i++) {
      const unit = part.charCodeAt(i);
      hashA = (Math.imul(hashA, a) + unit) | 0;
      hashB = (Math.imul(hashB, b) + unit) | 0;
    }
    this.#a = hashA;
    this.#b = hashB;
    this.length += part.length;
  }

  word(text: string): boolean {
    if (text.length > MAX_WORD_LENGTH || text.length === 0) return false;
    let hashA = this.#a;
    let hashB = this.#b;
    for (let i = 0; i < text.length; i++) {
      const unit = text.charCodeAt(i);
      if (!isIdentifierUnit(unit, i)) return false;
      hashA = (Math.imul(hashA, a) + unit) | 0;
      hashB = (Math.imul(hashB, b) + unit) | 0;
    }
    if (mayStartLiteral(text.charCodeAt(0)) && isLiteralWord(text)) return false;
    this.#a = hashA;
    this.#b = hashB;
    this.length += text.length;
    return true;
  }

  /** Adds a number as `String` formats it, with the sign of a zero. */
  number(number: number): void {
    const length = writeDigits(this.#digits, 0, number);
    if (length < 0) {
      this.text(Object.is(number, -0) ? '-0' : String(number));
      return;
    }
    let hashA = this.#a;
    let hashB = this.#b;
    for (let i = 0; i < length; i++) {
      const unit = this.#digits[i] as number;
      hashA = (Math.imul(hashA, a) + unit) | 0;
      hashB = (Math.imul(hashB, b) + unit) | 0;
    }
    this.#a = hashA;
    this.#b = hashB;
    this.length += length;
  }

  prepared(part: PreparedHash): void {
    this.#a = (Math.imul(this.#a, part.powerOfA) + part.a) | 0;
    this.#b = (Math.imul(this.#b, part.powerOfB) + part.b) | 0;
    this.length += part.text.length;
  }

  /** 32 bits. */
  get primaryHash(): number {
    return mixBits(this.#a ^ this.length);
  }

  /** 32 bits that are independent of the primary hash, and never all zero. */
  get secondaryHash(): number {
    return mixBits(this.#b) || 1;
  }
}

/** Spreads differences in a few bits over all of them. */
function mixBits(hash: number): number {
  const once = Math.imul(hash ^ (hash >>> 16), 0x7feb352d);
  const twice = Math.imul(once ^ (once >>> 15), 0x846ca68b);
  return (twice ^ (twice >>> 16)) >>> 0;
}

/**
 * 30 bits that equal words share, for the word between two positions of a text; -1 for anything else. Used for single cells of millions of
 * records.
 */
export function hashWord(text: string, from: number, to: number): number {
  if (to === from || to - from > MAX_WORD_LENGTH) return -1;
  let hash = 0;
  for (let at = from; at < to; at++) {
    const unit = text.charCodeAt(at);
    if (!isIdentifierUnit(unit, at - from)) return -1;
    hash = (Math.imul(hash, a) + unit) | 0;
  }
  return mixBits(hash) >>> 2;
}
