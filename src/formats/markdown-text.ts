import { escapeToOneLine } from './style.ts';

/** Formats text from tests and data as a code span, in which nothing is markup, a name or a reference. */
export function formatCode(text: string): string {
  const clipped = escapeToOneLine(text.length > 300 ? `${text.slice(0, 299)}…` : text) || ' ';
  const ticks = '`'.repeat(Math.max(0, ...[...clipped.matchAll(/`+/g)].map(([run]) => run.length)) + 1);
  const pad = ticks.length > 1 ? ' ' : '';
  return `${ticks}${pad}${clipped}${pad}${ticks}`;
}
