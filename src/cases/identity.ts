import { caseSlug, trySimpleSlug } from './ids.ts';
import { NameHash } from './name-hash.ts';
import { HashSet64 } from './name-table.ts';
import type { RowEntry } from './row.ts';

/** What distinguishes a case from the others of its test. */
export type RowIdentity = Pick<RowEntry, 'row' | 'name'>;

/** The last one has room for four million names. */
const usualSlots = [1 << 10, 1 << 16, 4_710_000];

/**
 * Tells which of several equal names one is, in bounded memory: six to eight bytes a name.
 *
 * Names are known by two independent 32-bit hashes, one for the place and one to confirm it: two names out of ten million are taken
 * for one with a probability below one in a hundred thousand.
 */
export class IdentityCounter {
  readonly #slots: readonly number[];
  #table: HashSet64;
  #tables = 1;
  /** Large ones that are full: to move to a larger one, both would be there at once. */
  readonly #full: HashSet64[] = [];
  /** The first hashes, two for each name, as long as they move from table to table. */
  #moving: number[] | undefined = [];
  readonly #hash = new NameHash();
  /** How often names came that came before: few. */
  readonly #twins = new Map<string, number>();

  /** `slots` are those of one table after the other, each larger than the one before; the last number counts for all that follow. */
  constructor(slots: readonly number[] = usualSlots) {
    this.#slots = slots;
    this.#table = new HashSet64(slots[0] as number);
  }

  /**
   * For each of these cases 1 where it is new, 2 where it is the first twin of another, and so on. A case is known by its slug, which
   * is never put together for most.
   */
  add(cases: readonly RowIdentity[]): number[] {
    const hashes = new Uint32Array(2 * cases.length);
    for (let i = 0; i < cases.length; i++) {
      const { row, name } = cases[i] as RowIdentity;
      this.#hash.clear();
      if (name !== undefined || !trySimpleSlug(row, this.#hash)) {
        this.#hash.clear();
        this.#hash.text(caseSlug(row, name));
      }
      hashes[2 * i] = this.#hash.primaryHash;
      hashes[2 * i + 1] = this.#hash.secondaryHash;
    }
    // Apart from the hashing: the processor then waits for several places of the table at once.
    const twins: number[] = [];
    for (let i = 0; i < cases.length; i++) {
      const isNew = this.#put(hashes[2 * i] as number, hashes[2 * i + 1] as number);
      twins.push(isNew ? 1 : this.#twin(cases[i] as RowIdentity));
    }
    return twins;
  }

  #twin({ row, name }: RowIdentity): number {
    const slug = caseSlug(row, name);
    const twin = (this.#twins.get(slug) ?? 1) + 1;
    this.#twins.set(slug, twin);
    return twin;
  }

  /** False where it was there already. */
  #put(place: number, confirmation: number): boolean {
    if (this.#table.room === 0) this.#grow();
    for (const table of this.#full) if (table.has(place, confirmation)) return false;
    const isNew = this.#table.add(place, confirmation);
    if (isNew) this.#moving?.push(place, confirmation);
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
