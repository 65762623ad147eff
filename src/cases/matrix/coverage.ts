/**
 * Which combinations of any `strength` of some axes' values stand in a row: a byte for each.
 *
 * Sets of axes are numbered by the combinatorial number system (D. H. Lehmer, 1964): the rank of a_1 < … < a_t is the sum of
 * C(a_i, i).
 */
export class Coverage {
  readonly #axes: readonly number[];
  readonly #counts: readonly number[];
  readonly #strength: number;
  /** Where the combinations of a set of axes begin, by its rank. */
  readonly #offsets: Int32Array;
  readonly #state: Uint8Array;
  readonly #binomials: readonly (readonly number[])[];
  /** Owed and in no row yet. */
  left = 0;
  owed = 0;

  constructor(axes: readonly number[], counts: readonly number[], strength: number) {
    this.#axes = axes;
    this.#counts = axes.map((axis) => counts[axis] as number);
    this.#strength = strength;
    this.#binomials = binomials(axes.length, strength);
    this.#offsets = new Int32Array(choose(axes.length, strength) + 1);
    let total = 0;
    for (const set of subsets(axes.length, strength)) {
      this.#offsets[this.#rank(set)] = total;
      total += set.reduce((product, at) => product * (this.#counts[at] as number), 1);
    }
    this.#state = new Uint8Array(total);
    this.left = total;
    this.owed = total;
  }

  #rank(set: readonly number[]): number {
    let rank = 0;
    for (let i = 0; i < set.length; i++) rank += (this.#binomials[set[i] as number] as readonly number[])[i + 1] as number;
    return rank;
  }

  /** Every combination, as the axes and levels that it sets. */
  *all(): Generator<{ readonly index: number; readonly axes: readonly number[]; readonly levels: readonly number[] }> {
    for (const set of subsets(this.#axes.length, this.#strength)) {
      const axes = set.map((at) => this.#axes[at] as number);
      const counts = set.map((at) => this.#counts[at] as number);
      const levels = counts.map(() => 0);
      let index = this.#offsets[this.#rank(set)] as number;
      const last = index + counts.reduce((product, count) => product * count, 1);
      for (; index < last; index++) {
        yield { index, axes, levels: [...levels] };
        for (let i = levels.length - 1; i >= 0; i--) {
          levels[i] = (levels[i] as number) + 1;
          if ((levels[i] as number) < (counts[i] as number)) break;
          levels[i] = 0;
        }
      }
    }
  }

  /** Takes a combination that cannot occur out of what is owed. */
  release(index: number): void {
    if (this.#state[index]) return;
    this.#state[index] = 2;
    this.left--;
    this.owed--;
  }

  isOwed(index: number): boolean {
    return this.#state[index] !== 2;
  }

  isOpen(index: number): boolean {
    return this.#state[index] === 0;
  }

  /** Notes what a whole row covers. */
  cover(row: readonly number[]): void {
    for (const set of subsets(this.#axes.length, this.#strength)) {
      let code = 0;
      for (const at of set) code = code * (this.#counts[at] as number) + (row[this.#axes[at] as number] as number);
      const index = (this.#offsets[this.#rank(set)] as number) + code;
      if (this.#state[index] === 0) {
        this.#state[index] = 1;
        this.left--;
      }
    }
  }

  /** How many open combinations a level on an axis would cover, with what is set of the row. */
  gain(row: readonly number[], axis: number, level: number): number {
    const position = this.#axes.indexOf(axis);
    if (position < 0) return 0;
    const set: number[] = [];
    const walk = (from: number, missing: number, withAxis: boolean): number => {
      if (missing === 0) return withAxis && this.#openAt(set, row, position, level) ? 1 : 0;
      let gained = 0;
      const last = this.#axes.length - missing;
      for (let at = from; at <= last; at++) {
        if (!withAxis && at > position) break;
        if (at !== position && (row[this.#axes[at] as number] as number) < 0) continue;
        set.push(at);
        gained += walk(at + 1, missing - 1, withAxis || at === position);
        set.pop();
      }
      return gained;
    };
    return walk(0, this.#strength, false);
  }

  #openAt(set: readonly number[], row: readonly number[], position: number, level: number): boolean {
    let code = 0;
    for (const at of set) code = code * (this.#counts[at] as number) + (at === position ? level : (row[this.#axes[at] as number] as number));
    return this.#state[(this.#offsets[this.#rank(set)] as number) + code] === 0;
  }
}

function binomials(n: number, k: number): number[][] {
  return Array.from({ length: n + 1 }, (_, a) => Array.from({ length: k + 1 }, (_, b) => choose(a, b)));
}

export function choose(n: number, k: number): number {
  let product = 1;
  for (let i = 1; i <= k; i++) product = (product * (n - k + i)) / i;
  return n < k ? 0 : Math.round(product);
}

/** All sets of k numbers below n, each in rising order. The array is the same each time. */
export function* subsets(n: number, k: number): Generator<readonly number[]> {
  const set = Array.from({ length: k }, (_, i) => i);
  if (k > n) return;
  for (;;) {
    yield set;
    let i = k - 1;
    while (i >= 0 && set[i] === n - k + i) i--;
    if (i < 0) return;
    set[i] = (set[i] as number) + 1;
    for (let j = i + 1; j < k; j++) set[j] = (set[j - 1] as number) + 1;
  }
}
