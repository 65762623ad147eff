import type { Problem } from '../problems/problem.ts';
import { formatPlainValue } from './values.ts';

/** A parsed title: alternating texts and paths into the row. */
export interface Title {
  readonly template: string;
  readonly parts: readonly (string | readonly string[])[];
  readonly problems: readonly Problem[];
}

/** Parses `charge {stay.nights} nights`. `{{` is an escaped brace. */
export function parseTitle(template: string): Title {
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

/** Columns in a title that the rows do not have. */
export function findUnknownColumns(title: Title, columns: readonly string[]): Problem[] {
  const problems: Problem[] = [...title.problems];
  for (const part of title.parts) {
    if (typeof part !== 'string' && !columns.includes(part[0] as string)) {
      problems.push({ code: 'unknown-placeholder', title: title.template, placeholder: part[0] as string, known: columns });
    }
  }
  return problems;
}

/** The title of one row. A placeholder stays if the row has no value for it: a cell that is empty or invalid. */
export const renderTitle = ({ parts }: Title, row: object): string => parts.map((part) => (typeof part === 'string' ? part : fillPart(part, row))).join('');

/** The values of the placeholders of a title for a row. */
export const fillIn = ({ parts }: Title, row: object): string[] => parts.flatMap((part) => (typeof part === 'string' ? [] : [fillPart(part, row)]));

/** Inherited properties such as `valueOf` are not values of a row. */
const hasValue = (value: object, key: string): boolean => key in value && (Object.hasOwn(value, key) || !(key in Object.prototype));

function fillPart(path: readonly string[], row: object): string {
  let value: unknown = row;
  for (const key of path) {
    if (value === null || value === undefined || !hasValue(Object(value), key)) return `{${path.join('.')}}`;
    value = (value as Record<string, unknown>)[key];
  }
  return formatPlainValue(value);
}
