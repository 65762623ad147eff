import type { Distinct } from './identity.ts';
import { isWord } from './word.ts';

/** With the longest word behind it, a column that is no longer than this stands in a name whole. */
const longestColumn = 30;

/**
 * Tells whether rows rise: each holds more in its first column than the one before, a number or a longer or later word, as numbered
 * records do. Names begin with that column, so no two of them are the same, and nobody has to remember them.
 */
export class Rising {
  #column: string | undefined;
  #last: number | string | undefined;

  /** Whether these rise, and go on from those before. */
  goesOn(cases: readonly Distinct[]): boolean {
    for (let i = 0; i < cases.length; i++) {
      const { row, name } = cases[i] as Distinct;
      if (name !== undefined || !this.#rises(row)) return false;
    }
    return true;
  }

  #rises(row: object): boolean {
    for (const column in row) {
      if (column !== this.#column) {
        if (this.#column !== undefined || column.length > longestColumn || !isWord(column)) return false;
        this.#column = column;
      }
      const value: unknown = (row as Record<string, unknown>)[column];
      const last = this.#last;
      if (typeof value === 'number') {
        if (!Number.isFinite(value) || !(last === undefined || (typeof last === 'number' && value > last))) return false;
      } else if (typeof value !== 'string' || !isWord(value) || !(last === undefined || (typeof last === 'string' && isAfter(value, last)))) return false;
      this.#last = value;
      return true;
    }
    return false;
  }
}

/** B9 comes before B10. */
const isAfter = (word: string, last: string): boolean => word.length > last.length || (word.length === last.length && word > last);
