import type { Suspects } from '../../results/cause/suspects.ts';
import type { WhereItFails } from '../../results/where/causes.ts';
import { formatCondition } from '../../results/where/condition.ts';
import { measureWidth } from '../columns.ts';
import { escapeToOneLine, type Style } from '../style.ts';
import { describeSuspects } from '../suspects.ts';
import type { Formatting } from './failure.ts';
import { renderRerun, type SelectCases } from './rerun-line.ts';

const MAX_CONDITION_WIDTH = 72;
/** The maximum width of a line of suspects, in columns. */
const MAX_LINE_WIDTH = 100;

/** Renders the suspects, in one line if they are short enough. */
function renderSuspects(suspects: Suspects, style: Style): string[] {
  const { label, combinations, more, cleared } = describeSuspects(suspects);
  const parts = [...combinations.map((text) => style.red(escapeToOneLine(text))), ...(more > 0 ? [`and ${more} more`] : [])];
  const plain = [...combinations.map(escapeToOneLine), ...(more > 0 ? [`and ${more} more`] : [])];
  const indent = ' '.repeat(label.length + 4);
  const lines = [`  ${style.bold(label)}  ${parts[0]}`];
  let width = indent.length + measureWidth(plain[0] as string);
  for (let i = 1; i < parts.length; i++) {
    width += measureWidth(plain[i] as string) + 3;
    if (width <= MAX_LINE_WIDTH) lines.push(`${lines.pop()} · ${parts[i]}`);
    else {
      lines.push(`${indent}${parts[i]}`);
      width = indent.length + measureWidth(plain[i] as string);
    }
  }
  const counted = style.dim(`(${cleared})`);
  if (width + cleared.length + 4 <= MAX_LINE_WIDTH) lines.push(`${lines.pop()}  ${counted}`);
  else lines.push(`${indent}${counted}`);
  return lines;
}

/** Longer conditions are not shortened: they can differ at their ends. */
const padTo = (text: string, columns: number): string => text + ' '.repeat(Math.max(0, columns - measureWidth(text)));

/**
 * Renders where a test fails: one line per cause with its counts, and the remaining failures, or the suspects. For a single cause, also the
 * command that runs its cases.
 */
export function renderWhere({ causes, elsewhere, suspects }: WhereItFails, select: SelectCases, formatting: Pick<Formatting, 'style' | 'nameFile'>): string[] {
  const { style } = formatting;
  const [only, ...others] = causes.length > 0 ? causes : (suspects?.combinations ?? []);
  const rerun = only && others.length === 0 ? renderRerun(only.conditions, select, formatting) : [];
  if (causes.length === 0) return suspects ? [...renderSuspects(suspects, style), ...rerun] : [];
  const formatted = causes.map(({ conditions }) => escapeToOneLine(conditions.map(formatCondition).join(' & ')));
  const columns = Math.min(MAX_CONDITION_WIDTH, Math.max(...[...formatted, 'elsewhere'].map(measureWidth)));
  const digits = String(Math.max(elsewhere.cases, ...causes.map(({ cases }) => cases))).length;
  const counted = (failing: number, cases: number): string => `${String(failing).padStart(digits)} of ${String(cases).padStart(digits)}`;
  const lines = causes.map(
    ({ failing, cases }, i) => `  ${style.red('✗')} ${style.bold(padTo(formatted[i] as string, columns))}  ${counted(failing, cases)} fail`,
  );
  return [
    `  ${style.bold('where it fails')}`,
    ...lines,
    style.dim(`    ${padTo('elsewhere', columns)}  ${counted(elsewhere.failing, elsewhere.cases)}`),
    ...rerun,
  ];
}
