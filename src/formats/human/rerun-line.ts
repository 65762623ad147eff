import type { RerunSelection } from '../../results/rerun-selection.ts';
import { asRowOptions, type Condition } from '../../results/where/condition.ts';
import { formatRerunCommand } from '../rerun-command.ts';
import { escapeToOneLine } from '../style.ts';
import type { Formatting } from './failure.ts';

/** Selects the cases of a test whose rows meet conditions of `--row`. */
export type SelectCases = (conditions: readonly string[]) => RerunSelection | undefined;

/** The line with the command that runs the cases of a cause. No line if `--row` cannot express the cause. */
export function renderRerun(cause: readonly Condition[], select: SelectCases, { style, nameFile }: Pick<Formatting, 'style' | 'nameFile'>): string[] {
  const conditions = asRowOptions(cause);
  const selection = conditions && select(conditions);
  return selection ? [style.dim(`    rerun: ${escapeToOneLine(formatRerunCommand(selection, nameFile))}`)] : [];
}
