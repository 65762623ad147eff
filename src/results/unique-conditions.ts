import { matchesCondition, parseCondition, type RowCondition } from '../suites/row-condition.ts';

type Row = Readonly<Record<string, unknown>>;

/** A condition as the text for `--row`, and parsed. */
interface WrittenCondition {
  readonly text: string;
  readonly condition: RowCondition;
}

/** The maximum length of a value, in characters. */
const MAX_VALUE_LENGTH = 40;

/** Finds the fewest conditions, at most two, that only one of the recorded rows meets. Undefined if there are none. */
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

/** Writes a value as a condition. Undefined if it would be parsed differently. */
function formatCondition(column: string, value: unknown): WrittenCondition | undefined {
  if (typeof value === 'object' && value !== null) return undefined;
  const text = `${column}=${value}`;
  // No invisible, shortened or redacted values.
  if (value === '' || String(value).length > MAX_VALUE_LENGTH || /[\p{C}…‹]/u.test(text)) return undefined;
  const condition = parseCondition(text);
  return condition?.column === column && condition.operator === '=' && condition.value === String(value) ? { text, condition } : undefined;
}

/** Whether a row can meet a condition. Recorded dates are texts, but a real date also equals the beginning of its text. */
const mayMatch = (row: Row, condition: RowCondition): boolean =>
  matchesCondition(row, condition) || (/^\d{4}-/.test(condition.value) && String(row[condition.column]).startsWith(condition.value));
