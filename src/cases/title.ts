import type { Problem } from '../problems/problem.ts';
import { plainValue } from './values.ts';

/** A title with placeholders, taken apart: texts and paths into the row by turns. */
export interface Title {
  readonly template: string;
  readonly parts: readonly (string | readonly string[])[];
  readonly problems: readonly Problem[];
}

/** Takes `charge {stay.nights} nights` apart; `{{` stands for a brace. */
export function readTitle(template: string): Title {
  const parts: (string | readonly string[])[] = [];
  const problems: Problem[] = [];
  let text = '';
  for (let i = 0; i < template.length; i++) {
    if (template[i] !== '{') text += template[i];
    else if (template[i + 1] === '{') text += template[i++];
    else {
      const end = template.indexOf('}', i);
      if (end < 0) {
        problems.push({ code: 'unclosed-placeholder', title: template });
        text += template.slice(i);
        break;
      }
      if (text) parts.push(text);
      text = '';
      parts.push(template.slice(i + 1, end).split('.'));
      i = end;
    }
  }
  if (text) parts.push(text);
  return { template, parts, problems };
}

export const hasPlaceholders = (title: Title): boolean => title.parts.some((part) => typeof part !== 'string');

/** The columns that a title names and the rows do not have. */
export function checkTitle(title: Title, columns: readonly string[]): Problem[] {
  const problems: Problem[] = [...title.problems];
  for (const part of title.parts) {
    if (typeof part !== 'string' && !columns.includes(part[0] as string)) {
      problems.push({ code: 'unknown-placeholder', title: title.template, placeholder: part[0] as string, known: columns });
    }
  }
  return problems;
}

/** The title for one row. A placeholder stays where the row has nothing there: a cell that was left empty, or could not be read. */
export function fillTitle(title: Title, row: object): string {
  let text = '';
  for (const part of title.parts) {
    if (typeof part === 'string') text += part;
    else {
      let value: unknown = row;
      let isThere = true;
      for (const key of part) {
        isThere &&= value !== null && value !== undefined && key in Object(value);
        value = isThere ? (value as Record<string, unknown>)[key] : undefined;
      }
      text += isThere ? plainValue(value) : `{${part.join('.')}}`;
    }
  }
  return text;
}
