import type { Suspects } from '../results/cause/suspects.ts';
import { formatCondition } from '../results/where/condition.ts';
import { formatCount } from './style.ts';

/** The maximum number of printed combinations. */
const MAX_SHOWN = 5;

const sizes = ['', 'value', 'pair', 'triple'];

/** The parts of the line about suspects: its label, the combinations as text, and how many were cleared. */
export interface SuspectsText {
  readonly label: 'likely cause' | 'suspects';
  readonly combinations: readonly string[];
  /** The number of combinations that are not printed. */
  readonly more: number;
  readonly cleared: string;
}

export function describeSuspects({ combinations, size, total, cleared, isLikelyCause }: Suspects): SuspectsText {
  return {
    label: isLikelyCause ? 'likely cause' : 'suspects',
    combinations: combinations.slice(0, MAX_SHOWN).map(({ conditions }) => conditions.map(formatCondition).join(' & ')),
    more: Math.max(0, combinations.length - MAX_SHOWN),
    cleared: `${cleared} of ${formatCount(total, sizes[size] ?? 'combination')} cleared by passing rows`,
  };
}
