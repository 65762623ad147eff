/** The share of used slots at which a table is full. Above it, finding a free slot takes long. */
const MAX_LOAD_FACTOR = 0.85;

/**
 * A set of names by 64 bits of hash each, in six bytes: the slot of a name contains some of the bits.
 *
 * Open addressing with linear probing (D. E. Knuth, The Art of Computer Programming, volume 3, 6.4). It does not grow: more names need
 * another set.
 */
export class HashSet64 {
  readonly #confirmations: Uint32Array;
  /** The upper half of the primary hash. The lower half determines the slot, except for a few steps. */
  readonly #places: Uint16Array;
  #room: number;

  constructor(slots: number) {
    this.#confirmations = new Uint32Array(slots);
    this.#places = new Uint16Array(slots);
    this.#room = Math.floor(slots * MAX_LOAD_FACTOR);
  }

  /** The number of names that can still be added. */
  get room(): number {
    return this.#room;
  }

  has(primaryHash: number, secondaryHash: number): boolean {
    return this.#confirmations[this.#find(primaryHash, secondaryHash)] !== 0;
  }

  /** Returns false if the name was there already. `secondaryHash` is not zero. */
  add(primaryHash: number, secondaryHash: number): boolean {
    const slot = this.#find(primaryHash, secondaryHash);
    if (this.#confirmations[slot] !== 0) return false;
    this.#confirmations[slot] = secondaryHash;
    this.#places[slot] = primaryHash >>> 16;
    this.#room--;
    return true;
  }

  /** The slot of a name, or the free slot for it. */
  #find(primaryHash: number, secondaryHash: number): number {
    const confirmations = this.#confirmations;
    for (let slot = primaryHash % confirmations.length; ; slot = slot + 1 === confirmations.length ? 0 : slot + 1) {
      const there = confirmations[slot];
      if (there === 0 || (there === secondaryHash && this.#places[slot] === primaryHash >>> 16)) return slot;
    }
  }
}
