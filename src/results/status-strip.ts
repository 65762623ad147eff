import { type Status, statuses } from '../running/result.ts';

/** Statuses from the most to the least important. */
export const worstFirst: readonly Status[] = ['errored', 'failed', 'not-run', 'known-failure', 'passed', 'skipped', 'not-requested'];

/** The code of a status. 0 means that a row lacks a result. */
const encodeStatus = (status: Status): number => statuses.indexOf(status) + 1;

/** The statuses of a test's cases in the order of their rows, one byte per case. */
export class StatusStrip {
  #codes = new Uint8Array(8);
  #length = 0;

  set(ordinal: number, status: Status): void {
    this.#reach(ordinal + 1);
    this.#codes[ordinal] = encodeStatus(status);
  }

  /** Sets the same status for several rows. */
  setAll(ordinals: Int32Array, status: Status): void {
    this.#reach((ordinals.at(-1) ?? -1) + 1);
    const code = encodeStatus(status);
    for (const ordinal of ordinals) this.#codes[ordinal] = code;
  }

  #reach(end: number): void {
    if (end > this.#codes.length) {
      const longer = new Uint8Array(Math.max(end, this.#codes.length * 2));
      longer.set(this.#codes);
      this.#codes = longer;
    }
    this.#length = Math.max(this.#length, end);
  }

  /** The worst status of each of up to `maxCells` equal parts, and whether a part is mixed. Rows without a result are left out. */
  downsample(maxCells: number): { readonly status: Status; readonly isMixed: boolean }[] {
    const parts = Math.min(maxCells, this.#length);
    const statuses: { status: Status; isMixed: boolean }[] = [];
    for (let part = 0; part < parts; part++) {
      const from = Math.floor((part * this.#length) / parts);
      const to = Math.floor(((part + 1) * this.#length) / parts);
      const found = new Set(this.#codes.subarray(from, to));
      found.delete(0);
      const status = worstFirst.find((one) => found.has(encodeStatus(one)));
      if (status) statuses.push({ status, isMixed: found.size > 1 });
    }
    return statuses;
  }
}
