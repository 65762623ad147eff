import { comparisonAsJson, comparisonAsMarkdown, renderComparison, whyPartial } from '../formats/comparison.ts';
import { rootOf } from '../node/find.ts';
import { openRecord } from '../node/recorded.ts';
import { compare, hasNewFailure, type Matching } from '../results/compare.ts';
import type { Setting } from './setting.ts';
import { refuse } from './terminal.ts';

interface CompareOptions {
  readonly variants?: NonNullable<Matching>;
  readonly format?: 'markdown' | 'json';
}

/** Compares two records case by case. Returns 1 if a case fails that did not fail before, or if the later run is incomplete. */
export async function compareCommand(
  wantedBefore: string,
  wantedAfter: string,
  { variants, format }: CompareOptions,
  { folder, terminal }: Setting,
): Promise<number> {
  const root = rootOf(folder);
  const before = openRecord(wantedBefore, root, folder);
  if (typeof before === 'string') return refuse(terminal, before);
  const after = openRecord(wantedAfter, root, folder);
  if (typeof after === 'string') return refuse(terminal, after);
  const comparison = compare(before.entries, after.entries, variants);
  const compared = comparison.same + Object.values(comparison.cases).reduce((sum, cases) => sum + cases.length, 0);
  if (variants && compared === 0) return refuse(terminal, `no case belongs to a variant "${variants.before}" or "${variants.after}"`);
  if (format === 'markdown') terminal.raw(comparisonAsMarkdown(comparison, before, after));
  else if (format === 'json') terminal.raw(comparisonAsJson(comparison, before, after));
  else for (const line of renderComparison(comparison, before, after, terminal.style)) terminal.out(line);
  return hasNewFailure(comparison) || whyPartial(after) !== undefined ? 1 : 0;
}
