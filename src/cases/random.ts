import { hash } from './hash.ts';

/** Repeatable pseudo-random values: the same seed and case give the same values. */
export interface Random {
  /** Returns an integer from `from` to `to`, both included. */
  integer(from: number, to: number): number;
  /** Returns a number from `from` (included) to `to` (excluded). */
  real(from: number, to: number): number;
  pick<T>(items: readonly T[]): T;
  /** Returns `length` characters of an alphabet. Default: lower-case Latin letters. */
  text(length: number, alphabet?: string): string;
  /** Returns the items in random order. */
  shuffle<T>(items: readonly T[]): T[];
}

/** A generator from any text: 32-bit steps of splitmix (Steele, Lea and Flood, 2014). */
export function createRandom(seed: string): Random {
  let state = Number.parseInt(hash(seed, 8), 16) | 0;
  const unit = (): number => {
    state = (state + 0x9e3779b9) | 0;
    let mixed = Math.imul(state ^ (state >>> 16), 0x21f0aaad);
    mixed = Math.imul(mixed ^ (mixed >>> 15), 0x735a2d97);
    return ((mixed ^ (mixed >>> 15)) >>> 0) / 2 ** 32;
  };
  const integer = (from: number, to: number): number => from + Math.floor(unit() * (to - from + 1));
  const pick = <T>(items: readonly T[]): T => items[integer(0, items.length - 1)] as T;
  return {
    integer,
    real: (from, to) => from + unit() * (to - from),
    pick,
    text: (length, alphabet = 'abcdefghijklmnopqrstuvwxyz') => Array.from({ length }, () => pick([...alphabet])).join(''),
    shuffle(items) {
      const shuffled = [...items];
      for (let i = shuffled.length - 1; i > 0; i--) {
        const j = integer(0, i);
        [shuffled[i], shuffled[j]] = [shuffled[j] as never, shuffled[i] as never];
      }
      return shuffled;
    },
  };
}
