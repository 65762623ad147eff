import type { SourceLocation } from '../problems/source-location.ts';
import type { CaseName } from '../results/recorded-result.ts';
import type { FormatPath } from '../results/report.ts';
import type { Explanation } from '../running/explain-case.ts';

/** Formats explanations as JSON. Files are relative to the folder of the project, as in the JSON of a plan. */
export function explanationsAsJson(explained: readonly { readonly name: CaseName; readonly explanation: Explanation }[], nameFile: FormatPath): string {
  const placed = (at: SourceLocation | undefined): SourceLocation | undefined => at && { ...at, file: nameFile(at.file) };
  const cases = explained.map(({ name: { test: _test, ordinal: _ordinal, location, ...name }, explanation }) => ({
    ...name,
    location: placed(location),
    fixtures: explanation.fixtures.map((fixture) => ({
      ...fixture,
      definedAt: placed(fixture.definedAt),
      settings: fixture.settings.map((setting) => ({ ...setting, ...(setting.from && { from: { ...setting.from, at: placed(setting.from.at) } }) })),
      ...(fixture.replaced && { replaced: { ...fixture.replaced, at: placed(fixture.replaced.at) } }),
    })),
  }));
  return JSON.stringify(cases, null, 2);
}
