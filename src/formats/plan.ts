import type { SourceLocation } from '../problems/source-location.ts';
import type { JournalEntry } from '../results/journal/entries.ts';
import type { CaseName, TestHeader } from '../results/recorded-result.ts';

/** The cases of a plan, as often as they are asked for: they are read again rather than kept. */
export type Listed = () => Iterable<JournalEntry>;

/** All tests and cases of a plan as one JSON object, piece by piece. */
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
 * The rows of a plan as CSV: a line a case, its own name and tags first where there are any, then a column for each column of
 * the rows. So written, a matrix is a data file.
 */
export async function* planAsCsv(listed: Listed): AsyncGenerator<string> {
  const { csvLine } = await import('./csv.ts');
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
