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
  #places = new Uint32Array(firstSlots);
  #confirmations = new Uint32Array(firstSlots);
  #size = 0;
  /** How often names came that came before: few. */
  readonly #twins = new Map<string, number>();

  /** 1 for a name that is new, 2 for its first twin, and so on. */
  add(name: string): number {
    let a = 0x9e3779b9 ^ name.length;
    let b = 0x41c6ce57;
    for (let i = 0; i < name.length; i++) {
      const unit = name.charCodeAt(i);
      a = Math.imul(a ^ unit, 0x85ebca6b);
      b = Math.imul(b ^ unit, 0x5f356495);
    }
    a ^= a >>> 15;
    b ^= b >>> 16;
    // Zero stands for an empty slot.
    const place = (a ^ (a >>> 13)) >>> 0 || 1;
    if (this.#put(place, b >>> 0)) {
      this.#size++;
      if (this.#size > this.#places.length * fullest) this.#grow();
      return 1;
    }
    const twin = (this.#twins.get(name) ?? 1) + 1;
    this.#twins.set(name, twin);
    return twin;
  }

  #put(place: number, confirmation: number): boolean {
    const slots = this.#places.length;
    for (let slot = place % slots; ; slot = slot + 1 === slots ? 0 : slot + 1) {
      const there = this.#places[slot];
      if (there === 0) {
        this.#places[slot] = place;
        this.#confirmations[slot] = confirmation;
        return true;
      }
      if (there === place && this.#confirmations[slot] === confirmation) return false;
    }
  }

  #grow(): void {
    const [places, confirmations] = [this.#places, this.#confirmations];
    const slots = places.length < largeSlots ? places.length * 2 : Math.max(slotsForMillions, places.length * 2);
    this.#places = new Uint32Array(slots);
    this.#confirmations = new Uint32Array(slots);
    for (const [slot, place] of places.entries()) if (place !== 0) this.#put(place, confirmations[slot] as number);
  }
}
