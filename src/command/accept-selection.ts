import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import type { TestedResult } from '../accepting/collect.ts';
import type { JournalEntry } from '../results/journal/entries.ts';
import type { TestHeader } from '../results/recorded-result.ts';
import { matchesCondition, type RowCondition } from '../suites/row-condition.ts';
import { type Target, titleTest } from '../suites/selection.ts';

/** Which results of a record are meant. */
export interface ResultSelection {
  readonly title?: readonly string[] | undefined;
  readonly id?: readonly string[] | undefined;
  readonly row?: readonly RowCondition[] | undefined;
  readonly targets: readonly Target[];
  /** Folders are not among the targets. */
  readonly where: readonly string[];
  readonly root: string;
}

/** The failed results of a record that are meant, with their tests. */
export function* selectResults(entries: () => Iterable<JournalEntry>, selection: ResultSelection): Generator<TestedResult> {
  const { title = [], id, row = [], targets, where, root } = selection;
  const ids = id && new Set(id);
  const titles = title.map(titleTest);
  const headers = new Map<number, TestHeader>();
  // Where the tests of a file begin is known when all have been read.
  if (targets.some(({ line }) => line !== undefined)) for (const entry of entries()) if (entry.type === 'test') headers.set(entry.header.test, entry.header);
  const lines = testLines(headers.values(), root);
  for (const entry of entries()) {
    if (entry.type === 'test') headers.set(entry.header.test, entry.header);
    if (entry.type !== 'ended' || entry.result.status !== 'failed') continue;
    const { result } = entry;
    const header = headers.get(result.test);
    if (!header || (ids && !ids.has(result.id))) continue;
    if (titles.length > 0 && !titles.some((fits) => fits(result.title))) continue;
    if (!row.every((condition) => matchesCondition(result.row, condition))) continue;
    const isTarget = targets.some(({ url, line }) => {
      if (result.location?.file === url) return line === undefined || result.location.line === line;
      if (pathToFileURL(join(root, header.file)).href !== url) return false;
      return line === undefined || header.location?.line === nearestLine(lines.get(url) ?? [], line);
    });
    if (where.length > 0 && !isTarget && !isInFolder(join(root, header.file), where, targets)) continue;
    yield { header, result };
  }
}

/** The lines on which the tests of each file begin. */
function testLines(headers: Iterable<TestHeader>, root: string): ReadonlyMap<string, readonly number[]> {
  const lines = new Map<string, number[]>();
  for (const { file, location } of headers) {
    if (!location) continue;
    const url = pathToFileURL(join(root, file)).href;
    lines.set(url, [...(lines.get(url) ?? []), location.line]);
  }
  return lines;
}

const nearestLine = (lines: readonly number[], line: number): number => Math.max(...lines.filter((one) => one <= line));

/** Whether a file is in one of the folders that were named. */
const isInFolder = (path: string, where: readonly string[], targets: readonly Target[]): boolean =>
  targets.length < where.length && where.some((folder) => path.startsWith(`${fileURLToPath(pathToFileURL(folder))}/`));
