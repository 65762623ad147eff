import { formatThousands } from '../../problems/format-thousands.ts';
import type { Problem } from '../../problems/problem.ts';
import type { SourceSummary } from '../source.ts';
import { formatShortValue } from '../values.ts';
import { type Axes, buildRow, countCombinations } from './axes.ts';
import type { MatrixOptions } from './options.ts';
import { verifyCoverage } from './verify.ts';

/** The summary of a matrix in a plan: the numbers of rows and combinations, and the coverage. */
export function summarizeMatrix(
  axes: Axes,
  options: MatrixOptions<Record<string, unknown>>,
  found: { readonly rows: readonly (readonly number[])[]; readonly locating?: number | undefined } | undefined,
): SourceSummary {
  const total = countCombinations(axes);
  if (!found) return { summary: `${number(total)} combinations${options.exclude ? ' before exclusions' : ''}`, warnings: [] };
  const values = Object.fromEntries(axes.names.map((name, axis) => [name, axes.values[axis] as readonly unknown[]])) as Record<string, readonly {}[]>;
  const rows = found.rows.map((levels) => buildRow(axes, levels)) as Record<string, {}>[];
  const { required, missing, wrong, undecided, indistinct } = verifyCoverage(values, rows, options as MatrixOptions<Record<string, {}>>);
  const stronger = options.mixedStrength?.length ? `, stronger for ${options.mixedStrength.map((group) => group.axes.join(' × ')).join(' and ')}` : '';
  const coverage =
    missing.length + wrong.length === 0
      ? `every ${formatSize(options.strength as number)} of values is covered`
      : `not every ${formatSize(options.strength as number)} of values is covered`;
  const located = found.locating === undefined ? '' : `; ${describeLocating(rows.length, found.locating, options.locate === 2, indistinct.length)}`;
  const summary = `${number(rows.length)} rows for ${number(total)} combinations; ${coverage}${stronger} (${number(required - missing.length)} of ${number(required)})${located}`;
  const warnings: Problem[] = axes.names.flatMap((name, axis) =>
    (axes.values[axis] as readonly unknown[]).flatMap((value, level) =>
      found.rows.some((levels) => levels[axis] === level) ? [] : [{ code: 'infeasible-value', axis: name, value: formatShortValue(value) } as const],
    ),
  );
  if (undecided > 0) warnings.push({ code: 'feasibility-unknown', count: undecided });
  return { summary, warnings };
}

/** What locating costs beside plain coverage, and whether it succeeded. */
function describeLocating(rows: number, added: number, hasTwo: boolean, indistinct: number): string {
  const located = hasTwo ? 'one or two failing combinations can be located' : 'a single failing combination can be located';
  const result = indistinct === 0 ? located : `${located}, but for ${number(indistinct)} that have the same rows as others`;
  return `${number(added)} rows more than ${number(rows - added)} so that ${result}`;
}

const number = (count: number): string => (count < 1e15 ? formatThousands(count) : count.toExponential(1));
const formatSize = (strength: number): string => (['value', 'pair', 'triple'] as const)[strength - 1] ?? `combination of ${strength}`;
