import { formatShortValue } from '../../cases/values.ts';
import { formatLocation, type SourceLocation } from '../../problems/source-location.ts';
import type { CaseName } from '../../results/recorded-result.ts';
import type { ChangeOrigin, ExplainedFixture, Explanation } from '../../running/explain-case.ts';
import { escapeToOneLine, formatDuration } from '../style.ts';
import type { Formatting } from './failure.ts';

/** The milliseconds of a fixture's setup and teardown in the last run, by its name and its scope's id. */
export type LastTimes = (fixture: string, of: string) => { readonly setup?: number | undefined; readonly teardown?: number | undefined } | undefined;

/** Renders how a case is set up, from its first fixture to its last. */
export function renderExplanation(name: CaseName, { fixtures }: Explanation, last: LastTimes, formatting: Formatting): string[] {
  const { style } = formatting;
  const row = Object.entries(name.row);
  const lines = [
    style.bold(escapeToOneLine(name.title)),
    style.dim(escapeToOneLine(name.id)),
    name.location ? style.cyan(formatPlace(name.location, formatting)) : '',
  ];
  if (row.length)
    lines.push(
      `${style.dim('row')}  ${row.map(([column, value]) => `${style.dim(`${escapeToOneLine(column)}=`)}${escapeToOneLine(formatShortValue(value))}`).join(style.dim(', '))}`,
    );
  const early = fixtures.filter((fixture) => !fixture.lazy);
  const late = fixtures.filter((fixture) => fixture.lazy);
  lines.push('', early.length ? 'Set up in this order and torn down in reverse:' : 'This case needs no fixtures.');
  for (const [i, fixture] of early.entries()) lines.push(...renderFixture(fixture, `${i + 1}.`, last, formatting));
  if (late.length) lines.push('', 'Set up only on first use:');
  for (const fixture of late) lines.push(...renderFixture(fixture, '·', last, formatting));
  return lines.filter((line, i) => line !== '' || i > 2);
}

const formatPlace = (place: SourceLocation, { nameFile }: Formatting): string => formatLocation({ ...place, file: nameFile(place.file) });
const origin = ({ owner, at }: ChangeOrigin, formatting: Formatting): string =>
  `${escapeToOneLine(owner)}${at ? `, ${formatting.style.cyan(formatPlace(at, formatting))}` : ''}`;

function renderFixture(fixture: ExplainedFixture, number: string, last: LastTimes, formatting: Formatting): string[] {
  const { style } = formatting;
  const times = last(fixture.name, fixture.owner);
  const lasted = times
    ? style.dim(
        `  last run: ${[times.setup !== undefined && `setup ${formatDuration(times.setup)}`, times.teardown !== undefined && `teardown ${formatDuration(times.teardown)}`].filter(Boolean).join(', ')}`,
      )
    : '';
  const lines = [
    `${number.padStart(3)} ${style.bold(escapeToOneLine(fixture.name))}${fixture.definedAt ? `  ${style.cyan(formatPlace(fixture.definedAt, formatting))}` : ''}${lasted}`,
  ];
  lines.push(`    ${style.dim('scope')}     ${fixture.scope}, shared by ${escapeToOneLine(fixture.shareDescription)}`);
  if (fixture.needs.length) lines.push(`    ${style.dim('needs')}     ${fixture.needs.map(escapeToOneLine).join(', ')}`);
  if (fixture.replaced) lines.push(`    ${style.dim('replaced')}  ${escapeToOneLine(fixture.replaced.by)}: ${origin(fixture.replaced, formatting)}`);
  for (const { name, value, from } of fixture.settings)
    lines.push(
      `    ${style.dim('setting')}   ${escapeToOneLine(name)} = ${escapeToOneLine(value)}${style.dim(from ? '  set by ' : '  default')}${from ? origin(from, formatting) : ''}`,
    );
  return lines;
}
