import { matchesCondition, parseCondition, type RowCondition } from '../suites/row-condition.ts';

type Row = Readonly<Record<string, unknown>>;

/** A condition as `--row` takes it, and as it is read. */
interface WrittenCondition {
  readonly text: string;
  readonly condition: RowCondition;
}

/** Characters: a longer value is hard to type, and no shorter than an id. */
const MAX_VALUE_LENGTH = 40;

/** The fewest conditions, one or two, that a recorded row meets and no other of some rows; undefined if there are none. */
export function findUniqueConditions(row: Row, rows: readonly Row[]): readonly string[] | undefined {
  if (rows.length === 1) return [];
  const candidates = Object.entries(row)
    .flatMap(([column, value]) => formatCondition(column, value) ?? [])
    .filter(({ condition }) => matchesCondition(row, condition))
    .sort((a, b) => a.text.length - b.text.length)
    .map((candidate) => ({ ...candidate, matching: rows.filter((other) => mayMatch(other, candidate.condition)) }));
  const single = candidates.find(({ matching }) => matching.length === 1);
  if (single) return [single.text];
  for (const [i, { text, matching }] of candidates.entries())
    for (const other of candidates.slice(i + 1)) if (matching.filter((found) => mayMatch(found, other.condition)).length === 1) return [text, other.text];
  return undefined;
}

/** A value as a condition for its column, if it can be written as one that is read again as it was. */
function formatCondition(column: string, value: unknown): WrittenCondition | undefined {
  if (typeof value === 'object' && value !== null) return undefined;
  const text = `${column}=${value}`;
  // Nothing that is not seen, cut or hidden.
  if (value === '' || String(value).length > MAX_VALUE_LENGTH || /[\p{C}…‹]/u.test(text)) return undefined;
  const condition = parseCondition(text);
  return condition?.column === column && condition.operator === '=' && condition.value === String(value) ? { text, condition } : undefined;
}

/** Whether a row may meet a condition. A record has dates as texts; as dates, they also equal the beginning of their text. */
const mayMatch = (row: Row, condition: RowCondition): boolean =>
  matchesCondition(row, condition) || (/^\d{4}-/.test(condition.value) && String(row[condition.column]).startsWith(condition.value));
