import { formatProblem } from '../../problems/format-problem.ts';
import type { Activity } from '../../results/journal/entries.ts';
import type { NarrowProgress } from '../../results/narrowing/session.ts';
import type { RunProgress } from '../../results/run-progress.ts';
import type { RunState } from '../../results/run-state.ts';
import { formatCondition } from '../../results/where/condition.ts';
import { measureWidth, padOrTruncate } from '../columns.ts';
import { escapeToOneLine, formatCount, formatDuration, type Style } from '../style.ts';
import { renderCounts } from './run.ts';

const activityLabels: Readonly<Record<Activity['kind'], string>> = {
  load: 'loads',
  plan: 'plans',
  rows: 'reads rows of',
  setup: 'setting up',
  body: '',
  teardown: 'tearing down',
};

/** The largest width of a machine name, in terminal columns. */
const MAX_NAME_WIDTH = 24;

/** Renders the lines below the printed output that are redrawn: the progress of the run, and the activity of each lane. */
export function renderProgress({ state, lanes, elapsed, expected, narrowing }: RunProgress, width: number, style: Style): string[] {
  if (narrowing) return renderNarrowing(narrowing, elapsed, width, style);
  const part = expected && expected.whole > 0 ? Math.min(0.99, expected.done / expected.whole) : undefined;
  const left = part && part > 0.05 ? `, about ${formatDuration(Math.max(1000, (elapsed * (1 - part)) / part))} left` : '';
  const bar = part === undefined ? '' : `${'▰'.repeat(Math.round(part * 20))}${'▱'.repeat(20 - Math.round(part * 20))} ${Math.round(part * 100)} %${left}  `;
  const names = Math.min(MAX_NAME_WIDTH, Math.max(0, ...lanes.map(({ machine = '' }) => measureWidth(escapeToOneLine(machine)))));
  const waits =
    lanes.length > 0
      ? []
      : [style.dim('  waiting for machines to join the pool'), ...listRefusals(state).map((line) => style.yellow(padOrTruncate(`  ${line}`, width).trimEnd()))];
  return [
    '',
    `${bar}${Object.values(state.counts).some((n) => n > 0) ? renderCounts(state.counts, style) : style.dim('no result yet')}  ${style.dim(formatDuration(elapsed))}`,
    ...waits,
    ...lanes
      .filter(({ activity }) => activity)
      .map(({ number, machine, activity, since }) => {
        const { kind, name } = activity as Activity;
        const place = names === 0 ? '' : `  ${padOrTruncate(escapeToOneLine(machine ?? ''), names)}`;
        const text = padOrTruncate(
          `${activityLabels[kind] ? `${activityLabels[kind]} ` : ''}${escapeToOneLine(name)}`,
          width - 24 - measureWidth(place),
        ).trimEnd();
        return style.dim(`  lane ${number}${place}  ${text}${since >= 1000 ? `  ${formatDuration(since)}` : ''}`);
      }),
  ];
}

/** The reasons why machines do not take part, for users who wait for machines. */
const listRefusals = ({ warnings }: RunState): string[] =>
  warnings.flatMap((problem) => (problem.code === 'pool-machine-refused' ? formatProblem(problem) : []));

/** The test that is being narrowed, how many combinations are still possible, and the likeliest of them. */
function renderNarrowing({ path, probes, step }: NarrowProgress, elapsed: number, width: number, style: Style): string[] {
  const count = `${formatCount(probes, 'extra case')}  ${formatDuration(elapsed)}`;
  const possible =
    step && `${formatCount(step.possible, 'combination')} possible, likeliest ${escapeToOneLine(step.likeliest.map(formatCondition).join(' & '))}`;
  return [
    '',
    `${padOrTruncate(`narrowing ${escapeToOneLine(path.join(' › '))}`, width - count.length - 4).trimEnd()}  ${style.dim(count)}`,
    ...(possible ? [style.dim(`  ${padOrTruncate(possible, width - 4).trimEnd()}`)] : []),
  ];
}

/** Renders the progress in one plain line, for a pipe. */
export const renderProgressLine = ({ state, lanes, elapsed }: RunProgress, style: Style): string =>
  style.dim(
    `… ${renderCounts(state.counts, style)} after ${formatDuration(elapsed)}${lanes.length === 0 ? ', waiting for machines to join the pool' : lanes.length > 1 ? `, ${formatCount(lanes.filter(({ activity }) => activity).length, 'lane')} running` : ''}`,
  );
