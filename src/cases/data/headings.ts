import { findNearestName } from '../../problems/nearest-name.ts';
import type { Problem } from '../../problems/problem.ts';
import { ProblemError } from '../../problems/problem-error.ts';
import type { SourceLocation } from '../../problems/source-location.ts';
import { buildColumns, type Column, type Columns, isMark } from './columns.ts';

/** A column, and the index of its cell in a record. */
export type IndexedColumn = Column & { readonly index: number };

/** Finds a delimiter that splits the only heading into expected columns, if there is one. */
const otherDelimiter = (heading: string, expected: readonly string[]): string | undefined =>
  [';', '\t', '|', ','].find((delimiter) => {
    const parts = heading.split(delimiter).map((part) => part.trim());
    return parts.length > 1 && expected.some((column) => parts.includes(column));
  });

/** Explains why columns are missing: they have other names, or the file has another format. */
function explainMissingColumns(
  texts: readonly string[],
  known: readonly string[],
  missing: readonly string[],
  placeOf: (index: number) => SourceLocation,
): Problem[] {
  const [first = ''] = texts;
  const at = placeOf(0);
  // A sheet has no delimiters.
  if (at.sheet === undefined) {
    const separator = /^sep=(.?)$/i.exec(first.trim());
    if (separator) return [{ code: 'separator-line', text: first.trim(), delimiter: separator[1] || undefined, at }];
    if (texts.some((text) => /\r(?!\n)/.test(text))) return [{ code: 'unsupported-line-ending', at }];
    const delimiter = known.length === 1 ? otherDelimiter(known[0] as string, missing) : undefined;
    if (delimiter) return [{ code: 'wrong-delimiter', delimiter, at }];
  }
  return missing.map((column) => {
    const near = findNearestName(column, known);
    return { code: 'missing-column', column, known, at: near === undefined ? at : placeOf(texts.findIndex((text) => text.trim() === near)) };
  });
}

/** Finds the columns among the headings of a file. Reports all problems together, and warns about unread columns. */
export function readHeadings(
  texts: readonly string[],
  columns: Columns | undefined,
  placeOf: (index: number) => SourceLocation,
  onWarning: ((problem: Problem) => void) | undefined,
  ignore: readonly string[] = [],
): IndexedColumn[] {
  const headings = texts.map((text) => text.trim());
  const problems: Problem[] = [];
  const firstIndex = new Map<string, number>();
  headings.forEach((heading, index) => {
    if (!firstIndex.has(heading)) firstIndex.set(heading, index);
    else if (heading !== '') problems.push({ code: 'duplicate-column', column: heading, source: 'the headings', at: placeOf(index) });
  });
  const named = headings.filter((heading) => heading !== '');
  const found = buildColumns(columns, columns ? headings : named).map((column) => ({ ...column, index: firstIndex.get(column.heading) ?? -1 }));
  for (const { property, index } of found) if (property === '__proto__') problems.push({ code: 'invalid-heading', heading: property, at: placeOf(index) });
  const known = named.filter((heading) => !isMark(heading));
  const missing = found.filter(({ index }) => index < 0).map(({ heading }) => heading);
  if (missing.length > 0) problems.push(...explainMissingColumns(texts, known, missing, placeOf));
  if (problems.length) throw new ProblemError(problems);
  const read = new Set(found.map(({ index }) => index));
  const expected = found.map(({ heading }) => heading);
  const unused = headings.flatMap((heading, index) => (heading === '' || read.has(index) || ignore.includes(heading) ? [] : [index]));
  const [first] = unused;
  if (first !== undefined)
    onWarning?.({ code: 'unused-columns', columns: unused.map((index) => headings[index] as string), known: expected, at: placeOf(first) });
  return found;
}
