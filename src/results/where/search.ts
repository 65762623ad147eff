import type { Column } from './columns.ts';
import type { Condition } from './condition.ts';
import { Evidence } from './evidence.ts';
import {
  buildCondition,
  type ColumnCounts,
  computeMinCost,
  countColumns,
  findPredicates,
  Histogram,
  meetsPredicate,
  type Predicate,
  type RowSet,
} from './predicates.ts';

/** A conjunction: the predicates of its parent, and one more. */
interface Candidate extends RowSet {
  readonly parent: Candidate | undefined;
  readonly predicates: readonly Predicate[];
  /** The evidence minus the costs of its length and its choice. */
  readonly score: number;
  /** The score that it could reach by losing all its passing rows. */
  readonly upperBound: number;
  /** The rows that meet it, computed on first use. */
  rows: Int32Array | undefined;
}

/** The result of a search: conditions that together hold for rows that fail more often than the others. */
export interface FoundPattern {
  readonly conditions: readonly Condition[];
  /** All rows of the sample that meet them, including those that were not searched. */
  readonly rows: Int32Array;
  /** The natural logarithm of how much likelier the statuses are with it, minus the cost of its choice. */
  readonly score: number;
}

const MAX_PREDICATES = 3;
/** The cost by the number of predicates: half as likely for each, divided by the number of their orders. */
const lengthCost = [0, Math.log(2), Math.log(4 / 2), Math.log(8 / 6)];
/** The number of conjunctions of each length that are extended: the best by score, and by upper bound. */
const MAX_BEAM_WIDTH = 24;
const MIN_BEAM_WIDTH = 8;
/** Up to this number of cells, columns times rows, the beam has its full width. Above, it shrinks so that the time stays the same. */
const MAX_CELLS = 150_000;
const MAX_ROUNDS = 3;
/**
 * The minimum score, a natural logarithm: how much likelier the statuses must be with a cause than without. About one in twenty is by
 * chance.
 */
const MIN_SCORE = 3;

/** Searches the best explanation of failing rows (subgroup discovery by beam search). */
export class PatternSearch {
  readonly #columns: readonly Column[];
  readonly #failed: Uint8Array;
  readonly #passingWeight: number;
  /** A random number for each row. Sets of rows are compared by sums of these. */
  readonly #marks: Float64Array;
  readonly #histograms: readonly Histogram[];
  readonly #beamWidth: number;
  readonly #counts: ColumnCounts;

  /** `passingWeight` is the number of passing cases that a passing row represents, if a failing row represents one failing case. */
  constructor(columns: readonly Column[], failed: Uint8Array, passingWeight = 1) {
    this.#columns = columns;
    this.#passingWeight = passingWeight;
    this.#failed = failed;
    this.#counts = countColumns(columns);
    const cells = columns.length * failed.length;
    this.#beamWidth = Math.max(MIN_BEAM_WIDTH, Math.min(MAX_BEAM_WIDTH, Math.floor((MAX_BEAM_WIDTH * MAX_CELLS) / cells)));
    let state = 1;
    this.#marks = Float64Array.from(failed, () => (state = Math.imul(state, 0x5851f42d) + 0x14057b7f) >>> 0);
    this.#histograms = columns.map((column) => new Histogram(column));
  }

  /** Searches only among these rows. */
  best(rows: Int32Array): FoundPattern | undefined {
    const root = this.#buildRoot(rows);
    if (root.failing < 2 || root.passing < 2) return undefined;
    const evidence = new Evidence(root.failing, root.passing);
    let parents: Candidate[] = [root];
    let best: Candidate | undefined;
    for (let length = 1; length <= MAX_PREDICATES; length++) {
      const byRows = new Map<number, Candidate>();
      const bar = best?.score ?? MIN_SCORE;
      for (const parent of parents) {
        for (const child of this.#listExtensions(parent, evidence, bar)) {
          if (child.failing + child.passing === parent.failing + parent.passing || child.failing < 2) continue;
          const duplicate = byRows.get(child.hash);
          if (!duplicate || duplicate.score < child.score) byRows.set(child.hash, child);
        }
      }
      const children = [...byRows.values()];
      for (const child of children) if (this.#explains(child) && (!best || child.score > best.score)) best = child;
      const newBar = best?.score ?? MIN_SCORE;
      const promising = children.filter(({ upperBound }) => upperBound > newBar);
      const byScore = promising.sort((a, b) => b.score - a.score).slice(0, this.#beamWidth);
      const byUpperBound = promising.sort((a, b) => b.upperBound - a.upperBound).slice(0, this.#beamWidth);
      parents = [...new Set([...byScore, ...byUpperBound])];
    }
    if (!best || best.score < MIN_SCORE) return undefined;
    const { predicates, score } = this.#polish(best, root, evidence);
    const inOrder = [...predicates].sort((a, b) => a.column - b.column);
    const conditions = inOrder.map((predicate) => buildCondition(this.#columns[predicate.column] as Column, predicate));
    return { conditions, rows: this.#findRowsMeeting(predicates), score };
  }

  /** Replaces each predicate by the best one in combination with the others, as long as the score improves. */
  #polish(found: Candidate, root: Candidate, evidence: Evidence): Candidate {
    let best = found;
    for (let round = 0; round < MAX_ROUNDS; round++) {
      const before = best;
      for (const out of before.predicates) {
        let rest = root;
        for (const predicate of before.predicates)
          if (predicate !== out) rest = this.#extend(rest, predicate, this.#count(this.#filter(this.#rowsOf(rest), predicate)), evidence);
        if (rest !== root && rest.score > best.score && this.#explains(rest)) best = rest;
        for (const other of this.#listExtensions(rest, evidence, best.score)) if (other.score > best.score && this.#explains(other)) best = other;
      }
      if (best === before) break;
    }
    return best;
  }

  /** Extends a candidate by one predicate. Leaves out what cannot reach the score even with more predicates. */
  *#listExtensions(parent: Candidate, evidence: Evidence, bar: number): Generator<Candidate> {
    const rows = this.#rowsOf(parent);
    const costBefore = parent.predicates.reduce((sum, { cost }) => sum + cost, lengthCost[parent.predicates.length + 1] as number);
    // One failure is not a pattern.
    const minFailing = (cost: number): number => Math.max(2, evidence.minFailing(bar + costBefore + cost));
    for (const [index, column] of this.#columns.entries()) {
      // A text and its length are one column.
      if (parent.predicates.some((predicate) => this.#columns[predicate.column]?.name === column.name)) continue;
      if (minFailing(computeMinCost(column, this.#counts)) > parent.failing) continue;
      const histogram = this.#histograms[index] as Histogram;
      histogram.fill(column, rows, this.#failed, this.#marks);
      for (const [predicate, matched] of findPredicates({ index, column, counts: this.#counts, histogram, all: parent, minFailing }))
        yield this.#extend(parent, predicate, matched, evidence);
    }
  }

  #buildRoot(rows: Int32Array): Candidate {
    return { parent: undefined, predicates: [], rows, ...this.#count(rows), score: 0, upperBound: 0 };
  }

  #extend(parent: Candidate, predicate: Predicate, { failing, passing, hash }: RowSet, evidence: Evidence): Candidate {
    const predicates = [...parent.predicates, predicate];
    let cost = lengthCost[predicates.length] as number;
    for (const one of predicates) cost += one.cost;
    const score = evidence.of(failing, passing) - cost;
    return { parent, predicates, failing, passing, hash, score, upperBound: evidence.of(failing, 0) - cost, rows: undefined };
  }

  /** Whether at least half of the cases that meet it fail. A condition under which most cases pass explains nothing. */
  #explains({ failing, passing }: RowSet): boolean {
    return failing >= passing * this.#passingWeight;
  }

  #count(rows: Int32Array): RowSet {
    let [failing, hash] = [0, 0];
    for (const row of rows) {
      failing += this.#failed[row] as number;
      hash += this.#marks[row] as number;
    }
    return { failing, passing: rows.length - failing, hash };
  }

  #rowsOf(candidate: Candidate): Int32Array {
    candidate.rows ??= this.#filter(this.#rowsOf(candidate.parent as Candidate), candidate.predicates.at(-1) as Predicate);
    return candidate.rows;
  }

  #findRowsMeeting(predicates: readonly Predicate[]): Int32Array {
    return predicates.reduce<Int32Array>(
      (rows, predicate) => this.#filter(rows, predicate),
      Int32Array.from(this.#failed, (_, row) => row),
    );
  }

  #filter(rows: Int32Array, predicate: Predicate): Int32Array {
    const column = this.#columns[predicate.column] as Column;
    return rows.filter((row) => meetsPredicate(column, predicate, row));
  }
}
