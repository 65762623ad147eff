import { createRandom, type Random } from '../../cases/random.ts';
import type { Probe } from '../../suites/probes.ts';
import type { Condition } from '../where/condition.ts';
import { Hypotheses } from './hypotheses.ts';
import { ProbeChooser } from './probe-chooser.ts';
import type { KnownRow, KnownValue, Observation, SearchSpace } from './search-space.ts';

/** A combination of values that makes a test fail. */
export interface FailureCause {
  readonly conditions: readonly Condition[];
  /** The rows that meet all conditions: how many failed, of how many. */
  readonly failed: number;
  readonly cases: number;
  /** The rows that meet all conditions but one: how many passed, of how many. */
  readonly passedWithout: number;
  readonly casesWithout: number;
  /** It failed with other values in all other columns, and never passed; without each of its values, it passed. */
  readonly isProven: boolean;
}

export interface NarrowedTest {
  readonly causes: readonly FailureCause[];
  /** Failing rows that no cause explains. */
  readonly unexplained: readonly UnexplainedRow[];
}

export interface UnexplainedRow {
  readonly ordinal: number;
  readonly reason: 'flaky' | 'budget' | 'no-columns' | 'contradictory';
}

/** The result of a probe; undefined if it did not run, or failed for a reason outside the tested code. */
export type ProbeResult = KnownRow | undefined;

export interface NarrowOptions {
  readonly seed: number;
  /** The number of probes that can run. */
  readonly budget: number;
}

/** A combination is tried with other values in all other columns when it is at least this likely. */
const CONFIRM_WEIGHT = 0.6;
/** Failing rows, other than the first one, that a proven cause has. */
const MIN_FAILING_ROWS = 3;
/** As many more for each row that fails without the cause: failures may be random. */
const MORE_FOR_CONTRADICTION = 2;
/** If no more rows are possible. */
const MIN_FAILING_ROWS_AT_END = 1;
/** Probes that the source of the test does not allow, one after the other. */
const MAX_REFUSED = 30;
const MAX_CAUSES = 20;
/** How often a row is explained anew after its cause turned out to be a mixture of others. */
const MAX_REVISIONS = 2;

interface FoundCause {
  /** The failing row that it was found from. */
  readonly row: Observation;
  readonly columns: readonly number[];
  readonly codes: Int32Array;
  readonly isProven: boolean;
}

/**
 * Finds what makes a test fail: yields rows to run, receives their results, and returns the smallest combinations of values that fail
 * whatever the other values are. Each probe halves what is possible (adaptive group testing; C. Nie, H. Leung, 2011; Z. Zhang, J. Zhang,
 * 2011). Combinations of more than three values are found by bisection between the failing row and a passing one (A. Zeller,
 * R. Hildebrandt, 2002).
 */
export function* narrowTest(space: SearchSpace, options: NarrowOptions): Generator<Probe, NarrowedTest, ProbeResult> {
  const search = new TestSearch(space, options);
  return yield* search.run();
}

class TestSearch {
  readonly #space: SearchSpace;
  readonly #random: Random;
  readonly #found: FoundCause[] = [];
  #left: number;

  constructor(space: SearchSpace, { seed, budget }: NarrowOptions) {
    this.#space = space;
    this.#random = createRandom(`narrow ${seed}`);
    this.#left = budget;
  }

  *run(): Generator<Probe, NarrowedTest, ProbeResult> {
    const unexplained: UnexplainedRow[] = [];
    const revisions = new Map<Observation, number>();
    const open = this.#space.observations.filter(({ failed }) => failed);
    for (const row of open) {
      if (this.#isExplained(row.codes)) continue;
      if (this.#found.length === MAX_CAUSES) break;
      const found = this.#space.paths.length === 0 ? 'no-columns' : yield* this.#explain(row);
      if (typeof found === 'string') {
        unexplained.push({ ordinal: row.ordinal, reason: found });
        continue;
      }
      this.#found.push(found);
      for (const mixture of this.#found.filter(
        (cause) => cause.isProven && cause !== found && !this.#isProven(cause.row, cause.columns, MIN_FAILING_ROWS, cause),
      )) {
        const count = (revisions.get(mixture.row) ?? 0) + 1;
        if (count > MAX_REVISIONS) continue;
        revisions.set(mixture.row, count);
        this.#found.splice(this.#found.indexOf(mixture), 1);
        open.push(mixture.row);
      }
    }
    return { causes: this.#found.map((cause) => this.#describe(cause)), unexplained };
  }

  /** Whether a row would fail for a cause that was found. */
  #isExplained(codes: Int32Array, except?: FoundCause): boolean {
    return this.#found.some((cause) => cause !== except && isIn(cause, codes));
  }

  *#explain(row: Observation): Generator<Probe, FoundCause | UnexplainedRow['reason'], ProbeResult> {
    const repeated = yield* this.#try(row, row.codes);
    if (repeated && !repeated.failed) return 'flaky';
    const hypotheses = new Hypotheses(row, this.#relevant(row));
    const chooser = new ProbeChooser(this.#space, row, hypotheses, this.#random, (codes) => this.#isExplained(codes));
    let refused = 0;
    while (!hypotheses.isEmpty) {
      const { columns, weight } = hypotheses.best;
      const isConfirming = weight >= CONFIRM_WEIGHT;
      if (isConfirming && this.#isProven(row, columns)) return { row, columns, codes: row.codes, isProven: true };
      const open = isConfirming ? this.#missingPass(row, columns) : undefined;
      const codes = isConfirming ? chooser.keeping(open ?? columns) : chooser.halving();
      const observed = codes && (yield* this.#try(row, codes));
      if (observed) {
        refused = 0;
        hypotheses.learn(observed);
      } else if (this.#left <= 0 || ++refused > MAX_REFUSED) {
        if (isConfirming) return { row, columns, codes: row.codes, isProven: this.#left > 0 && this.#isProven(row, columns, MIN_FAILING_ROWS_AT_END) };
        return this.#left <= 0 ? 'budget' : 'contradictory';
      }
    }
    return yield* this.#bisect(row, chooser);
  }

  /** Finds a combination of any size: each column of it by bisection. */
  *#bisect(row: Observation, chooser: ProbeChooser): Generator<Probe, FoundCause | UnexplainedRow['reason'], ProbeResult> {
    const columns: number[] = [];
    let candidates = [...row.codes.keys()];
    const fails = function* (this: TestSearch, kept: readonly number[]): Generator<Probe, boolean | undefined, ProbeResult> {
      for (let tries = 0; tries < MAX_REFUSED && this.#left > 0; tries++) {
        const codes = chooser.keeping(kept);
        const observed = codes && (yield* this.#try(row, codes));
        if (observed) return observed.failed;
      }
      return undefined;
    }.bind(this);
    for (;;) {
      const isEnough = yield* fails(columns);
      if (isEnough === undefined) return this.#left <= 0 ? 'budget' : 'contradictory';
      if (isEnough) break;
      if (candidates.length === 0) return 'contradictory';
      let [low, high] = [0, candidates.length];
      while (high - low > 1) {
        const middle = (low + high) >> 1;
        const failed = yield* fails([...columns, ...candidates.slice(0, middle)]);
        if (failed === undefined) return this.#left <= 0 ? 'budget' : 'contradictory';
        if (failed) high = middle;
        else low = middle;
      }
      columns.push(candidates[low] as number);
      candidates = candidates.slice(0, low);
    }
    while (!this.#isProven(row, columns) && (yield* fails(columns)) === true);
    return { row, columns, codes: row.codes, isProven: this.#isProven(row, columns) };
  }

  *#try(base: Observation, codes: Int32Array): Generator<Probe, Observation | undefined, ProbeResult> {
    const probe = this.#left > 0 ? this.#space.probe(base, codes) : undefined;
    if (!probe) return undefined;
    const result = yield probe;
    if (!result) return undefined;
    this.#left--;
    return this.#space.observe(result, true);
  }

  /** The observations that say something about a row: those that another cause failed say nothing. */
  #relevant(row: Observation): readonly Observation[] {
    return this.#space.observations.filter(
      (other) => !other.failed || (other.ordinal !== row.ordinal && !this.#found.some((cause) => isIn(cause, other.codes))),
    );
  }

  #isProven(row: Observation, columns: readonly number[], minFailing = MIN_FAILING_ROWS, itself?: FoundCause): boolean {
    const apart = this.#space.observations.filter(({ codes }) => !this.#isExplained(codes, itself));
    const containing = apart.filter(({ codes }) => agrees(codes, row.codes, columns));
    if (containing.some(({ failed }) => !failed)) return false;
    const contradictions = apart.filter(({ isProbe, failed, codes }) => isProbe && failed && !agrees(codes, row.codes, columns)).length;
    const others = containing.filter(({ codes }) => !isSame(codes, row.codes)).length;
    if (others < minFailing + MORE_FOR_CONTRADICTION * contradictions) return false;
    const isAlwaysThere = (column: number): boolean =>
      !columns.includes(column) &&
      (this.#space.values[column] as readonly KnownValue[]).length > 1 &&
      containing.every(({ codes }) => codes[column] === row.codes[column]);
    return ![...row.codes.keys()].some(isAlwaysThere) && this.#missingPass(row, columns) === undefined;
  }

  /** A part of a combination that no passing row has: it could be the cause by itself. */
  #missingPass(row: Observation, columns: readonly number[]): readonly number[] | undefined {
    const parts = columns.map((out) => columns.filter((column) => column !== out));
    return parts.find((part) => !this.#space.observations.some(({ failed, codes }) => !failed && agrees(codes, row.codes, part)));
  }

  #describe({ columns, codes, isProven }: FoundCause): FailureCause {
    const others = this.#found.filter((cause) => cause.codes !== codes || cause.columns !== columns);
    const alone = this.#space.observations.filter((one) => !others.some((cause) => isIn(cause, one.codes)));
    const differing = (one: Observation): number => columns.filter((column) => one.codes[column] !== codes[column]).length;
    const meeting = this.#space.observations.filter((one) => differing(one) === 0);
    const without = alone.filter((one) => differing(one) === 1);
    return {
      conditions: columns.map((column) => this.#condition(column, codes[column] as number)),
      failed: meeting.filter(({ failed }) => failed).length,
      cases: meeting.length,
      passedWithout: without.filter(({ failed }) => !failed).length,
      casesWithout: without.length,
      isProven,
    };
  }

  #condition(index: number, code: number): Condition {
    const column = this.#space.paths[index] as string;
    const { value } = (this.#space.values[index] as readonly KnownValue[])[code] as KnownValue;
    return value === undefined ? { kind: 'missing', column } : { kind: 'value', column, value };
  }
}

const agrees = (codes: Int32Array, row: Int32Array, columns: readonly number[]): boolean => columns.every((column) => codes[column] === row[column]);
const isIn = ({ columns, codes }: FoundCause, row: Int32Array): boolean => agrees(row, codes, columns);
const isSame = (a: Int32Array, b: Int32Array): boolean => a.every((code, column) => code === b[column]);
