import { type Column, missing } from './columns.ts';
import type { Condition, Operator } from './condition.ts';
import { findRanges, MAX_BOUNDS } from './ranges.ts';

/** A condition on the codes of a column: those from `low` to `high`, or all others. */
export interface Predicate {
  readonly column: number;
  readonly kind: 'value' | 'not' | 'range' | 'prefix' | 'missing';
  readonly low: number;
  readonly high: number;
  /** The logarithm of the number of alternatives of its kind. */
  readonly cost: number;
  readonly prefix?: string;
}

/** A set of rows, as the search needs it. */
export interface RowSet {
  readonly failing: number;
  readonly passing: number;
  /** The sum of a random number for each row: equal for the same rows. */
  readonly hash: number;
}

const kinds = Math.log(3);
/** The penalty of a text's length: it explains only what the text itself does not explain as well. */
const LENGTH_PENALTY = 2;
/** The penalty of the presence of a value: a certain value, or a key of an object, is preferred if it explains as much. */
const PRESENCE_PENALTY = 2;
/** The penalty of parts of texts and orders of columns: a value or a range is preferred unless they are much better. */
const DERIVED_PENALTY = 7;
/** In a column with more values, the absence of one of them is not informative. */
const MAX_EXCLUDED = 12;

/** How often each value of one column occurs among some rows. Index 0 counts missing values; value `code` is at `code + 1`. */
export class Histogram {
  readonly failing: Int32Array;
  readonly passing: Int32Array;
  readonly hashes: Float64Array;

  constructor({ values }: Column) {
    this.failing = new Int32Array(values.length + 1);
    this.passing = new Int32Array(values.length + 1);
    this.hashes = new Float64Array(values.length + 1);
  }

  fill({ codes, starts }: Column, rows: Int32Array, failed: Uint8Array, marks: Float64Array): void {
    const { failing, passing, hashes } = this;
    failing.fill(0);
    passing.fill(0);
    hashes.fill(0);
    for (let i = 0; i < rows.length; i++) {
      const row = rows[i] as number;
      const counted = failed[row] ? failing : passing;
      const end = starts ? (starts[row + 1] as number) : row + 1;
      for (let at = starts ? (starts[row] as number) : row; at < end; at++) {
        const index = (codes[at] as number) + 1;
        (counted[index] as number)++;
        (hashes[index] as number) += marks[row] as number;
      }
    }
  }

  /** The counts for ranges of values. */
  cumulate(): RangeCounts {
    const [failing, passing, hash] = [buildRangeSums(this.failing), buildRangeSums(this.passing), buildRangeSums(this.hashes)];
    return { failing, passing, rows: (low, high) => ({ failing: failing(low, high), passing: passing(low, high), hash: hash(low, high) }) };
  }

  at(code: number): RowSet {
    return { failing: this.failing[code + 1] as number, passing: this.passing[code + 1] as number, hash: this.hashes[code + 1] as number };
  }
}

/** Sums over ranges of codes, computed on first use: most columns have nothing of interest. */
function buildRangeSums(counts: Int32Array | Float64Array): (low: number, high: number) => number {
  let sums: Float64Array | undefined;
  return (low, high) => {
    if (!sums) {
      sums = new Float64Array(counts.length + 1);
      for (let i = 0; i < counts.length; i++) sums[i + 1] = (sums[i] as number) + (counts[i] as number);
    }
    return (sums[high + 2] as number) - (sums[low + 1] as number);
  };
}

interface RangeCounts {
  failing(low: number, high: number): number;
  passing(low: number, high: number): number;
  rows(low: number, high: number): RowSet;
}

/** What to search in one column. */
export interface PredicateQuery {
  readonly index: number;
  readonly column: Column;
  readonly counts: ColumnCounts;
  readonly histogram: Histogram;
  /** The rows that are searched. */
  readonly all: RowSet;
  /** The smallest number of failing rows with which a predicate of this cost is of interest. */
  minFailing(cost: number): number;
}

/** Derived columns are an additional choice, which does not make the columns themselves harder to find. */
const computeChoiceCost = ({ of }: Column, { plain, derived }: ColumnCounts): number =>
  kinds + (of === 'part' || of === 'order' ? Math.log(derived) + DERIVED_PENALTY : Math.log(plain)) + (of === 'length' ? LENGTH_PENALTY : 0);

/** The numbers of columns to choose from: those with values, lengths, sizes and members, and those with parts of texts and orders. */
export interface ColumnCounts {
  readonly plain: number;
  readonly derived: number;
}

export function countColumns(columns: readonly Column[]): ColumnCounts {
  const derived = columns.filter(({ of }) => of === 'part' || of === 'order').length;
  return { plain: columns.length - derived, derived: Math.max(1, derived) };
}

const isRangedColumn = ({ order }: Column): boolean => order === 'number' || order === 'date';

/** The cost of the cheapest predicate on a column. */
export function computeMinCost(column: Column, counts: ColumnCounts): number {
  const options = column.isSometimesMissing ? 1 : isRangedColumn(column) ? Math.min(column.values.length, 2 * MAX_BOUNDS) : column.values.length;
  return computeChoiceCost(column, counts) + Math.log(Math.max(1, options));
}

/** The predicates on one column that a larger part of the failing rows meets than of the passing ones, with the rows that meet each. */
export function* findPredicates({ index, column, counts, histogram, all, minFailing }: PredicateQuery): Generator<[Predicate, RowSet]> {
  const { values, of, isSometimesMissing, prefixes } = column;
  const { failing, passing } = histogram;
  const choice = computeChoiceCost(column, counts);
  const costAmong = (options: number): number => choice + Math.log(Math.max(1, options));
  // Not only more often: a predicate that fails as often as the rest can explain failures together with another one.
  const failsAsOften = (failed: number, passed: number): boolean => failed * all.passing >= passed * all.failing;
  const isRanged = isRangedColumn(column);
  const canExclude = !isRanged && (of === 'member' || of === 'part' || (values.length > 2 && values.length <= MAX_EXCLUDED));
  const cost = costAmong(values.length);
  const minCases = minFailing(cost);
  if (isSometimesMissing) {
    const without = histogram.at(missing);
    const costOfPresence = costAmong(1) + PRESENCE_PENALTY;
    if (without.failing > 0) yield [{ column: index, kind: 'missing', low: missing, high: missing, cost: costAmong(1) }, without];
    else if (all.failing >= minFailing(costOfPresence))
      yield [
        { column: index, kind: 'not', low: missing, high: missing, cost: costOfPresence },
        { failing: all.failing, passing: all.passing - without.passing, hash: all.hash - without.hash },
      ];
  }
  for (let code = 0; code < values.length; code++) {
    const [failed, passed] = [failing[code + 1] as number, passing[code + 1] as number];
    if (failsAsOften(failed, passed)) {
      if (failed >= minCases) yield [{ column: index, kind: 'value', low: code, high: code, cost }, histogram.at(code)];
    } else if (canExclude && all.failing - failed >= minCases && failsAsOften(all.failing - failed, all.passing - passed)) {
      const { hash } = histogram.at(code);
      yield [
        { column: index, kind: 'not', low: code, high: code, cost },
        { failing: all.failing - failed, passing: all.passing - passed, hash: all.hash - hash },
      ];
    }
  }
  if (!isRanged && prefixes.length === 0) return;
  const cumulated = histogram.cumulate();
  if (isRanged) {
    const cuts = Math.min(values.length, MAX_BOUNDS);
    for (const [low, high] of findRanges(histogram, all)) {
      const isOpen = low === 0 || high === values.length - 1;
      yield [{ column: index, kind: 'range', low, high, cost: costAmong(isOpen ? 2 * cuts : (cuts * (cuts - 1)) / 2) }, cumulated.rows(low, high)];
    }
  }
  for (const { low, high, prefix } of prefixes) {
    const failed = cumulated.failing(low, high);
    if (failed >= minCases && failsAsOften(failed, cumulated.passing(low, high)))
      yield [{ column: index, kind: 'prefix', low, high, prefix, cost }, cumulated.rows(low, high)];
  }
}

/** Whether a row meets a predicate. */
export function meetsPredicate({ codes, starts }: Column, { kind, low, high }: Predicate, row: number): boolean {
  const end = starts ? (starts[row + 1] as number) : row + 1;
  let isInRange = false;
  for (let at = starts ? (starts[row] as number) : row; at < end; at++) {
    const code = codes[at] as number;
    if (code >= low && code <= high) isInRange = true;
  }
  return isInRange !== (kind === 'not');
}

const opposites = { '<': '>=', '=': '!=', '!=': '=', '>': '<=' } as const;

export function buildCondition({ name: column, of, values, other }: Column, { kind, low, high, prefix }: Predicate): Condition {
  if (low === missing) return { kind: kind === 'not' ? 'present' : 'missing', column };
  if (prefix !== undefined) return { kind: 'prefix', column, prefix };
  const value = values[low] as string;
  if (of === 'order')
    return { kind: of, column, operator: kind === 'not' ? opposites[value as keyof typeof opposites] : (value as Operator), other: other as string };
  if (of === 'member' || of === 'part') return { kind: kind === 'not' ? 'lacks' : 'contains', column, value };
  if (kind === 'range' || of !== 'value') {
    const ranged = of === 'value' ? 'range' : of;
    if (kind === 'value') return { kind: ranged, column, from: values[low] as number, to: values[low] as number };
    const from = low === 0 ? undefined : (values[low] as number);
    const to = high === values.length - 1 ? undefined : (values[high] as number);
    return { kind: ranged, column, from, to };
  }
  return { kind: kind as 'value' | 'not', column, value };
}
