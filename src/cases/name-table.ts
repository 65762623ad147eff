/** A table is full when this share of its slots is taken: beyond, looking for a free one takes long. */
const MAX_LOAD_FACTOR = 0.85;

/**
 * Names that were seen, by 64 bits of hash each; in six bytes, as the place where a name stands tells of it, too.
 *
 * Open addressing with linear probing (D. E. Knuth, The Art of Computer Programming, volume 3, 6.4). It does not grow: who needs more
 * room takes another one.
 */
export class HashSet64 {
  readonly #confirmations: Uint32Array;
  /** The upper half of what gave the place: the lower one stands in the place, but for a few steps. */
  readonly #places: Uint16Array;
  #room: number;

  constructor(slots: number) {
    this.#confirmations = new Uint32Array(slots);
    this.#places = new Uint16Array(slots);
    this.#room = Math.floor(slots * MAX_LOAD_FACTOR);
  }

  /** How many more it takes. */
  get room(): number {
    return this.#room;
  }

  has(place: number, confirmation: number): boolean {
    return this.#confirmations[this.#find(place, confirmation)] !== 0;
  }

  /** False where it was there already. `confirmation` is not zero. */
  add(place: number, confirmation: number): boolean {
    const slot = this.#find(place, confirmation);
    if (this.#confirmations[slot] !== 0) return false;
    this.#confirmations[slot] = confirmation;
    this.#places[slot] = place >>> 16;
    this.#room--;
    return true;
  }

  /** Where it stands, or would. */
  #find(place: number, confirmation: number): number {
    const confirmations = this.#confirmations;
    for (let slot = place % confirmations.length; ; slot = slot + 1 === confirmations.length ? 0 : slot + 1) {
      const there = confirmations[slot];
      if (there === 0 || (there === confirmation && this.#places[slot] === place >>> 16)) return slot;
    }
  }
}
