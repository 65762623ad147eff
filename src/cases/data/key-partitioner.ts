import { hashWord, NameHash } from '../name-hash.ts';
import type { Partition } from '../partition.ts';
import { identity } from './cells.ts';
import type { CsvRecord, RecordFilter } from './csv.ts';
import type { IndexedColumn } from './headings.ts';

/** With fewer records, partitions by value would have very different sizes. */
export const MIN_RECORDS = 1000;
/** The number of records that decide whether the values of a column differ enough, and the number of them that can be equal. */
const SAMPLE_RECORDS = 64;
const MAX_EQUAL_KEYS = SAMPLE_RECORDS / 4;

type KeyColumn = IndexedColumn & { readonly reads: Extract<IndexedColumn['reads'], { as: 'cell' }> };

/**
 * Partitions records by the values of one column, so that equal rows are in the same partition. The reader of a partition can then detect
 * duplicates alone, and reads one cell of each record in other partitions.
 */
export class KeyPartitioner implements RecordFilter {
  readonly index: number;
  readonly #column: KeyColumn;
  readonly #share: Partition;
  readonly #hash = new NameHash();

  private constructor(column: KeyColumn, share: Partition) {
    this.index = column.index;
    this.#column = column;
    this.#share = share;
  }

  /**
   * Partitions by the first column whose values differ in the first records. Returns undefined without such a column, or if rows have names
   * of their own.
   */
  static find(columns: readonly IndexedColumn[], records: readonly CsvRecord[], share: Partition): KeyPartitioner | undefined {
    if (records.length < MIN_RECORDS || columns.some(({ reads }) => reads.as === 'mark' && reads.mark === 'name')) return undefined;
    const isCell = (column: IndexedColumn): column is KeyColumn => column.reads.as === 'cell';
    const first = records.slice(0, SAMPLE_RECORDS).filter(({ unclosed }) => !unclosed);
    return columns
      .filter(isCell)
      .map((column) => new KeyPartitioner(column, share))
      .find((sharing) => first.length - new Set(first.map(({ cells }) => sharing.#keyOfCell(cells))).size < MAX_EQUAL_KEYS);
  }

  #keyOfCell(cells: readonly string[]): number {
    const cell = cells[this.index] ?? '';
    return this.#key(cell, 0, cell.length);
  }

  has(text: string, from: number, to: number): boolean {
    return this.#key(text, from, to) % this.#share.of === this.#share.index;
  }

  /** A number that equal values share; 0 for anything but numbers, booleans and plain words. Integers are fast to divide. */
  #key(text: string, from: number, to: number): number {
    const { reader } = this.#column.reads;
    // A plain word is hashed in place, without creating a string.
    const asWord = reader.read === identity ? hashWord(text, from, to) : -1;
    return asWord < 0 ? this.#keyOfValue(text.slice(from, to).trim()) : asWord;
  }

  #keyOfValue(text: string): number {
    const { reader } = this.#column.reads;
    const value = text === '' ? (reader.emptyPolicy.kind === 'value' ? reader.emptyPolicy.value : undefined) : reader.read(text);
    if (typeof value === 'string') return Math.max(0, hashWord(value, 0, value.length));
    const hash = this.#hash;
    hash.clear();
    if (typeof value === 'number') hash.number(value);
    else if (typeof value === 'boolean') hash.text(String(value));
    else return 0;
    return hash.primaryHash >>> 2;
  }
}
