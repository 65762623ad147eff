import type { RunState } from '../results/run-state.ts';
import { formatCount } from './style.ts';

type Ended = Pick<RunState, 'counts' | 'tornDown' | 'runProblems' | 'planProblems' | 'loadFailures'>;

/** `412 passed, 2 failed, 3 skipped`: alone on the last line of every run. Only cases are counted; errored ones count as failed. */
export const formatSummaryLine = ({ counts }: Pick<Ended, 'counts'>): string =>
  `${counts.passed} passed, ${counts.failed + counts.errored} failed${counts.skipped ? `, ${counts.skipped} skipped` : ''}`;

/** Describes how many failed cases errored, and the problems outside the cases, for the line above the last one. */
export function describeOutsideCases({ counts, tornDown, runProblems, planProblems, loadFailures }: Ended, strictWarnings = 0): string | undefined {
  const outsideCases = [
    counts.errored > 0 && `${counts.errored} of ${formatCount(counts.failed + counts.errored, 'failed case')} errored`,
    tornDown.length > 0 && `${formatCount(tornDown.length, 'shared teardown')} failed`,
    runProblems.length > 0 && formatCount(runProblems.length, 'problem outside the cases', 'problems outside the cases'),
    planProblems.length > 0 && formatCount(planProblems.length, 'plan error'),
    loadFailures.length > 0 && `${formatCount(loadFailures.length, 'file')} did not load`,
    strictWarnings > 0 && `${formatCount(strictWarnings, 'warning')} in a strict run`,
  ].filter((part) => part !== false);
  if (outsideCases.length === 0) return undefined;
  const isNothing = Object.values(counts).every((n) => n === 0);
  return `${isNothing ? 'nothing ran: ' : ''}${outsideCases.join(', ')}`;
}
