import { endOfLine, type Headers, type ReadPass, readPass } from './compact-pass.ts';

const STAR = 42;
const ZERO = 48;
/** The number of bits in one character of a block's head. */
const BITS_PER_DIGIT = 6;
/** Fewer passes are read as fast as their sums. */
const MIN_PASSES = 16;
/** The maximum number of missing rows between two passes of one block. */
const MAX_GAP = 64;

const encoder = new TextEncoder();
const decoder = new TextDecoder();

/**
 * Sums up consecutive compact passes in a journal, so that readers that only count them need not read each.
 *
 * The head of a block precedes its lines: `*bytes test passes first microseconds longest unchecked rows`. These are the number of bytes of
 * the lines, the test, the number of passes, the ordinal of the first row, the total time and the longest, and the number of passes without
 * a check. `rows` has one bit for each ordinal from the first, six to a character, and is left out if no row is missing.
 */
export class PassBlockBuilder {
  #test = -1;
  #first = 0;
  #last = 0;
  #passes = 0;
  #microseconds = 0;
  #longest = 0;
  #unchecked = 0;
  #hasGap = false;
  #rows = new Uint8Array(1024);
  /** The position of the block's lines among those that have not been written yet. */
  from = 0;

  /** Whether a pass can be added to the block. Any pass can start an empty block. */
  canAppend(test: number, ordinal: number): boolean {
    return this.#passes === 0 || (test === this.#test && ordinal > this.#last && ordinal - this.#last <= MAX_GAP);
  }

  /** `time` is in microseconds. `from` is the position of the pass's line. */
  add(test: number, ordinal: number, time: number, checks: number, from: number): void {
    if (this.#passes === 0) {
      this.from = from;
      this.#test = test;
      this.#first = ordinal;
    } else if (ordinal - this.#first !== this.#passes) this.#mark(ordinal);
    this.#last = ordinal;
    this.#passes++;
    this.#microseconds += time;
    if (time > this.#longest) this.#longest = time;
    if (checks === 0) this.#unchecked++;
  }

  /** Marks a row after a gap. Rows before the first gap need no marks until then. */
  #mark(ordinal: number): void {
    if (!this.#hasGap) for (let row = 0; row < this.#passes; row++) this.#set(row);
    this.#hasGap = true;
    this.#set(ordinal - this.#first);
  }

  #set(row: number): void {
    const at = (row / BITS_PER_DIGIT) | 0;
    if (at >= this.#rows.length) {
      const wider = new Uint8Array(Math.max(at + 1, this.#rows.length * 2));
      wider.set(this.#rows);
      this.#rows = wider;
    }
    this.#rows[at] = (this.#rows[at] as number) | (1 << (row % BITS_PER_DIGIT));
  }

  /** Writes the head of the block if the block is long enough. The next pass starts a new block. */
  end(bytes: number): Uint8Array | undefined {
    if (this.#passes === 0) return undefined;
    const fields = [bytes, this.#test, this.#passes, this.#first, this.#microseconds, this.#longest, this.#unchecked];
    const rows = this.#rows.subarray(0, Math.ceil((this.#last - this.#first + 1) / BITS_PER_DIGIT));
    const marks = this.#hasGap ? ` ${decoder.decode(rows.map((bits) => bits + ZERO))}` : '';
    const head = this.#passes < MIN_PASSES ? undefined : encoder.encode(`*${fields.join(' ')}${marks}\n`);
    if (this.#hasGap) rows.fill(0);
    this.#hasGap = false;
    this.#passes = this.#microseconds = this.#longest = this.#unchecked = 0;
    return head;
  }
}

/** Compact passes of one test, read together. */
export interface PassBlock {
  readonly test: number;
  readonly passes: number;
  /** The total time in milliseconds, like `longest`. */
  readonly milliseconds: number;
  readonly longest: number;
  /** The number of passes without a check. */
  readonly unchecked: number;
  /** The ordinals of the rows, in order. */
  ordinals(): Int32Array;
  /** Each result by itself. */
  results(): Iterable<ReadPass>;
}

export const isBlock = (unit: number | undefined): boolean => unit === STAR;

/**
 * Reads the block whose head is at a position, if it is one and all its lines are there. Returns it with the end of its lines. The bytes
 * must not change afterwards.
 */
export function readBlock(bytes: Uint8Array, from: number, headers: Headers): { block: PassBlock; end: number } | undefined {
  const begin = endOfLine(bytes, from) + 1;
  const fields = decoder.decode(bytes.subarray(from + 1, begin - 1)).split(' ');
  const [length, test, passes, first, microseconds, longest, unchecked] = fields.slice(0, HEAD_NUMBERS).map(Number) as Head;
  const end = begin + length;
  // Whatever the head contains: the line of a pass has more than one byte.
  if (!(unchecked >= 0 && passes >= 0 && passes < length && end <= bytes.length)) return undefined;
  const rows = fields[HEAD_NUMBERS];
  return {
    block: {
      test,
      passes,
      milliseconds: microseconds / 1000,
      longest: longest / 1000,
      unchecked,
      ordinals: () => (rows === undefined ? new Int32Array(passes).map((_, i) => first + i) : readOrdinals(first, passes, rows)),
      results: () => expandResults(bytes.subarray(begin, end), headers),
    },
    end,
  };
}

/** Bytes, test, passes, first, microseconds, longest, unchecked. */
type Head = [number, number, number, number, number, number, number];
const HEAD_NUMBERS = 7;

function readOrdinals(first: number, passes: number, rows: string): Int32Array {
  const ordinals = new Int32Array(passes);
  let count = 0;
  for (let at = 0; at < rows.length; at++) {
    const bits = rows.charCodeAt(at) - ZERO;
    for (let bit = 0; bit < BITS_PER_DIGIT; bit++) if (bits & (1 << bit)) ordinals[count++] = first + at * BITS_PER_DIGIT + bit;
  }
  return ordinals.subarray(0, count);
}

function* expandResults(lines: Uint8Array, headers: Headers): Generator<ReadPass> {
  let pass: ReadPass | undefined;
  for (let from = 0; from < lines.length; from = endOfLine(lines, from) + 1) {
    pass = readPass(lines, from, headers, pass);
    if (pass) yield pass;
  }
}
