import { MAX_ROWS } from '../../cases/row.ts';
import type { Probe, ProbeBatch } from '../../suites/probes.ts';
import type { JournalEntry } from '../journal/entries.ts';
import type { RecordedResult, TestHeader } from '../recorded-result.ts';
import { classifyStatus, testedCauses } from '../where/tests.ts';
import { type NarrowedTest, type NarrowStep, narrowTest, type UnexplainedRow } from './narrow-test.ts';
import type { FailureCause } from './proof.ts';
import { type KnownRow, type ProbeResult, type Row, SearchSpace } from './search-space.ts';

/** The next rows to run: probes of a test, or all its rows. */
export interface NextRows {
  readonly test: number;
  readonly probes: ProbeBatch | undefined;
}

/** A failing test and its causes. */
export interface NarrowedResult {
  readonly causes: readonly FailureCause[];
  /** Failing rows that no cause explains, by the ids of their cases. */
  readonly unexplained: readonly { readonly id: string; readonly reason: UnexplainedRow['reason'] }[];
  readonly header: TestHeader;
  /** The failing rows to explain, and all rows of the test that ran, without probes. */
  readonly failing: readonly KnownRow[];
  readonly cases: number;
  readonly probes: readonly { readonly row: Row; readonly failed: boolean }[];
  readonly milliseconds: number;
}

/** What is shown while the causes of a test are searched. */
export interface NarrowProgress {
  /** The titles of its suites and its own. */
  readonly path: readonly string[];
  /** The number of probes that ran. */
  readonly probes: number;
  readonly step: NarrowStep | undefined;
}

export interface SessionOptions {
  readonly budget: number;
  readonly seed: number;
  readonly columns: readonly string[] | undefined;
}

/** The maximum number of passing rows of a test that are kept. */
const MAX_PASSING_ROWS = 5_000;
const MAX_FAILING_ROWS = 500;

interface TestRows {
  header: TestHeader;
  readonly failing: KnownRow[];
  readonly passing: KnownRow[];
  /** The ids of failing rows, by ordinal. */
  readonly ids: Map<number, string>;
  cases: number;
}

/** Collects the results of a run, and then asks for further rows of each failing test until its causes are found. */
export class NarrowSession {
  readonly results: NarrowedResult[] = [];
  readonly #options: SessionOptions;
  readonly #tests = new Map<number, TestRows>();
  /** Failing tests that are to be narrowed. The first one is being narrowed. */
  #queue: number[] | undefined;
  #search: Generator<Probe, NarrowedTest, ProbeResult> | undefined;
  #selected: readonly KnownRow[] = [];
  #probes: { row: Row; failed: boolean }[] = [];
  #step: NarrowStep | undefined;
  #began = 0;
  #next = MAX_ROWS;
  #answer: ProbeResult;

  constructor(options: SessionOptions) {
    this.#options = options;
  }

  /** The progress of the search for the causes of the current test. Undefined before the first probe. */
  get progress(): NarrowProgress | undefined {
    const test = this.#search && this.#tests.get(this.#queue?.[0] as number);
    return test && { path: test.header.path, probes: this.#probes.length, step: this.#step };
  }

  take(entry: JournalEntry): void {
    if (entry.type === 'test') {
      const known = this.#tests.get(entry.header.test);
      // A second header has more details.
      if (known) known.header = entry.header;
      else this.#tests.set(entry.header.test, { header: entry.header, failing: [], passing: [], ids: new Map(), cases: 0 });
    }
    if (entry.type !== 'ended') return;
    const { test, ordinal, row } = entry.result;
    const failed = classifyResult(entry.result);
    if (ordinal >= MAX_ROWS) {
      this.#answer = failed === undefined ? undefined : { ordinal, row, failed };
      if (failed !== undefined) this.#probes.push({ row, failed });
      return;
    }
    const rows = this.#tests.get(test);
    if (!rows || failed === undefined) return;
    rows.cases++;
    if (failed) rows.ids.set(ordinal, entry.result.id);
    const list = failed ? rows.failing : rows.passing;
    if (list.length < (failed ? MAX_FAILING_ROWS : MAX_PASSING_ROWS)) list.push({ ordinal, row, failed });
  }

  /** The next rows to run, after all results of the previous ones have arrived. `now` is in milliseconds. */
  next(now: number): NextRows | undefined {
    this.#queue ??= [...this.#tests].filter(([, { failing }]) => failing.length > 0).map(([test]) => test);
    for (; this.#queue.length > 0; this.#queue.shift()) {
      const test = this.#queue[0] as number;
      if (this.#selected.length === 0) {
        // If only some rows were selected, there is nothing to compare them with.
        this.#selected = [...(this.#tests.get(test) as TestRows).failing];
        return { test, probes: undefined };
      }
      const probe = this.#nextProbe(test, now);
      if (probe) return { test, probes: { first: this.#next++, probes: [probe] } };
    }
    return undefined;
  }

  #nextProbe(test: number, now: number): Probe | undefined {
    const { header, failing, passing, ids, cases } = this.#tests.get(test) as TestRows;
    let step: IteratorResult<Probe, NarrowedTest>;
    if (this.#search) step = this.#search.next(this.#answer);
    else {
      this.#began = now;
      const { columns, budget, seed } = this.#options;
      const left = budget - this.results.reduce((sum, { probes }) => sum + probes.length, 0);
      this.#search = narrowTest(new SearchSpace([...failing, ...passing], columns), {
        onStep: (step) => {
          this.#step = step;
        },
        budget: left,
        seed,
        explain: new Set(this.#selected.map(({ ordinal }) => ordinal)),
      });
      step = this.#search.next();
    }
    this.#answer = undefined;
    if (!step.done) return step.value;
    const { causes, unexplained } = step.value;
    const named = unexplained.map(({ ordinal, reason }) => ({ id: ids.get(ordinal) ?? header.id, reason }));
    this.results.push({ causes, unexplained: named, header, failing: this.#selected, cases, probes: this.#probes, milliseconds: now - this.#began });
    this.#search = undefined;
    this.#step = undefined;
    this.#selected = [];
    this.#probes = [];
    return undefined;
  }
}

/** Whether the tested code failed or passed. Undefined for neither: skipped, flaky, or failed for a reason outside of it. */
function classifyResult(result: RecordedResult): boolean | undefined {
  const failed = classifyStatus(result);
  if (failed === undefined || (failed ? !testedCauses.has(result.cause) : result.attempts > 1)) return undefined;
  return failed;
}
