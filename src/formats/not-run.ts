import { formatThousands } from '../problems/format-thousands.ts';
import type { NotRun } from '../results/run-info.ts';

/** Describes the cases that a run ended before, with the reason: "6 not run: the run stopped after 1 failed". */
export const renderUnrun = ({ cases, isMore, reason }: NotRun): string =>
  `${cases === 0 ? 'the rest' : formatThousands(cases)}${isMore && cases > 0 ? ' and more' : ''} not run: ${reason}`;
