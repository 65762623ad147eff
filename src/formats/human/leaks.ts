import { formatLocation } from '../../problems/source-location.ts';
import { countLeaks, type Leak } from '../../results/leaks.ts';
import { escapeToOneLine, formatCount } from '../style.ts';
import type { Formatting } from './failure.ts';
import { renderCodeFrame } from './frame.ts';

/** Renders what was left open: counted by case or, if locations were searched, with the location of each. */
export function renderLeaks(leaks: readonly Leak[], formatting: Formatting): string[] {
  const { style, nameFile } = formatting;
  const lines: string[] = [];
  const found = leaks.some(({ location }) => location !== undefined) ? leaks : [];
  for (const { kind, after, location } of found) {
    lines.push('', `${style.yellow(`! ${kind} left open`)} by ${escapeToOneLine(after?.title ?? 'a case')}`);
    if (location)
      lines.push(
        `  ${style.cyan(formatLocation({ ...location, file: nameFile(location.file) }))}`,
        ...renderCodeFrame(location, formatting).map((line) => `  ${line}`),
      );
  }
  if (found.length > 0) return lines;
  const counts = countLeaks(leaks);
  if (counts.length > 0) lines.push('');
  for (const { kind, count, after } of counts) {
    lines.push(
      `${style.yellow(`! ${formatCount(count, kind, kind === 'child process' ? 'child processes' : undefined)} left open`)} ${after ? `by ${escapeToOneLine(after.title)}` : 'by concurrent cases'}`,
    );
  }
  if (counts.length > 0) lines.push(style.dim('  run with --leaks to see where each was opened'));
  return lines;
}
