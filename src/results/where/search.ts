import { type Column, missing } from './columns.ts';
import type { Condition } from './condition.ts';
import { Evidence } from './evidence.ts';

/** A condition on codes: those from `low` to `high`, or all others. */
interface Predicate {
  readonly column: number;
  readonly is: 'value' | 'not' | 'range' | 'prefix' | 'missing';
  readonly low: number;
  readonly high: number;
  /** How many others of its kind there were to choose from, as a logarithm. */
  readonly cost: number;
  readonly prefix?: string;
}

/** A conjunction, with the rows that meet it. */
interface Candidate {
  readonly atoms: readonly Predicate[];
  readonly rows: Int32Array;
  readonly failing: number;
  /** Evidence less what its length and its choice cost. */
  readonly score: number;
  /** What its score could become if it lost all its passing rows. */
  readonly upperBound: number;
  /** Equal for candidates with the same rows. */
  readonly rowSetHash: number;
}

/** What a search found: conditions that hold together for rows that fail more often than the others. */
export interface Found {
  readonly conditions: readonly Condition[];
  /** All rows of the sample that meet them, those that were not looked at among them. */
  readonly rows: Int32Array;
  /** In natural logarithms: how much likelier the statuses are for it, all that it was chosen from allowed for. */
  readonly score: number;
}

const MAX_PREDICATES = 3;
/** The cost by the number of predicates: half as likely for each, divided by the number of their orders. */
const lengthCost = [0, Math.log(2), Math.log(4 / 2), Math.log(8 / 6)];
/** Conjunctions that are carried on with, of each length: by their score, and by their promise. */
const BEAM_WIDTH = 24;
const MAX_ROUNDS = 3;
/** The number of distinct bounds when the alternatives of a range are counted. */
const MAX_BOUNDS = 40;
const kinds = Math.log(3);
/** A text's length explains where the text itself does not do as well. */
const LENGTH_PENALTY = 2;

/** The best explanation of which of some rows fail. */
export class Search {
  readonly #columns: readonly Column[];
  readonly #failed: Uint8Array;
  readonly #passingWeight: number;
  /** A number for each row, of which sums are compared. */
  readonly #marks: Float64Array;
  /** How often each code occurs among some rows: failing, passing. */
  readonly #histograms: readonly { readonly failing: Int32Array; readonly passing: Int32Array }[];

  /** `passingWeight` is how many passing cases a passing row stands for, if a failing row stands for one failing case. */
  constructor(columns: readonly Column[], failed: Uint8Array, passingWeight = 1) {
    this.#columns = columns;
    this.#passingWeight = passingWeight;
    this.#failed = failed;
    let state = 1;
    this.#marks = Float64Array.from(failed, () => (state = Math.imul(state, 0x5851f42d) + 0x14057b7f) >>> 0);
    this.#histograms = columns.map(({ values }) => ({ failing: new Int32Array(values.length + 1), passing: new Int32Array(values.length + 1) }));
  }

  /** Looks among these rows only. */
  best(rows: Int32Array): Found | undefined {
    const failing = this.#count(rows);
    const passing = rows.length - failing;
    if (failing < 2 || passing < 2) return undefined;
    const evidence = new Evidence(failing, passing);
    let parents: Candidate[] = [{ atoms: [], rows, failing, score: 0, upperBound: 0, rowSetHash: 0 }];
    let best: Candidate | undefined;
    for (let length = 1; length <= MAX_PREDICATES; length++) {
      const known = new Map<number, Candidate>();
      for (const parent of parents) {
        for (const atom of this.#atoms(parent)) {
          const child = this.#join(parent, atom, evidence);
          if (child.rows.length === parent.rows.length || child.failing < 2) continue;
          const twin = known.get(child.rowSetHash);
          if (!twin || twin.score < child.score) known.set(child.rowSetHash, child);
        }
      }
      const children = [...known.values()];
      const byScore = children.sort((a, b) => b.score - a.score).slice(0, BEAM_WIDTH);
      const byPromise = children.sort((a, b) => b.upperBound - a.upperBound).slice(0, BEAM_WIDTH);
      parents = [...new Set([...byScore, ...byPromise])];
      const purest = children.filter((child) => this.#explains(child)).reduce<Candidate | undefined>((a, b) => (a && a.score >= b.score ? a : b), undefined);
      if (purest && (!best || purest.score > best.score)) best = purest;
    }
    if (!best) return undefined;
    const { atoms, score } = this.#polished(best, rows, evidence);
    return { conditions: atoms.map((atom) => this.#conditionOf(atom)), rows: this.#meeting(atoms), score };
  }

  /** Chooses each part anew beside the others, as long as that gains. */
  #polished(best: Candidate, rows: Int32Array, evidence: Evidence): Candidate {
    const root: Candidate = { atoms: [], rows, failing: this.#count(rows), score: 0, upperBound: 0, rowSetHash: 0 };
    for (let round = 0; round < MAX_ROUNDS; round++) {
      const before = best;
      for (const out of before.atoms) {
        let rest = root;
        for (const atom of before.atoms) if (atom !== out) rest = this.#join(rest, atom, evidence);
        if (rest.atoms.length > 0 && rest.score > best.score && this.#explains(rest)) best = rest;
        for (const atom of this.#atoms(rest)) {
          const other = this.#join(rest, atom, evidence);
          if (other.score > best.score && this.#explains(other)) best = other;
        }
      }
      if (best === before) break;
    }
    return best;
  }

  /** Whether at least half of the cases that meet it fail: a condition under which most pass explains nothing. */
  #explains({ failing, rows }: Candidate): boolean {
    return failing >= (rows.length - failing) * this.#passingWeight;
  }

  #count(rows: Int32Array): number {
    let failing = 0;
    for (const row of rows) failing += this.#failed[row] as number;
    return failing;
  }

  #meeting(atoms: readonly Predicate[]): Int32Array {
    let rows: Int32Array = Int32Array.from(this.#failed, (_, row) => row);
    for (const atom of atoms) rows = this.#narrowed(rows, atom);
    return rows;
  }

  #narrowed(rows: Int32Array, { column, is, low, high }: Predicate): Int32Array {
    const { codes } = this.#columns[column] as Column;
    return rows.filter((row) => {
      const code = codes[row] as number;
      return (code >= low && code <= high) !== (is === 'not');
    });
  }

  #join(parent: Candidate, atom: Predicate, evidence: Evidence): Candidate {
    const rows = this.#narrowed(parent.rows, atom);
    const atoms = [...parent.atoms, atom];
    const failing = this.#count(rows);
    const cost = atoms.reduce((sum, one) => sum + one.cost, 0) + (lengthCost[atoms.length] as number);
    let rowSetHash = 0;
    for (const row of rows) rowSetHash += this.#marks[row] as number;
    return {
      atoms,
      rows,
      failing,
      score: evidence.of(failing, rows.length - failing) - cost,
      upperBound: evidence.of(failing, 0) - cost,
      rowSetHash,
    };
  }

  /** What could narrow a candidate: of each column that it does not speak of yet, the parts that fail most. */
  *#atoms({ atoms, rows, failing }: Candidate): Generator<Predicate> {
    const passing = rows.length - failing;
    for (let column = 0; column < this.#columns.length; column++) {
      const { values, order, isSometimesMissing, codes, name } = this.#columns[column] as Column;
      // A text and its length are one column.
      if (atoms.some((atom) => this.#columns[atom.column]?.name === name)) continue;
      const counts = this.#histograms[column] as { failing: Int32Array; passing: Int32Array };
      counts.failing.fill(0);
      counts.passing.fill(0);
      for (const row of rows) {
        const counted = this.#failed[row] ? counts.failing : counts.passing;
        const at = (codes[row] as number) + 1;
        counted[at] = (counted[at] as number) + 1;
      }
      const choice = kinds + Math.log(this.#columns.length) + (order === 'length' ? LENGTH_PENALTY : 0);
      const among = (options: number): number => choice + Math.log(Math.max(1, options));
      if (isSometimesMissing && counts.failing[0]) yield { column, is: 'missing', low: missing, high: missing, cost: among(1) };
      const isRanged = order === 'number' || order === 'date' || order === 'length';
      for (let code = 0; code < values.length; code++) {
        const [failed = 0, passed = 0] = [counts.failing[code + 1], counts.passing[code + 1]];
        if (failed * passing > passed * failing) {
          // One failure is not a pattern.
          if (failed > 1) yield { column, is: 'value', low: code, high: code, cost: among(values.length) };
        } else if (!isRanged && values.length > 2 && values.length <= MAX_EXCLUDED && passed * failing > failed * passing)
          yield { column, is: 'not', low: code, high: code, cost: among(values.length) };
      }
      if (isRanged) yield* ranges(column, counts, failing, passing, among);
      if (order === 'text') yield* prefixes(column, values as readonly string[], counts, failing, passing, among);
    }
  }

  #conditionOf({ column: index, is, low, high, prefix }: Predicate): Condition {
    const { name: column, values, order } = this.#columns[index] as Column;
    if (is === 'missing') return { kind: is, column };
    if (prefix !== undefined) return { kind: 'prefix', column, prefix };
    const last = values.length - 1;
    const from = low === 0 && high !== 0 ? undefined : values[low];
    const to = high === last && low !== last ? undefined : values[high];
    if (order === 'length')
      return {
        kind: 'length',
        column,
        from: is === 'value' ? (values[low] as number) : (from as number),
        to: is === 'value' ? (values[low] as number) : (to as number),
      };
    if (is === 'range') return { kind: is, column, from: from as number, to: to as number };
    return { kind: is as 'value' | 'not', column, value: values[low] as string };
  }
}

/** Of a column with more values, that a row lacks one of them says nothing. */
const MAX_EXCLUDED = 12;
/** How much a passing row weighs against failing ones when ranges are laid: from generous to strict. */
const weights = [0.5, 1, 2, 4, 16];

interface Counts {
  readonly failing: Int32Array;
  readonly passing: Int32Array;
}

/** The ranges of an ordered column that fail most, each as wide as its weight allows (J. Bentley, "Programming Pearls", 1984). */
function* ranges(
  column: number,
  { failing, passing }: Counts,
  allFailing: number,
  allPassing: number,
  among: (options: number) => number,
): Generator<Predicate> {
  const size = failing.length - 1;
  if (size < 3) return;
  const cuts = Math.min(size, MAX_BOUNDS);
  const seen = new Set<number>();
  for (const weight of weights) {
    const loss = (weight * allFailing) / Math.max(1, allPassing);
    let [sum, start, most, low, high] = [0, 0, 0, 0, -1];
    // The best from the lower end, and up to the upper end.
    let [upTo, mostUpTo, end] = [0, 0, -1];
    for (let code = 0; code < size; code++) {
      const gain = (failing[code + 1] as number) - loss * (passing[code + 1] as number);
      sum += gain;
      if (sum > most) [most, low, high] = [sum, start, code];
      if (sum <= 0) [sum, start] = [0, code + 1];
      upTo += gain;
      if (upTo > mostUpTo) [mostUpTo, end] = [upTo, code];
    }
    let [from, mostFrom, begin] = [0, 0, size];
    for (let code = size - 1; code >= 0; code--) {
      from += (failing[code + 1] as number) - loss * (passing[code + 1] as number);
      if (from > mostFrom) [mostFrom, begin] = [from, code];
    }
    const found = [
      [low, high],
      [0, end],
      [begin, size - 1],
    ] as const;
    for (const [a, b] of found) {
      if (b < a || a === b || (a === 0 && b === size - 1) || seen.has(a * size + b)) continue;
      seen.add(a * size + b);
      const isOpen = a === 0 || b === size - 1;
      yield { column, is: 'range', low: a, high: b, cost: among(isOpen ? 2 * cuts : (cuts * (cuts - 1)) / 2) };
    }
  }
}

const MAX_PREFIX_LENGTH = 24;
const MAX_PREFIXES = 400;

/** The first index in a range for which a monotonic condition holds; the end of the range if it holds for none before. */
function firstIndex(from: number, end: number, holds: (index: number) => boolean): number {
  let [low, high] = [from, end];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (holds(middle)) high = middle;
    else low = middle + 1;
  }
  return low;
}

/** The sums of the counts of all values before each index. The first count, that of missing values, is left out. */
function cumulate(counts: Int32Array): Int32Array {
  const sums = new Int32Array(counts.length);
  for (let at = 1; at < counts.length; at++) sums[at] = (sums[at - 1] as number) + (counts[at] as number);
  return sums;
}

/** The starts that failing texts share, where more than one text begins so. */
function* prefixes(
  column: number,
  values: readonly string[],
  { failing, passing }: Counts,
  allFailing: number,
  allPassing: number,
  among: (options: number) => number,
): Generator<Predicate> {
  const seen = new Set<string>();
  const [failingUpTo, passingUpTo] = [cumulate(failing), cumulate(passing)];
  for (let code = 0; code < values.length && seen.size < MAX_PREFIXES; code++) {
    if (!failing[code + 1]) continue;
    const value = values[code] as string;
    let [low, high] = [0, values.length - 1];
    let narrowed = -1;
    for (let length = 1; length <= Math.min(value.length, MAX_PREFIX_LENGTH); length++) {
      const prefix = value.slice(0, length);
      low = firstIndex(low, code, (at) => (values[at] as string).startsWith(prefix));
      high = firstIndex(code, high + 1, (at) => !(values[at] as string).startsWith(prefix)) - 1;
      if (low === high) break;
      // A longer start of the same texts says no more.
      if (high - low === narrowed || (low === 0 && high === values.length - 1)) continue;
      narrowed = high - low;
      if (seen.has(prefix)) continue;
      seen.add(prefix);
      const failed = (failingUpTo[high + 1] as number) - (failingUpTo[low] as number);
      const passed = (passingUpTo[high + 1] as number) - (passingUpTo[low] as number);
      if (failed > 1 && failed * allPassing > passed * allFailing) yield { column, is: 'prefix', low, high, prefix, cost: among(values.length) };
    }
  }
}
