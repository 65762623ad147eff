import type { FoundSuspects } from '../cause/suspects.ts';
import { type Condition, flattenCells } from './condition.ts';

type Row = Readonly<Record<string, unknown>>;

/** The highest chance at which a cause is reported. */
const MAX_CHANCE = 0.005;
export const MAX_ROWS = 2_000;
const MAX_COLUMNS = 16;
const MAX_SIZE = 3;
/** The maximum number of values in each combination, if there are two. */
const MAX_SIZE_OF_TWO = 2;

/**
 * Finds one combination of values that all failing rows contain and no passing row, or two combinations of up to two values of which each
 * failing row contains at least one. The result is empty if neither exists, if more than one pair is possible, or if chance could explain
 * the failures. The chance is the number of candidates divided by the number of ways to choose the failing rows. The candidates for one
 * combination are those with the same number of rows, of which a matrix has many. The candidates for a pair are all pairs.
 */
export function findExactCauses(failing: readonly Row[], passing: readonly Row[], found: FoundSuspects | undefined): readonly (readonly Condition[])[] {
  const count = failing.length + passing.length;
  if (!found || failing.length < 2 || count > MAX_ROWS) return [];
  const causes = found.suspects.combinations.slice(0, found.isOnlyPair ? 2 : 1).map(({ conditions }) => conditions);
  const isLikely = (candidates: number | undefined): boolean => candidates !== undefined && candidates / choose(count, failing.length) <= MAX_CHANCE;
  if (found.suspects.isLikelyCause) return isLikely(countCombinations([...failing, ...passing], failing.length)) ? causes : [];
  if (!found.isOnlyPair || causes.some((conditions) => conditions.length > MAX_SIZE_OF_TWO)) return [];
  const small = countSmallCombinations([...failing, ...passing]);
  return isLikely(choose(small, 2)) ? causes : [];
}

/** The number of combinations that exactly `size` rows have. Undefined for rows with too many columns. */
function countCombinations(rows: readonly Row[], size: number): number | undefined {
  const cells = rows.map((row) => new Map(flattenCells(row)));
  const columns = [...new Set(cells.flatMap((row) => [...row.keys()]))].filter((column) => new Set(cells.map((row) => row.get(column))).size > 1);
  if (columns.length > MAX_COLUMNS) return undefined;
  let found = 0;
  for (const group of groupsOf(columns)) {
    const counts = new Map<string, number>();
    for (const row of cells) {
      const key = JSON.stringify(group.map((column) => row.get(column) ?? null));
      counts.set(key, (counts.get(key) ?? 0) + 1);
    }
    for (const rowCount of counts.values()) if (rowCount === size) found++;
  }
  return found;
}

/** The number of values and pairs of values in rows. */
function countSmallCombinations(rows: readonly Row[]): number {
  const values = new Map<string, Set<unknown>>();
  for (const row of rows) {
    for (const [column, value] of flattenCells(row)) {
      const known = values.get(column);
      if (known) known.add(value);
      else values.set(column, new Set([value]));
    }
  }
  let [singles, pairs] = [0, 0];
  for (const { size } of values.values()) {
    if (size < 2) continue;
    pairs += singles * size;
    singles += size;
  }
  return singles + pairs;
}

/** All sets of up to three columns. */
function* groupsOf(columns: readonly string[], from = 0, group: readonly string[] = []): Generator<readonly string[]> {
  if (group.length > 0) yield group;
  if (group.length === MAX_SIZE) return;
  for (let at = from; at < columns.length; at++) yield* groupsOf(columns, at + 1, [...group, columns[at] as string]);
}

function choose(n: number, k: number): number {
  let ways = 1;
  for (let i = 1; i <= k; i++) ways *= (n - k + i) / i;
  return ways;
}
