import { comparisonAsJson, comparisonAsMarkdown, explainPartial, renderComparison } from '../formats/comparison.ts';
import { findRoot } from '../node/find-files.ts';
import { type OpenedRecord, openRecord } from '../node/recorded.ts';
import { findNearestName } from '../problems/nearest-name.ts';
import { compare, hasNewFailure, type VariantPair } from '../results/compare.ts';
import type { CommandContext } from './command-context.ts';
import { failWith } from './terminal.ts';

interface CompareOptions {
  readonly variants?: NonNullable<VariantPair>;
  readonly format?: 'markdown' | 'json';
  /** False if the later record is the latest because none is given. Default: true. */
  readonly isAfterGiven?: boolean;
}

/** Compares two records case by case. Returns 1 if a case fails that did not fail before, or if the later run is incomplete. */
export async function compareCommand(
  wantedBefore: string,
  wantedAfter: string,
  { variants, format, isAfterGiven = true }: CompareOptions,
  { folder, terminal }: CommandContext,
): Promise<number> {
  const root = findRoot(folder);
  const before = openRecord(wantedBefore, root, folder);
  if (typeof before === 'string') return failWith(terminal, before);
  const after = openRecord(wantedAfter, root, folder);
  if (typeof after === 'string') return failWith(terminal, after);
  if (!isAfterGiven && before.folder !== undefined && before.folder === after.folder && !variants)
    return failWith(
      terminal,
      `${wantedBefore} would be compared with itself. Name the later record, too. Without arguments, compare takes previous and latest.`,
    );
  const comparison = compare(before.entries, after.entries, variants);
  const compared = comparison.same + Object.values(comparison.cases).reduce((sum, cases) => sum + cases.length, 0);
  if (variants && compared === 0) return failWith(terminal, `no case belongs to a variant "${variants.before}" or "${variants.after}"`);
  if (variants && compared === comparison.cases.new.length) return failWith(terminal, describeUnknownVariant(variants.before, before));
  if (variants && compared === comparison.cases.gone.length) return failWith(terminal, describeUnknownVariant(variants.after, after));
  if (format === 'markdown') terminal.writeRaw(comparisonAsMarkdown(comparison, before, after));
  else if (format === 'json') terminal.writeRaw(comparisonAsJson(comparison, before, after));
  else for (const line of renderComparison(comparison, before, after, terminal.style, terminal.width)) terminal.out(line);
  return hasNewFailure(comparison) || explainPartial(after) !== undefined ? 1 : 0;
}

function describeUnknownVariant(variant: string, { entries }: OpenedRecord): string {
  const titles = new Set<string>();
  for (const entry of entries()) if (entry.type === 'test') for (const title of entry.header.path.slice(0, -1)) titles.add(title);
  const near = findNearestName(variant, titles);
  return `no case belongs to a variant "${variant}"${near === undefined ? '' : `; did you mean "${near}"?`}`;
}
