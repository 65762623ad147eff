import { caseSlug, easySlug, type NameTaker } from './names.ts';

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

  /** 1 for a case that is new, 2 for its first twin, and so on. A case is known by its slug, which is never put together for most. */
  add(row: object, name: string | undefined): number {
    this.#hash.clear();
    if (name !== undefined || !easySlug(row, this.#hash)) {
      this.#hash.clear();
      this.#hash.text(caseSlug(row, name));
    }
    if (this.#put(this.#hash.place, this.#hash.confirmation)) {
      this.#size++;
      if (this.#size > (this.#table.length / 2) * fullest) this.#grow();
      return 1;
    }
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

/** Two hashes of a name that comes in pieces: the same, however it is cut. */
class NameHash implements NameTaker {
  length = 0;
  /** Kept as signed, which engines hold without an object of their own. */
  #a = 0;
  #b = 0;

  clear(): void {
    this.length = 0;
    this.#a = 0x9e3779b9 | 0;
    this.#b = 0x41c6ce57;
  }

  text(piece: string): void {
    let a = this.#a;
    let b = this.#b;
    for (let i = 0; i < piece.length; i++) {
      const unit = piece.charCodeAt(i);
      a = Math.imul(a ^ unit, 0x85ebca6b);
      b = Math.imul(b ^ unit, 0x5f356495);
    }
    this.#a = a;
    this.#b = b;
    this.length += piece.length;
  }

  /** Never zero, which stands for an empty slot. */
  get place(): number {
    let a = this.#a ^ this.length;
    a ^= a >>> 15;
    return (a ^ (a >>> 13)) >>> 0 || 1;
  }

  get confirmation(): number {
    return (this.#b ^ (this.#b >>> 16)) >>> 0;
  }
}
