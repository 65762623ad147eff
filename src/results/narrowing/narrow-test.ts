import { createRandom, type Random } from '../../cases/random.ts';
import type { Probe } from '../../suites/probes.ts';
import type { Condition } from '../where/condition.ts';
import { findRange, shrink, type TryProbe } from './edges.ts';
import { conditionOfPart, type FoundCause, meetsCause, meetsPart } from './found-cause.ts';
import { Hypotheses } from './hypotheses.ts';
import { ProbeChooser } from './probe-chooser.ts';
import type { KnownValue, Observation, ProbeResult, SearchSpace } from './search-space.ts';

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
  /** The smallest texts and lists that still fail, by column. */
  readonly smallest: readonly { readonly column: string; readonly value: unknown }[];
}

/** What a search found. */
export interface NarrowedTest {
  readonly causes: readonly FailureCause[];
  /** Failing rows that no cause explains. */
  readonly unexplained: readonly UnexplainedRow[];
}

/** A failing row without a known cause. */
export interface UnexplainedRow {
  /** Its number among the given rows, from 0. */
  readonly ordinal: number;
  readonly reason: 'flaky' | 'budget' | 'no-columns' | 'contradictory';
}

export interface NarrowOptions {
  readonly seed: number;
  /** The number of probes that can run. */
  readonly budget: number;
  /** The ordinals of the failing rows to explain. Default: all. */
  readonly explain?: ReadonlySet<number> | undefined;
  /** Called before each probe. */
  onStep?(step: NarrowStep): void;
}

/** What is still possible for the row that is being explained. */
export interface NarrowStep {
  /** The number of combinations. */
  readonly possible: number;
  /** The likeliest one. */
  readonly likeliest: readonly Condition[];
}

/** A combination is tried with other values in all other columns when it is at least this likely. */
const CONFIRM_WEIGHT = 0.6;
/** Failing rows, other than the first one, that a proven cause has. */
const MIN_FAILING_ROWS = 3;
/** Of these, the ones that were tried: only they have values of passing rows in all other columns. */
const MIN_FAILING_PROBES = 3;
/** As many more for each row that fails without the cause: failures may be random. */
const MORE_FOR_CONTRADICTION = 2;
/** If no more rows are possible. */
const MIN_FAILING_ROWS_AT_END = 1;
/** Probes that the source of the test does not allow, one after the other. */
const MAX_REFUSED = 30;
const MAX_CAUSES = 20;
/** How often a row is explained anew after its cause turned out to be a mixture of others. */
const MAX_REVISIONS = 2;

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
  readonly #explain: ReadonlySet<number> | undefined;
  readonly #onStep: NarrowOptions['onStep'];
  #left: number;
  /** Runs a probe that no other cause makes fail. */
  readonly #tryProbe: TryProbe;

  constructor(space: SearchSpace, { seed, budget, explain, onStep }: NarrowOptions) {
    this.#space = space;
    this.#explain = explain;
    this.#onStep = onStep;
    this.#random = createRandom(`narrow ${seed}`);
    this.#left = budget;
    this.#tryProbe = function* (this: TestSearch, probe: Probe): Generator<Probe, Observation | undefined, ProbeResult> {
      const observed = yield* this.#run(probe);
      return observed && !this.#isExplained(observed.codes) ? observed : undefined;
    }.bind(this);
  }

  *run(): Generator<Probe, NarrowedTest, ProbeResult> {
    const unexplained: UnexplainedRow[] = [];
    const revisions = new Map<Observation, number>();
    const open = this.#space.observations.filter(({ failed, ordinal }) => failed && (!this.#explain || this.#explain.has(ordinal)));
    for (const row of open) {
      if (this.#isExplained(row.codes)) continue;
      if (this.#found.length === MAX_CAUSES) break;
      const combination = this.#space.paths.length === 0 ? 'no-columns' : yield* this.#findCause(row);
      if (typeof combination === 'string') {
        unexplained.push({ ordinal: row.ordinal, reason: combination });
        continue;
      }
      this.#found.push(combination);
      const found = combination;
      for (const mixture of this.#found.filter((cause) => cause.isProven && cause !== found && !this.#isProven(cause, MIN_FAILING_ROWS, cause))) {
        const count = (revisions.get(mixture.row) ?? 0) + 1;
        if (count > MAX_REVISIONS) continue;
        revisions.set(mixture.row, count);
        this.#found.splice(this.#found.indexOf(mixture), 1);
        open.push(mixture.row);
      }
    }
    const rest = unexplained.filter(({ ordinal }) => !this.#isExplained((open.find((row) => row.ordinal === ordinal) as Observation).codes));
    return { causes: this.#found.map((cause) => this.#summarize(cause)), unexplained: rest };
  }

  /** Whether a row would fail for a cause that was found. */
  #isExplained(codes: Int32Array, except?: FoundCause): boolean {
    return this.#found.some((cause) => cause !== except && meetsCause(this.#space, cause, codes));
  }

  /** Finds the range of each number and date of a combination. */
  *#widen(row: Observation, columns: readonly number[]): Generator<Probe, FoundCause['parts'], ProbeResult> {
    const parts: FoundCause['parts'][number][] = [];
    for (const column of columns) {
      const others = columns.filter((other) => other !== column);
      const relevant = this.#space.observations.filter(({ codes }) => agrees(codes, row.codes, others) && !this.#isExplained(codes));
      parts.push(yield* findRange(this.#space, row, column, relevant, this.#tryProbe));
    }
    return parts;
  }

  /** Completes a cause: widens its numbers and dates if that has not been done, and shrinks its texts and lists. */
  *#complete(row: Observation, columns: readonly number[], isProven: boolean, widened?: FoundCause['parts']): Generator<Probe, FoundCause, ProbeResult> {
    if (!isProven) return { row, parts: widened ?? columns.map((column) => ({ column })), isProven, smallest: [] };
    const parts = widened ?? (yield* this.#widen(row, columns));
    const smallest: { column: string; value: unknown }[] = [];
    for (const column of columns) {
      const value = yield* shrink(this.#space, row, column, this.#tryProbe);
      if (value !== undefined) smallest.push({ column: this.#space.paths[column] as string, value });
    }
    return { row, parts, isProven, smallest };
  }

  *#findCause(row: Observation): Generator<Probe, FoundCause | UnexplainedRow['reason'], ProbeResult> {
    const repeated = yield* this.#try(row, row.codes);
    if (repeated && !repeated.failed) return 'flaky';
    const hypotheses = new Hypotheses(row, this.#relevant(row));
    const chooser = new ProbeChooser(this.#space, row, hypotheses, this.#random, (codes) => this.#isExplained(codes));
    let refused = 0;
    while (!hypotheses.isEmpty) {
      const { columns, weight } = hypotheses.best;
      this.#onStep?.({ possible: hypotheses.size, likeliest: asCause(row, columns).parts.map((part) => conditionOfPart(this.#space, { row }, part)) });
      const isConfirming = weight >= CONFIRM_WEIGHT;
      if (isConfirming && this.#isProven(asCause(row, columns))) return yield* this.#complete(row, columns, true);
      const open = isConfirming ? this.#missingPass(row, columns) : undefined;
      const codes = isConfirming ? chooser.keeping(open ?? columns) : chooser.halving();
      const observed = codes && (yield* this.#try(row, codes));
      if (observed) {
        refused = 0;
        hypotheses.learn(observed);
      } else if (this.#left <= 0 || ++refused > MAX_REFUSED) {
        if (!isConfirming && this.#left <= 0) return 'budget';
        // No further row is possible. In ranges of numbers, more of those that ran have the cause.
        const parts = yield* this.#widen(row, columns);
        const isProven = this.#left > 0 && this.#isProven({ row, parts }, MIN_FAILING_ROWS_AT_END);
        return isProven || isConfirming ? yield* this.#complete(row, columns, isProven, parts) : 'contradictory';
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
    while (!this.#isProven(asCause(row, columns)) && (yield* fails(columns)) === true);
    return yield* this.#complete(row, columns, this.#isProven(asCause(row, columns)));
  }

  *#try(base: Observation, codes: Int32Array): Generator<Probe, Observation | undefined, ProbeResult> {
    const probe = this.#space.probe(base, codes);
    return probe && (yield* this.#run(probe));
  }

  *#run(probe: Probe): Generator<Probe, Observation | undefined, ProbeResult> {
    if (this.#left <= 0) return undefined;
    const result = yield probe;
    if (!result) return undefined;
    this.#left--;
    return this.#space.observe(result, true);
  }

  /** The observations that say something about a row: those that another cause failed say nothing. */
  #relevant(row: Observation): readonly Observation[] {
    return this.#space.observations.filter((other) => !other.failed || (other.ordinal !== row.ordinal && !this.#isExplained(other.codes)));
  }

  #isProven(cause: Pick<FoundCause, 'row' | 'parts'>, minFailing = MIN_FAILING_ROWS, itself?: FoundCause): boolean {
    const { row, parts } = cause;
    const apart = this.#space.observations.filter(({ codes }) => !this.#isExplained(codes, itself));
    const [containing, others] = [
      apart.filter(({ codes }) => meetsCause(this.#space, cause, codes)),
      apart.filter(({ codes }) => !meetsCause(this.#space, cause, codes)),
    ];
    if (containing.some(({ failed }) => !failed)) return false;
    const contradictions = others.filter(({ isProbe, failed }) => isProbe && failed).length;
    const failing = containing.filter(({ codes }) => !isSame(codes, row.codes));
    if (failing.length < minFailing + MORE_FOR_CONTRADICTION * contradictions) return false;
    if (failing.filter(({ isProbe }) => isProbe).length < Math.min(MIN_FAILING_PROBES, minFailing - 1)) return false;
    const columns = parts.map(({ column }) => column);
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

  #summarize(cause: FoundCause): FailureCause {
    const { row, parts, isProven, smallest } = cause;
    const alone = this.#space.observations.filter(({ codes }) => !this.#isExplained(codes, cause));
    const differing = ({ codes }: Observation): number => parts.filter((part) => !meetsPart(this.#space, { row }, part, codes)).length;
    const meeting = this.#space.observations.filter((one) => differing(one) === 0);
    // A part of a text that fails has the cause in it.
    const isShrunk = ({ codes }: Observation): boolean =>
      smallest.some(({ column }) => {
        const index = this.#space.paths.indexOf(column);
        return (this.#space.values[index] as readonly KnownValue[])[codes[index] as number]?.ordinal === undefined;
      });
    const without = alone.filter((one) => differing(one) === 1 && !isShrunk(one));
    return {
      conditions: parts.map((part) => conditionOfPart(this.#space, { row }, part)),
      failed: meeting.filter(({ failed }) => failed).length,
      cases: meeting.length,
      passedWithout: without.filter(({ failed }) => !failed).length,
      casesWithout: without.length,
      isProven,
      smallest,
    };
  }
}

const asCause = (row: Observation, columns: readonly number[]): Pick<FoundCause, 'row' | 'parts'> => ({ row, parts: columns.map((column) => ({ column })) });
const agrees = (codes: Int32Array, row: Int32Array, columns: readonly number[]): boolean => columns.every((column) => codes[column] === row[column]);
const isSame = (a: Int32Array, b: Int32Array): boolean => a.every((code, column) => code === b[column]);
