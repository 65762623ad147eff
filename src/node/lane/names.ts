import { placeOf } from '../../problems/place.ts';
import type { CaseName, TestHeader } from '../../results/recorded-result.ts';
import { recordedRow } from '../../results/rows.ts';
import { explainCase } from '../../running/explain.ts';
import { type Hides, withoutHiddenSettings } from '../../suites/hidden.ts';
import { fileOf, type PlannedCaseImpl, type PlannedTest, titlesOf } from '../../suites/planned.ts';

export const nameIfAny = (planned: PlannedCaseImpl | undefined): { id: string; title: string } | undefined =>
  planned && { id: planned.id, title: planned.title };

export const nameOf = (planned: PlannedCaseImpl): CaseName => ({
  test: planned.test.index,
  ordinal: planned.ordinal,
  id: planned.id,
  title: planned.title,
  row: recordedRow(planned.toldRow),
  tags: planned.tags,
  location: planned.location,
});

/** Without its place: that takes a stack to be mapped, and a run does without. */
export const headerOf = (test: PlannedTest, first?: PlannedCaseImpl): TestHeader => ({
  test: test.index,
  id: test.id,
  file: fileOf(test).title,
  path: [...titlesOf(test.parent), test.title.template],
  source: test.source,
  tags: test.inherited.annotations.tags ?? [],
  columns: Object.keys(first?.row ?? {}),
  data: first?.entry.location?.file,
});

/** Where a test stands, and its fixtures as one of its cases sees them. A broken `bind` has been told with the case. */
export function detailsOf(first: PlannedCaseImpl, hides: Hides | undefined): Pick<TestHeader, 'location' | 'fixtures'> {
  const place = placeOf(first.test.test.origin);
  try {
    const { fixtures } = withoutHiddenSettings(explainCase(first), hides);
    return { location: place, fixtures: fixtures.map(({ owner: _of, sharedBy: _sharedBy, ...fixture }) => fixture) };
  } catch {
    return { location: place };
  }
}

/** Whether a case's name, title and place follow from its test's header and its row. */
export function isNamedByRow({ entry, test }: PlannedCaseImpl, data: string | undefined): boolean {
  const { name, annotations: marks, location: place } = entry;
  const isPlaced = place === undefined || (place.file === data && place.sheet === undefined);
  return name === undefined && marks === undefined && test.parent.entry === undefined && isPlaced;
}
