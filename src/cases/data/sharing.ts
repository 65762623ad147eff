import { hashOfWord, NameHash } from '../name-hash.ts';
import type { Share } from '../share.ts';
import { asItStands } from './cells.ts';
import type { Choice, CsvRecord } from './csv.ts';
import type { Indexed } from './headings.ts';

/** With fewer records, shares by value would be of too different sizes. */
export const enoughRecords = 1000;
/** So many records tell whether the values of a column differ enough, and so many of them may be equal. */
const lookedAt = 64;
const mostEqual = lookedAt / 4;

type KeyColumn = Indexed & { readonly reads: Extract<Indexed['reads'], { as: 'cell' }> };

/**
 * Shares out records by what stands in one column, so that equal rows go together: who has a share can tell twins by itself, and of the
 * records of others it looks at one cell.
 */
export class Sharing implements Choice {
  readonly index: number;
  readonly #column: KeyColumn;
  readonly #share: Share;
  readonly #hash = new NameHash();

  private constructor(column: KeyColumn, share: Share) {
    this.index = column.index;
    this.#column = column;
    this.#share = share;
  }

  /** By the first column whose values differ in the first records; none where none do, or where its name tells a row, not its values. */
  static by(columns: readonly Indexed[], records: readonly CsvRecord[], share: Share): Sharing | undefined {
    if (records.length < enoughRecords || columns.some(({ reads }) => reads.as === 'mark' && reads.mark === 'name')) return undefined;
    const isCell = (column: Indexed): column is KeyColumn => column.reads.as === 'cell';
    const first = records.slice(0, lookedAt).filter(({ unclosed }) => !unclosed);
    return columns
      .filter(isCell)
      .map((column) => new Sharing(column, share))
      .find((sharing) => first.length - new Set(first.map(({ cells }) => sharing.#keyOfCell(cells))).size < mostEqual);
  }

  #keyOfCell(cells: readonly string[]): number {
    const cell = cells[this.index] ?? '';
    return this.#key(cell, 0, cell.length);
  }

  has(text: string, from: number, to: number): boolean {
    return this.#key(text, from, to) % this.#share.of === this.#share.index;
  }

  /** Equal for equal values; 0 for what is neither a number, a truth nor a plain word. A whole number that divides fast. */
  #key(text: string, from: number, to: number): number {
    const { reader } = this.#column.reads;
    // A word that stands as it is needs no text of its own.
    const asWord = reader.read === asItStands ? hashOfWord(text, from, to) : -1;
    return asWord < 0 ? this.#keyOfValue(text.slice(from, to).trim()) : asWord;
  }

  #keyOfValue(text: string): number {
    const { reader } = this.#column.reads;
    const value = text === '' ? (reader.whenEmpty.is === 'value' ? reader.whenEmpty.value : undefined) : reader.read(text);
    if (typeof value === 'string') return Math.max(0, hashOfWord(value, 0, value.length));
    const hash = this.#hash;
    hash.clear();
    if (typeof value === 'number') hash.number(value);
    else if (typeof value === 'boolean') hash.text(String(value));
    else return 0;
    return hash.place >>> 2;
  }
}
