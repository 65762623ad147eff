import type { UnexplainedRow } from '../../results/narrowing/narrow-test.ts';
import type { FailureCause } from '../../results/narrowing/proof.ts';
import type { NarrowedResult } from '../../results/narrowing/session.ts';
import { findPlace, selectCases } from '../../results/rerun-selection.ts';
import type { RunState } from '../../results/run-state.ts';
import { formatCondition, toScalar } from '../../results/where/condition.ts';
import type { Selection } from '../../suites/selection.ts';
import { escapeToOneLine, formatCount, formatDuration, type Style } from '../style.ts';
import type { Formatting } from './failure.ts';
import { renderRerun } from './rerun-line.ts';

const reasons: Readonly<Record<UnexplainedRow['reason'], string>> = {
  flaky: 'passed when it ran again',
  budget: 'the budget was used up (--budget)',
  'no-columns': 'no other row to compare it with',
  contradictory: 'no combination of values explains it: columns may depend on each other (--vary names those to change)',
};

const MAX_UNEXPLAINED = 5;

/**
 * Renders the causes of one failing test, with the numbers that prove them, and the commands that run their cases. `selection` is that of
 * the run.
 */
export function renderNarrowed(result: NarrowedResult, selection: Selection, formatting: Formatting): string[] {
  const { style, nameFile } = formatting;
  const { header, failing, cases, causes, unexplained, probes, milliseconds } = result;
  const { file, line } = findPlace(header);
  const lines = [
    '',
    `${style.red('✗')} ${style.bold(escapeToOneLine(header.path.join(' › ')))}`,
    `  ${failing.length} of ${formatCount(cases, 'case')} failed  ${style.dim(`${nameFile(file)}${line === undefined ? '' : `:${line}`}`)}`,
  ];
  const effort = `${formatCount(probes.length, 'extra case')}, ${formatDuration(milliseconds)}`;
  for (const [i, cause] of causes.entries()) {
    lines.push(...renderCause(cause, i === causes.length - 1 ? effort : undefined, style));
    lines.push(...renderRerun(cause.conditions, (conditions) => selectCases(header, conditions, selection), formatting));
  }
  for (const { id, reason } of unexplained.slice(0, MAX_UNEXPLAINED))
    lines.push(`  ${style.yellow('not explained')}  ${escapeToOneLine(id.slice(header.id.length + 1) || id)}: ${reasons[reason]}`);
  if (unexplained.length > MAX_UNEXPLAINED) lines.push(style.dim(`  and ${unexplained.length - MAX_UNEXPLAINED} more`));
  if (causes.length === 0) lines.push(style.dim(`  ${effort}`));
  return lines;
}

function renderCause(cause: FailureCause, effort: string | undefined, style: Style): string[] {
  const { conditions, failed, cases, passedWithout, casesWithout, isProven, smallest } = cause;
  const without = conditions.length === 1 ? 'without it' : conditions.length === 2 ? 'when either changes' : 'when any of them changes';
  const passes =
    casesWithout === 0
      ? []
      : [passedWithout === casesWithout ? `passes ${without}, ${passedWithout} of ${casesWithout}` : `${passedWithout} of ${casesWithout} pass ${without}`];
  const text = conditions.map(formatCondition).join(' & ');
  const evidence = [`${failed} of ${cases} fail`, ...passes, ...(effort === undefined ? [] : [effort])].join('; ');
  const label = isProven ? 'cause' : 'likely cause';
  return [
    `  ${style.bold(label)}  ${style.red(escapeToOneLine(text))}  ${evidence}`,
    ...smallest.map(({ column, value }) => `    smallest  ${escapeToOneLine(formatCondition({ kind: 'value', column, value: toScalar(value) ?? null }))}`),
  ];
}

type Counts = RunState['counts'];

/** Renders the last lines: how many failing tests are explained, and the number of rows and seconds. */
export function renderNarrowSummary(results: readonly NarrowedResult[], counts: Counts, milliseconds: number, style: Style): string[] {
  const cases = Object.values(counts).reduce((sum, count) => sum + count, 0);
  const extra = results.reduce((sum, { probes }) => sum + probes.length, 0);
  const explained = results.filter(({ causes, unexplained }) => unexplained.length === 0 && causes.every(({ isProven }) => isProven)).length;
  const took = style.dim(`${formatCount(cases - extra, 'case')} and ${extra} extra in ${formatDuration(milliseconds)}`);
  const found = results.length > 0 ? `${explained} of ${formatCount(results.length, 'failing test')} explained` : explainNothingFound(counts, cases);
  return ['', took, found];
}

/** Explains why the search has no result: no case ran, no case failed, or more rows cannot explain the failures. */
function explainNothingFound({ failed, errored }: Counts, cases: number): string {
  if (cases === 0) return 'nothing ran';
  return failed + errored === 0 ? 'nothing failed' : 'nothing failed that more rows can explain';
}
