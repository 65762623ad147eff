import type { Suspects } from '../../results/cause/suspects.ts';
import type { WhereItFails } from '../../results/where/causes.ts';
import { asRowOptions, formatCondition } from '../../results/where/condition.ts';
import { shellWord } from '../again.ts';
import { fitted, oneLine, type Style, widthOf } from '../style.ts';
import { describeSuspects } from '../suspects.ts';

const mostColumns = 72;

/** The suspects in one line, with how to run their cases if there is one. */
function renderSuspects(suspects: Suspects, style: Style): string[] {
  const { label, combinations, more, cleared } = describeSuspects(suspects);
  const [only] = suspects.combinations;
  const options = combinations.length === 1 && only ? asRowOptions(only.conditions) : undefined;
  return [
    `  ${style.bold(label)}  ${combinations.map((text) => style.red(oneLine(text))).join(' · ')}${more > 0 ? ` · and ${more} more` : ''}  ${style.dim(`(${cleared})`)}`,
    ...(options ? [style.dim(`    rerun: npx red-lattice run ${options.map((option) => `--row ${shellWord(option)}`).join(' ')}`)] : []),
  ];
}

/** Where a test fails: a line for each cause with its counts, what remains, and how to run just those cases. Or the suspects. */
export function renderWhere({ causes, elsewhere, suspects }: WhereItFails, style: Style): string[] {
  if (causes.length === 0) return suspects ? renderSuspects(suspects, style) : [];
  const told = causes.map(({ conditions }) => oneLine(conditions.map(formatCondition).join(' & ')));
  const columns = Math.min(mostColumns, Math.max(...[...told, 'elsewhere'].map(widthOf)));
  const digits = String(Math.max(elsewhere.cases, ...causes.map(({ cases }) => cases))).length;
  const counted = (failing: number, cases: number): string => `${String(failing).padStart(digits)} of ${String(cases).padStart(digits)}`;
  const lines = causes.map(({ failing, cases }, i) => `  ${style.red('✗')} ${style.bold(fitted(told[i] as string, columns))}  ${counted(failing, cases)} fail`);
  const options = causes.map(({ conditions }) => asRowOptions(conditions));
  const [only] = options;
  const again =
    options.length === 1 && only ? [style.dim(`    rerun: npx red-lattice run ${only.map((option) => `--row ${shellWord(option)}`).join(' ')}`)] : [];
  return [
    `  ${style.bold('where it fails')}`,
    ...lines,
    style.dim(`    ${fitted('elsewhere', columns)}  ${counted(elsewhere.failing, elsewhere.cases)}`),
    ...again,
  ];
}
