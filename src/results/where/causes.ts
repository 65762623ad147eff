import type { Suspects } from '../cause/suspects.ts';
import { buildColumns } from './columns.ts';
import { type Condition, holdAll } from './condition.ts';
import { PatternSearch } from './search.ts';

/** The examined rows of a test: all or some of those that failed, and of those that passed. */
export interface Sample {
  readonly failing: readonly Row[];
  readonly passing: readonly Row[];
  /** The number of passing cases that a passing row represents, if a failing row represents one failing case. Default: 1. */
  readonly passingWeight?: number | undefined;
}

type Row = Readonly<Record<string, unknown>>;

/** Conditions under which cases fail. */
export type Conditions = readonly Condition[];

/** Conditions under which cases fail, with the number of cases that meet them and how many of those fail. */
export interface FailurePattern {
  readonly conditions: readonly Condition[];
  readonly failing: number;
  readonly cases: number;
}

/** Where a test fails: its causes, those with the most failures first, and the remaining cases. */
export interface WhereItFails {
  readonly causes: readonly FailurePattern[];
  readonly elsewhere: { readonly failing: number; readonly cases: number };
  /** Combinations that could have caused the failures, if causes are absent and failures are few. */
  readonly suspects?: Suspects | undefined;
}

const MAX_CAUSES = 5;

/**
 * The shortest conditions that hold for the failing rows and not for the passing ones. At least half of the cases that meet a condition
 * fail. Empty if nothing explains the failures.
 */
export function findCauses({ failing, passing, passingWeight }: Sample): Conditions[] {
  const columns = buildColumns([...failing, ...passing], failing.length);
  const failed = Uint8Array.from({ length: failing.length + passing.length }, (_, i) => (i < failing.length ? 1 : 0));
  const search = new PatternSearch(columns, failed, passingWeight);
  const all = Int32Array.from(failed, (_, i) => i);
  const without = (others: readonly Found[]): Int32Array => {
    const taken = new Set(others.flatMap(({ rows }) => [...rows]));
    return taken.size === 0 ? all : all.filter((row) => !taken.has(row));
  };
  type Found = NonNullable<ReturnType<PatternSearch['best']>>;
  const found: Found[] = [];
  while (found.length < MAX_CAUSES) {
    const next = search.best(without(found));
    if (!next) break;
    found.push(next);
    // Rows that a later cause explains were noise for the earlier ones.
    for (let i = 0; i < found.length - 1; i++) found[i] = search.best(without(found.filter((_, other) => other !== i))) ?? (found[i] as Found);
  }
  const failures = ({ rows }: Found): number => rows.reduce((sum, row) => sum + (failed[row] as number), 0);
  return found.sort((a, b) => failures(b) - failures(a)).map(({ conditions }) => conditions);
}

/** Counts, case by case, how the causes of one test hold over all its cases. */
export class CauseCounter {
  readonly #causes: readonly { readonly conditions: Conditions; failing: number; cases: number }[];
  readonly #elsewhere = { failing: 0, cases: 0 };

  constructor(causes: readonly Conditions[]) {
    this.#causes = causes.map((conditions) => ({ conditions, failing: 0, cases: 0 }));
  }

  /** Counts one case. Returns whether its status is as the causes predict. */
  take(row: Row, failed: boolean): boolean {
    let isMet = false;
    for (const cause of this.#causes) {
      if (!holdAll(cause.conditions, row)) continue;
      isMet = true;
      cause.cases++;
      if (failed) cause.failing++;
    }
    if (!isMet) {
      this.#elsewhere.cases++;
      if (failed) this.#elsewhere.failing++;
    }
    return isMet === failed;
  }

  get counted(): WhereItFails {
    return { causes: this.#causes, elsewhere: this.#elsewhere };
  }
}
