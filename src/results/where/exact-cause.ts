import type { Suspects } from '../cause/suspects.ts';
import { type Condition, flattenCells } from './condition.ts';

type Row = Readonly<Record<string, unknown>>;

/** The largest chance at which a cause is reported. */
const MAX_CHANCE = 0.005;
const MAX_ROWS = 2_000;
const MAX_COLUMNS = 16;
const MAX_SIZE = 3;

/**
 * Finds the single combination of values that all failing rows contain and no passing row contains. Returns undefined if there is none, or
 * if chance could explain it. The chance is the number of combinations of up to three values that have as many rows as there are failing
 * rows, divided by the number of ways to choose that many rows. It takes into account how the rows were made: in a matrix, many
 * combinations have the same number of rows.
 */
export function findExactCause(failing: readonly Row[], passing: readonly Row[], suspects: Suspects | undefined): readonly Condition[] | undefined {
  const [suspect] = suspects?.combinations ?? [];
  const count = failing.length + passing.length;
  if (!suspects?.isLikelyCause || !suspect || failing.length < 2 || count > MAX_ROWS) return undefined;
  const candidates = countCombinations([...failing, ...passing], failing.length);
  return candidates !== undefined && candidates / choose(count, failing.length) <= MAX_CHANCE ? suspect.conditions : undefined;
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
