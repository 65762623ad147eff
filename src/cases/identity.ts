import { formatCaseSlug, trySimpleSlug } from './ids.ts';
import { NameHash } from './name-hash.ts';
import { HashSet64 } from './name-table.ts';
import type { RowEntry } from './row.ts';

/** What distinguishes a case from the others of its test. */
export type RowIdentity = Pick<RowEntry, 'row' | 'name'>;

/** The last table holds four million names. */
const usualSlots = [1 << 10, 1 << 16, 4_710_000];

/**
 * Numbers equal names in bounded memory: six to eight bytes per name.
 *
 * Names are identified by two independent 32-bit hashes, one for the slot and one to confirm it: among ten million names, the probability
 * that two are confused is below one in a hundred thousand.
 */
export class IdentityCounter {
  readonly #slots: readonly number[];
  #table: HashSet64;
  #tables = 1;
  /** Large tables that are full. Moving them to a larger table would need both in memory at the same time. */
  readonly #full: HashSet64[] = [];
  /** The first hashes, two for each name, while they still move from table to table. */
  #moving: number[] | undefined = [];
  readonly #hash = new NameHash();
  /** The number of times that a name has repeated, for the few that have. */
  readonly #twins = new Map<string, number>();

  /** `slots` are the sizes of the tables in order, each larger than the one before. The last size is used for all further tables. */
  constructor(slots: readonly number[] = usualSlots) {
    this.#slots = slots;
    this.#table = new HashSet64(slots[0] as number);
  }

  /**
   * For each of these cases: 1 if its name is new, 2 for its first duplicate, and so on. A case is identified by its slug, which is not
   * even built for most.
   */
  add(cases: readonly RowIdentity[]): number[] {
    const hashes = new Uint32Array(2 * cases.length);
    for (let i = 0; i < cases.length; i++) {
      const { row, name } = cases[i] as RowIdentity;
      this.#hash.clear();
      if (name !== undefined || !trySimpleSlug(row, this.#hash)) {
        this.#hash.clear();
        this.#hash.text(formatCaseSlug(row, name));
      }
      hashes[2 * i] = this.#hash.primaryHash;
      hashes[2 * i + 1] = this.#hash.secondaryHash;
    }
    // Separate from the hashing, so that the processor waits for several slots of the table at once.
    const indexes: number[] = [];
    for (let i = 0; i < cases.length; i++) {
      const isNew = this.#put(hashes[2 * i] as number, hashes[2 * i + 1] as number);
      indexes.push(isNew ? 1 : this.#countRepetition(cases[i] as RowIdentity));
    }
    return indexes;
  }

  #countRepetition({ row, name }: RowIdentity): number {
    const slug = formatCaseSlug(row, name);
    const index = (this.#twins.get(slug) ?? 1) + 1;
    this.#twins.set(slug, index);
    return index;
  }

  /** Adds a name. Returns false if it was there already. */
  #put(primaryHash: number, secondaryHash: number): boolean {
    if (this.#table.room === 0) this.#grow();
    for (const table of this.#full) if (table.has(primaryHash, secondaryHash)) return false;
    const isNew = this.#table.add(primaryHash, secondaryHash);
    if (isNew) this.#moving?.push(primaryHash, secondaryHash);
    return isNew;
  }

  #grow(): void {
    const slots = this.#slots[this.#tables++] ?? (this.#slots.at(-1) as number);
    const table = new HashSet64(slots);
    const moving = this.#moving;
    if (moving) for (let at = 0; at < moving.length; at += 2) table.add(moving[at] as number, moving[at + 1] as number);
    else this.#full.push(this.#table);
    if (slots === this.#slots.at(-1)) this.#moving = undefined;
    this.#table = table;
  }
}
