import { NameHash } from './name-hash.ts';
import { caseSlug, easySlug } from './names.ts';
import type { Entry } from './row.ts';

/** What tells a case from the others of its test. */
export type Distinct = Pick<Entry, 'row' | 'name'>;

/** A table is made larger when it is fuller than this. */
const fullest = 0.8;
const firstSlots = 1 << 10;
/** From this size on, a table is made for millions at once: growing costs the old and the new one together. */
const largeSlots = 1 << 17;
const slotsForMillions = 5 * 1024 * 1024;

/**
 * Tells which of several equal names one is, in bounded memory: eight bytes a name.
 *
 * Names are known by two independent 32-bit hashes, one for the place and one to confirm it: two names out of ten million are taken
 * for one with a probability below one in a hundred thousand.
 */
export class Identities {
  /** For each slot the hash that gave the place, and the one that confirms it: side by side, where they come into the cache together. */
  #table = new Uint32Array(2 * firstSlots);
  #size = 0;
  readonly #hash = new NameHash();
  /** How often names came that came before: few. */
  readonly #twins = new Map<string, number>();

  /**
   * For each of these cases 1 where it is new, 2 where it is the first twin of another, and so on. A case is known by its slug, which
   * is never put together for most.
   */
  add(cases: readonly Distinct[]): number[] {
    const hashes = new Uint32Array(2 * cases.length);
    for (let i = 0; i < cases.length; i++) {
      const { row, name } = cases[i] as Distinct;
      this.#hash.clear();
      if (name !== undefined || !easySlug(row, this.#hash)) {
        this.#hash.clear();
        this.#hash.text(caseSlug(row, name));
      }
      hashes[2 * i] = this.#hash.place;
      hashes[2 * i + 1] = this.#hash.confirmation;
    }
    while (this.#size + cases.length > (this.#table.length / 2) * fullest) this.#grow();
    // Apart from the hashing: the processor then waits for several places of the table at once.
    const twins: number[] = [];
    for (let i = 0; i < cases.length; i++) {
      const isNew = this.#put(hashes[2 * i] as number, hashes[2 * i + 1] as number);
      if (isNew) this.#size++;
      twins.push(isNew ? 1 : this.#twin(cases[i] as Distinct));
    }
    return twins;
  }

  #twin({ row, name }: Distinct): number {
    const slug = caseSlug(row, name);
    const twin = (this.#twins.get(slug) ?? 1) + 1;
    this.#twins.set(slug, twin);
    return twin;
  }

  #put(place: number, confirmation: number): boolean {
    const table = this.#table;
    for (let at = (place % (table.length / 2)) * 2; ; at = at + 2 === table.length ? 0 : at + 2) {
      const there = table[at];
      if (there === 0) {
        table[at] = place;
        table[at + 1] = confirmation;
        return true;
      }
      if (there === place && table[at + 1] === confirmation) return false;
    }
  }

  #grow(): void {
    const table = this.#table;
    const slots = table.length / 2;
    this.#table = new Uint32Array(2 * (slots < largeSlots ? slots * 2 : Math.max(slotsForMillions, slots * 2)));
    for (let at = 0; at < table.length; at += 2) if (table[at] !== 0) this.#put(table[at] as number, table[at + 1] as number);
  }
}
