import { createRandom, type Random } from '../../cases/random.ts';
import type { Probe } from '../../suites/probes.ts';
import type { Condition } from '../where/condition.ts';
import { failsWithAnyValue, findRange, shrink, type TryProbe } from './edges.ts';
import { conditionOfPart, type FoundCause, meetsCause, type Proof } from './found-cause.ts';
import { Hypotheses } from './hypotheses.ts';
import { ProbeChooser } from './probe-chooser.ts';
import { agrees, type FailureCause, findUntestedPart, isProven, summarizeCause } from './proof.ts';
import type { Observation, ProbeResult, SearchSpace } from './search-space.ts';

/** The result of a search. */
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

/** The combinations that remain possible for the row that is being explained. */
export interface NarrowStep {
  /** The number of combinations. */
  readonly possible: number;
  /** The likeliest one. */
  readonly likeliest: readonly Condition[];
}

/** A combination is tried with other values in all other columns when it is at least this likely. */
const CONFIRM_WEIGHT = 0.6;
/** The maximum number of probes in a row that the source of the test does not allow. */
const MAX_REFUSED = 30;
const MAX_CAUSES = 20;
/** The maximum number of times that a row is explained again after its cause proved to be a mixture of others. */
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

/** Longer than most classes: each search continues with the results of the others. */
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
    const unexplained: { readonly row: Observation; readonly reason: UnexplainedRow['reason'] }[] = [];
    const revisions = new Map<Observation, number>();
    const open = this.#space.observations.filter(({ failed, ordinal }) => failed && (!this.#explain || this.#explain.has(ordinal)));
    for (const row of open) {
      if (this.#isExplained(row.codes)) continue;
      if (this.#found.length === MAX_CAUSES) break;
      const found = this.#space.paths.length === 0 ? 'no-columns' : yield* this.#findCause(row);
      if (typeof found === 'string') {
        unexplained.push({ row, reason: found });
        continue;
      }
      this.#found.push(found);
      // An apparent cause can be a mixture of this one and another.
      for (const mixture of this.#found.filter(
        (cause) => cause.proof && cause !== found && !isProven(this.#space, cause, cause.proof, this.#listUnexplained(cause)),
      )) {
        const count = (revisions.get(mixture.row) ?? 0) + 1;
        if (count > MAX_REVISIONS) continue;
        revisions.set(mixture.row, count);
        this.#found.splice(this.#found.indexOf(mixture), 1);
        open.push(mixture.row);
      }
    }
    return {
      causes: this.#found.map((cause) => summarizeCause(this.#space, cause, this.#listUnexplained(cause))),
      unexplained: unexplained.filter(({ row }) => !this.#isExplained(row.codes)).map(({ row, reason }) => ({ ordinal: row.ordinal, reason })),
    };
  }

  /** Whether a row would fail for a cause that was found. */
  #isExplained(codes: Int32Array, except?: FoundCause): boolean {
    return this.#found.some((cause) => cause !== except && meetsCause(this.#space, cause, codes));
  }

  /** The observations that no other cause explains. */
  #listUnexplained(cause?: FoundCause): readonly Observation[] {
    return this.#space.observations.filter(({ codes }) => !this.#isExplained(codes, cause));
  }

  /** Finds the range of each number and date of a combination, and the columns whose value does not matter. */
  *#widen(row: Observation, columns: readonly number[]): Generator<Probe, FoundCause['parts'], ProbeResult> {
    const parts: FoundCause['parts'][number][] = [];
    for (const column of columns) {
      const others = columns.filter((other) => other !== column);
      const relevant = this.#listUnexplained().filter(({ codes }) => agrees(codes, row.codes, others));
      const part = yield* findRange(this.#space, row, column, relevant, this.#tryProbe);
      const isPresence = !part.range && (yield* failsWithAnyValue(this.#space, row, column, relevant, this.#tryProbe));
      parts.push(isPresence ? { column, isPresence } : part);
    }
    return parts;
  }

  /** Completes a cause: widens its values if that has not been done, and shrinks its texts and lists. */
  *#complete(row: Observation, columns: readonly number[], proof: Proof | undefined, widened?: FoundCause['parts']): Generator<Probe, FoundCause, ProbeResult> {
    if (!proof) return { row, parts: widened ?? columns.map((column) => ({ column })), proof, smallest: [] };
    const parts = widened ?? (yield* this.#widen(row, columns));
    const smallest: { column: string; value: unknown }[] = [];
    for (const { column, isPresence } of parts) {
      const value = isPresence ? undefined : yield* shrink(this.#space, row, column, this.#tryProbe);
      if (value !== undefined) smallest.push({ column: this.#space.paths[column] as string, value });
    }
    return { row, parts, proof, smallest };
  }

  *#findCause(row: Observation): Generator<Probe, FoundCause | UnexplainedRow['reason'], ProbeResult> {
    const repeated = yield* this.#try(row, row.codes);
    if (repeated && !repeated.failed) return 'flaky';
    const hypotheses = new Hypotheses(row, this.#listRelevant(row));
    const chooser = new ProbeChooser(this.#space, row, hypotheses, this.#random, (codes) => this.#isExplained(codes));
    let refused = 0;
    while (!hypotheses.isEmpty) {
      const { columns, weight } = hypotheses.best;
      this.#onStep?.({ possible: hypotheses.size, likeliest: asCause(row, columns).parts.map((part) => conditionOfPart(this.#space, { row }, part)) });
      const isConfirming = weight >= CONFIRM_WEIGHT;
      if (isConfirming && this.#isProven(row, columns)) return yield* this.#complete(row, columns, 'tried');
      const open = isConfirming ? findUntestedPart(this.#space, row, columns) : undefined;
      const codes = isConfirming ? chooser.chooseKeeping(open ?? columns) : chooser.chooseHalving();
      const observed = codes && (yield* this.#try(row, codes));
      if (observed) {
        refused = 0;
        hypotheses.learn(observed);
      } else if (this.#left <= 0 || ++refused > MAX_REFUSED) {
        if (!isConfirming && this.#left <= 0) return 'budget';
        // No further row is possible. Within ranges of numbers, more of the rows that ran have the cause.
        const parts = yield* this.#widen(row, columns);
        const proof = this.#left > 0 && isProven(this.#space, { row, parts }, 'all rows', this.#listUnexplained()) ? 'all rows' : undefined;
        return proof || isConfirming ? yield* this.#complete(row, columns, proof, parts) : 'contradictory';
      }
    }
    return yield* this.#bisect(row, chooser);
  }

  /** Finds a combination of any size, one column at a time by bisection. */
  *#bisect(row: Observation, chooser: ProbeChooser): Generator<Probe, FoundCause | UnexplainedRow['reason'], ProbeResult> {
    const columns: number[] = [];
    let candidates = [...row.codes.keys()];
    const fails = function* (this: TestSearch, columnsToKeep: readonly number[]): Generator<Probe, boolean | undefined, ProbeResult> {
      for (let tries = 0; tries < MAX_REFUSED && this.#left > 0; tries++) {
        const codes = chooser.chooseKeeping(columnsToKeep);
        const observed = codes && (yield* this.#try(row, codes));
        if (observed) return observed.failed;
      }
      return undefined;
    }.bind(this);
    for (;;) {
      const isEnough = yield* fails(columns);
      if (isEnough === undefined) return this.#left <= 0 ? 'budget' : 'contradictory';
      // A row without any of these values also fails: at random or for another cause.
      if (isEnough && columns.length === 0) return 'contradictory';
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
    return yield* this.#complete(row, columns, this.#isProven(row, columns) ? 'tried' : undefined);
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

  #isProven(row: Observation, columns: readonly number[]): boolean {
    return isProven(this.#space, asCause(row, columns), 'tried', this.#listUnexplained());
  }

  /** The observations that are informative about a row: those that another cause failed are not. */
  #listRelevant(row: Observation): readonly Observation[] {
    return this.#space.observations.filter((other) => !other.failed || (other.ordinal !== row.ordinal && !this.#isExplained(other.codes)));
  }
}

const asCause = (row: Observation, columns: readonly number[]): Pick<FoundCause, 'row' | 'parts'> => ({ row, parts: columns.map((column) => ({ column })) });
