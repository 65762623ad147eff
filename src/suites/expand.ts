import { DuplicateCounter } from '../cases/duplicate-counter.ts';
import type { RowIdentity } from '../cases/identity.ts';
import { formatSlug } from '../cases/ids.ts';
import { joinNames } from '../cases/merge-entries.ts';
import { isInPartition, type Partition } from '../cases/partition.ts';
import type { ExpansionContext, ExpansionHost, RowEntry } from '../cases/row.ts';
import { CaseSourceImpl, type SharedChunks, type SourceSummary } from '../cases/source.ts';
import { formatCanonical, formatShortValue } from '../cases/values.ts';
import { OverrideImpl } from '../fixtures/fixture.ts';
import type { OverrideLayer } from '../fixtures/graph.ts';
import { describeThrown } from '../problems/instance-of.ts';
import type { Problem } from '../problems/problem.ts';
import { ProblemError } from '../problems/problem-error.ts';
import { formatIdentity, PlannedCaseImpl, type PlannedTest } from './planned.ts';
import { findOverrideSecrets, type RedactionPredicate, redactEntry } from './redaction.ts';
import type { TestOptions } from './suite.ts';

/** Adds the owner to overrides. Throws for any other value. */
export function buildOverrideLayers(overrides: readonly unknown[], owner: string, ownerKey: object | undefined): OverrideLayer[] {
  return overrides.map((override) => {
    if (!(override instanceof OverrideImpl))
      throw new ProblemError([{ code: 'invalid-type', expected: 'override', got: String(override), owner: `overrides of ${owner}` }]);
    return { override, owner, ownerKey };
  });
}

/** Finds tags that are not known. */
export const findUnknownTags = (tags: readonly string[] | undefined, known: ReadonlySet<string> | undefined, owner: string): Problem[] =>
  known && tags ? tags.filter((tag) => !known.has(tag)).map((name) => ({ code: 'unknown-tag', name, owner, known: [...known] })) : [];

/** Creates all cases of a test in chunks, as its rows stream in. Throws the error of a source that fails. */
export async function* expandCases(test: PlannedTest, host: ExpansionHost): AsyncGenerator<readonly PlannedCaseImpl[]> {
  for await (const { cases } of expandInBatches(test, host)) yield cases;
}

/** Some of a test's cases. */
export interface Chunk {
  readonly cases: readonly PlannedCaseImpl[];
  /** The number of rows that have been read after these cases, including those of other partitions. */
  readonly rows: number;
}

/** Creates the cases of a test in chunks, as its rows stream in: all, or those of one partition. Throws the error of a source that fails. */
export async function* expandInBatches(test: PlannedTest, host: ExpansionHost, share?: Partition): AsyncGenerator<Chunk> {
  const { cases, overrides } = test.test.options;
  if (!cases) {
    yield { cases: [new PlannedCaseImpl(test, 0, undefined, 1)], rows: 1 };
    return;
  }
  const { isRedacted } = host;
  const checked = (entry: RowEntry): RowEntry => {
    const problems = entry.annotations && findUnknownTags(entry.annotations.tags, host.tags, 'a row');
    return problems?.length ? { ...entry, problems: [...(entry.problems ?? []), ...problems.map((problem) => ({ ...problem, at: entry.location }))] } : entry;
  };
  const parts = CaseSourceImpl.partsOf(cases);
  const expansion = buildExpansion(test, host);
  // Different rows can be equal after redaction, so the source cannot know which of them belong together.
  const openPartition = (): Promise<SharedChunks | undefined> | undefined => (share && !isRedacted ? parts.openPartition?.(expansion, share) : undefined);
  const redact = (entries: readonly RowEntry[]): readonly RowEntry[] =>
    isRedacted ? entries.map((entry) => redactEntry(entry, isRedacted, findSecrets(overrides, entry, isRedacted))) : entries;
  const collectIdentities = (shown: readonly RowEntry[]): readonly RowIdentity[] =>
    test.parent.redactedEntry ? shown.map((entry) => formatIdentity(test, entry)) : shown;
  const shared = await openPartition();
  async function* replay(): AsyncGenerator<readonly RowIdentity[]> {
    const sharedAnew = await openPartition();
    if (sharedAnew) for await (const { entries } of sharedAnew) yield collectIdentities(entries);
    else for await (const entries of parts.open({ ...expansion, onWarning: undefined })) yield collectIdentities(redact(entries));
  }
  const duplicates = new DuplicateCounter(parts.isReplayable ? replay : undefined);
  if (shared) {
    for await (const { entries, ordinals, rows } of shared) {
      const numbers = await duplicates.countDuplicate(collectIdentities(entries));
      yield {
        cases: entries.map((entry, i) => new PlannedCaseImpl(test, ordinals[i] as number, checked(entry), numbers ? (numbers[i] as number) : 1, entry)),
        rows,
      };
    }
    return;
  }
  let rows = 0;
  for await (const opened of parts.open(expansion)) {
    let entries = opened;
    let shown: readonly RowEntry[];
    let numbers: readonly number[] | undefined;
    try {
      shown = redact(entries);
      numbers = await duplicates.countDuplicate(collectIdentities(shown));
    } catch {
      // A row can have a getter that throws. Only its own case fails.
      entries = opened.map(readable);
      shown = redact(entries);
      numbers = await duplicates.countDuplicate(collectIdentities(shown));
    }
    const own: PlannedCaseImpl[] = [];
    for (let i = 0; i < entries.length; i++, rows++) {
      if (!share || isInPartition(rows, share))
        own.push(new PlannedCaseImpl(test, rows, checked(entries[i] as RowEntry), numbers ? (numbers[i] as number) : 1, shown[i]));
    }
    yield { cases: own, rows };
  }
}

/** The entry itself if all its values can be read. Otherwise an entry with the values that can, and a problem. */
function readable(entry: RowEntry): RowEntry {
  const row: Record<string, unknown> = {};
  const problems: Problem[] = [];
  for (const column in entry.row) {
    try {
      const value = (entry.row as Record<string, unknown>)[column];
      // A value that cannot be formatted cannot be recorded either.
      formatShortValue(value);
      formatCanonical(value);
      row[column] = value;
    } catch (error) {
      problems.push({ code: 'unreadable-value', column, reason: describeThrown(error), at: entry.location });
    }
  }
  return problems.length === 0 ? entry : { ...entry, row, problems: [...(entry.problems ?? []), ...problems] };
}

/** The values of redacted settings that a row overrides. An `overrides` function that throws is reported when its case runs. */
export function findSecrets(overrides: TestOptions<any, any>['overrides'], { row, problems }: RowEntry, isRedacted: RedactionPredicate): readonly unknown[] {
  if (typeof overrides !== 'function' || problems) return [];
  try {
    return findOverrideSecrets(overrides(row) ?? [], isRedacted);
  } catch {
    return [];
  }
}

const buildExpansion = (test: PlannedTest, host: ExpansionHost): ExpansionContext => ({
  ...host,
  base: test.base,
  slug: formatSlug(test.test.title),
});

/** Summarizes the rows of a test's source. */
export async function summarizeSource(test: PlannedTest, host: ExpansionHost): Promise<readonly SourceSummary[]> {
  const { cases } = test.test.options;
  const facts = cases ? (CaseSourceImpl.partsOf(cases).facts ?? []) : [];
  return Promise.all(facts.map((make) => make(buildExpansion(test, host))));
}

/** Merges a suite's row with the row of the suite around it. */
export function joinEntries(outer: RowEntry | undefined, inner: RowEntry): RowEntry {
  return outer ? { ...inner, row: { ...outer.row, ...inner.row }, name: joinNames(outer, inner) } : inner;
}
