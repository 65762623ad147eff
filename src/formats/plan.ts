import type { SourceLocation } from '../problems/source-location.ts';
import type { JournalEntry } from '../results/journal/entries.ts';
import type { CaseName, TestHeader } from '../results/recorded-result.ts';

/** Returns the entries of a plan. They are read again each time instead of being kept. */
export type Listed = () => Iterable<JournalEntry>;

/** Formats all tests and cases of a plan as one JSON object, in chunks. */
export function* planAsJson(listed: Listed, nameFile: (file: string) => string): Generator<string> {
  const placed = <T extends { readonly location?: SourceLocation | undefined }>(one: T): T =>
    one.location ? { ...one, location: { ...one.location, file: nameFile(one.location.file) } } : one;
  const counts = new Map<number, number>();
  const headers: TestHeader[] = [];
  yield '{"cases": [';
  let first = true;
  for (const entry of listed()) {
    if (entry.type === 'test') headers.push(entry.header);
    if (entry.type !== 'listed') continue;
    const { test, ordinal, ...name } = entry.name;
    counts.set(test, (counts.get(test) ?? 0) + 1);
    yield `${first ? '' : ','}\n  ${JSON.stringify({ test: headers.find((header) => header.test === test)?.id, ordinal, ...placed(name) })}`;
    first = false;
  }
  yield '\n], "tests": [';
  yield headers.map(({ test, ...header }) => `\n  ${JSON.stringify({ ...placed(header), cases: counts.get(test) ?? 0 })}`).join(',');
  yield '\n]}\n';
}

/**
 * Formats the rows of a plan as CSV: one line per case, with its name and tags first if there are any, then the columns of the rows. A
 * matrix becomes a data file that way.
 */
export async function* planAsCsv(listed: Listed): AsyncGenerator<string> {
  const { formatCsvLine: csvLine } = await import('./csv.ts');
  const tests = new Map<number, string>();
  const columns = new Set<string>();
  const found = { names: false, tags: false, several: false };
  let firstTest: number | undefined;
  for (const entry of listed()) {
    if (entry.type === 'test') tests.set(entry.header.test, entry.header.id);
    if (entry.type !== 'listed') continue;
    for (const column in entry.name.row) columns.add(column);
    found.names ||= entry.name.name !== undefined;
    found.tags ||= entry.name.tags.length > 0;
    firstTest ??= entry.name.test;
    found.several ||= firstTest !== entry.name.test;
  }
  const lead = (name: CaseName): string[] => [
    ...(found.several ? [tests.get(name.test) ?? ''] : []),
    ...(found.names ? [name.name ?? ''] : []),
    ...(found.tags ? [name.tags.join(' ')] : []),
  ];
  yield `${csvLine([...(found.several ? ['test'] : []), ...(found.names ? ['(case)'] : []), ...(found.tags ? ['(tags)'] : []), ...columns])}\n`;
  for (const entry of listed())
    if (entry.type === 'listed') yield `${csvLine([...lead(entry.name), ...[...columns].map((column) => entry.name.row[column])])}\n`;
}
