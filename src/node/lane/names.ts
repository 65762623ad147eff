import { findLocation } from '../../problems/source-location.ts';
import type { CaseName, TestHeader } from '../../results/recorded-result.ts';
import { recordedRow } from '../../results/rows.ts';
import { explainCase } from '../../running/explain-case.ts';
import { findFile, listTitles, type PlannedCaseImpl, type PlannedTest } from '../../suites/planned.ts';
import { type RedactionPredicate, redactSettings } from '../../suites/redaction.ts';

export const findCaseName = (planned: PlannedCaseImpl | undefined): { id: string; title: string } | undefined =>
  planned && { id: planned.id, title: planned.title };

export const buildCaseName = (planned: PlannedCaseImpl): CaseName => ({
  test: planned.test.index,
  ordinal: planned.ordinal,
  id: planned.id,
  title: planned.title,
  row: recordedRow(planned.redactedRow),
  tags: planned.tags,
  location: planned.location,
});

/** The header of a test without its location, which would need a mapped stack, and is not needed during a run. */
export const buildHeader = (test: PlannedTest, first?: PlannedCaseImpl): TestHeader => ({
  test: test.index,
  id: test.id,
  file: findFile(test).title,
  path: [...listTitles(test.parent), test.title.template],
  source: test.source,
  tags: test.inherited.annotations.tags ?? [],
  columns: Object.keys(first?.row ?? {}),
  data: first?.entry.location?.file,
});

/** The location of a test, and its fixtures as one of its cases sees them. An `overrides` function that throws is reported with the case. */
export function buildDetails(first: PlannedCaseImpl, isRedacted: RedactionPredicate | undefined): Pick<TestHeader, 'location' | 'fixtures'> {
  const place = findLocation(first.test.test.origin);
  try {
    const { fixtures } = redactSettings(explainCase(first), isRedacted);
    return { location: place, fixtures: fixtures.map(({ owner: _of, shareDescription: _shareDescription, ...fixture }) => fixture) };
  } catch {
    return { location: place };
  }
}

/** Whether a case's name, title and location follow from its test's header and its row. */
export function canBeWrittenCompactly({ entry, test }: PlannedCaseImpl, data: string | undefined): boolean {
  const { name, annotations, location } = entry;
  const isPlaced = location === undefined || (location.file === data && location.sheet === undefined);
  return name === undefined && annotations === undefined && test.parent.entry === undefined && isPlaced;
}
