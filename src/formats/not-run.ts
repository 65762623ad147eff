import { formatThousands } from '../problems/format-thousands.ts';
import type { NotRun } from '../results/run-info.ts';

/** What a run ended before, and why it ended: "6 unrun: the run stopped after 1 failed". */
export const renderUnrun = ({ cases, isMore, reason }: NotRun): string =>
  `${cases === 0 ? 'the rest' : formatThousands(cases)}${isMore && cases > 0 ? ' and more' : ''} not run: ${reason}`;
