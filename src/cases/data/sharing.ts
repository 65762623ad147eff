import { NameHash } from '../name-hash.ts';
import type { Share } from '../share.ts';
import type { CsvRecord } from './csv.ts';
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
export class Sharing {
  readonly #column: KeyColumn;
  readonly #share: Share;
  readonly #hash = new NameHash();

  private constructor(column: KeyColumn, share: Share) {
    this.#column = column;
    this.#share = share;
  }

  /** By the first column whose values differ in the first records; none where none do, or where its name tells a row, not its values. */
  static by(columns: readonly Indexed[], records: readonly CsvRecord[], share: Share): Sharing | undefined {
    if (records.length < enoughRecords || columns.some(({ reads }) => reads.as === 'mark' && reads.mark === 'name')) return undefined;
    const isCell = (column: Indexed): column is KeyColumn => column.reads.as === 'cell';
    return columns
      .filter(isCell)
      .map((column) => new Sharing(column, share))
      .find((sharing) => lookedAt - new Set(records.slice(0, lookedAt).map((record) => sharing.#key(record))).size < mostEqual);
  }

  has(record: CsvRecord): boolean {
    return this.#key(record) % this.#share.of === this.#share.index;
  }

  /** Equal for equal values; 0 for what is neither a number, a truth nor a plain word. */
  #key(record: CsvRecord): number {
    const { reader } = this.#column.reads;
    const text = record.unclosed ? '' : record.single(this.#column);
    const value = text === '' ? (reader.whenEmpty.is === 'value' ? reader.whenEmpty.value : undefined) : reader.read(text);
    const hash = this.#hash;
    hash.clear();
    if (typeof value === 'number') hash.number(value);
    else if (typeof value === 'boolean') hash.text(String(value));
    else if (typeof value !== 'string' || !hash.word(value)) return 0;
    return hash.place;
  }
}
