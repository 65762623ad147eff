import { isPlainIdentifier } from './identifiers.ts';
import type { RowIdentity } from './identity.ts';

/** A column up to this length fits into a name together with the longest word. */
const MAX_COLUMN_LENGTH = 30;

/**
 * Detects rows that rise: the value in the first column of each is larger than in the row before, as a number or as a longer or later word.
 * Numbered records are like that. Names start with that column, so that all of them differ and need not be stored.
 */
export class RisingKeyDetector {
  #column: string | undefined;
  #last: number | string | undefined;

  /** Whether these rows rise, and continue those before. */
  isStillRising(cases: readonly RowIdentity[]): boolean {
    for (let i = 0; i < cases.length; i++) {
      const { row, name } = cases[i] as RowIdentity;
      if (name !== undefined || !this.#rises(row)) return false;
    }
    return true;
  }

  #rises(row: object): boolean {
    for (const column in row) {
      if (column !== this.#column) {
        if (this.#column !== undefined || column.length > MAX_COLUMN_LENGTH || !isPlainIdentifier(column)) return false;
        this.#column = column;
      }
      const value: unknown = (row as Record<string, unknown>)[column];
      const last = this.#last;
      if (typeof value === 'number') {
        if (!(last === undefined || (typeof last === 'number' && value > last))) return false;
      } else if (typeof value !== 'string' || !isPlainIdentifier(value) || !(last === undefined || (typeof last === 'string' && isAfter(value, last))))
        return false;
      this.#last = value;
      return true;
    }
    return false;
  }
}

/** B9 comes before B10. */
const isAfter = (word: string, last: string): boolean => word.length > last.length || (word.length === last.length && word > last);
