import type { Activity } from '../../results/journal/entries.ts';
import type { RunState } from '../../results/run-state.ts';
import { duration, escapeToOneLine, formatCount, padOrTruncate, type Style } from '../style.ts';
import { renderCounts } from './run.ts';

/** What one lane is at. */
export interface LaneAtWork {
  readonly number: number;
  readonly doing: Activity | undefined;
  /** How long, in milliseconds. */
  readonly since: number;
}

/** What is known of a run that goes on. */
export interface ProgressSnapshot {
  readonly state: RunState;
  readonly lanes: readonly LaneAtWork[];
  /** Milliseconds since it began. */
  readonly elapsed: number;
  /** What all its tests took the last time, and how much of that is done; nothing where not all are known. */
  readonly expected: { readonly whole: number; readonly done: number } | undefined;
}

const words: Readonly<Record<Activity['what'], string>> = {
  load: 'loads',
  plan: 'plans',
  rows: 'reads rows of',
  setup: 'setting up',
  body: '',
  teardown: 'tearing down',
};

/** A few lines that stand below what is printed for good: how far the run is, and what each lane does. */
export function renderGoing({ state, lanes, elapsed, expected }: ProgressSnapshot, width: number, style: Style): string[] {
  const part = expected && expected.whole > 0 ? Math.min(0.99, expected.done / expected.whole) : undefined;
  const left = part && part > 0.05 ? `, about ${duration(Math.max(1000, (elapsed * (1 - part)) / part))} left` : '';
  const bar = part === undefined ? '' : `${'▰'.repeat(Math.round(part * 20))}${'▱'.repeat(20 - Math.round(part * 20))} ${Math.round(part * 100)} %${left}  `;
  return [
    '',
    `${bar}${Object.values(state.counts).some((n) => n > 0) ? renderCounts(state.counts, style) : style.dim('no result yet')}  ${style.dim(duration(elapsed))}`,
    ...lanes
      .filter(({ doing }) => doing)
      .map(({ number, doing, since }) => {
        const { what, name } = doing as Activity;
        const text = padOrTruncate(`${words[what] ? `${words[what]} ` : ''}${escapeToOneLine(name)}`, width - 24).trimEnd();
        return style.dim(`  lane ${number}  ${text}${since >= 1000 ? `  ${duration(since)}` : ''}`);
      }),
  ];
}

/** The same in one plain line, for a pipe. */
export const renderGoingPlainly = ({ state, lanes, elapsed }: ProgressSnapshot, style: Style): string =>
  style.dim(
    `… ${renderCounts(state.counts, style)} after ${duration(elapsed)}${lanes.length > 1 ? `, ${formatCount(lanes.filter(({ doing }) => doing).length, 'lane')} running` : ''}`,
  );
