import { formatCount } from '../../../src/formats/style.ts';
import { formatThousands } from '../../../src/problems/format-thousands.ts';

/** What the headline of a run depends on. */
export interface VerdictInput {
  readonly cases: number;
  readonly failing: number;
  readonly passed: number;
  /** Whether the run failed, because of a case or of a problem outside the cases. */
  readonly isRed: boolean;
  readonly isLive: boolean;
  /** Whether some selected cases did not run. */
  readonly isPartial: boolean;
}

export interface Verdict {
  readonly mood: 'good' | 'bad' | 'open';
  readonly headline: string;
}

/** Returns the headline of a run, and the colour in which it is shown. */
export function describeVerdict({ cases, failing, passed, isRed, isLive, isPartial }: VerdictInput): Verdict {
  if (failing > 0) return { mood: 'bad', headline: `${formatThousands(failing)} of ${formatCount(cases, 'case')} failed${isLive ? ' so far' : ''}` };
  if (cases === 0) return { mood: isRed ? 'bad' : 'open', headline: isLive ? 'No results yet' : 'No case ran' };
  if (isRed) return { mood: 'bad', headline: 'No case failed, but the run did' };
  if (isLive) return { mood: 'open', headline: `No failure in ${formatCount(cases, 'case')} so far` };
  const all = cases === 1 ? 'The only case' : `All ${formatCount(cases, 'case')}`;
  const excused = passed < cases ? ` or ${cases === 1 ? 'was' : 'were'} excused` : '';
  return { mood: isPartial ? 'open' : 'good', headline: `${all} ${isPartial ? 'that ran ' : ''}passed${excused}` };
}
