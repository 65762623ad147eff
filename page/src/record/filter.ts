import type { Status } from '../../../src/running/result.ts';
import { matchesCondition, parseCondition, type RowCondition } from '../../../src/suites/row-condition.ts';
import type { Item } from './store.ts';

/** The conditions that a case must meet. */
export interface Filter {
  readonly words: readonly string[];
  readonly statuses: ReadonlySet<Status>;
  readonly tags: readonly string[];
  readonly rows: readonly RowCondition[];
}

/** Parses the text of the filter: words, `"several words"`, `status:failed`, `tag:money`, `season=winter`, `loa>=12`. */
export function readFilter(text: string): Filter {
  const words: string[] = [];
  const statuses = new Set<Status>();
  const tags: string[] = [];
  const rows: RowCondition[] = [];
  for (const [, quoted, plain = ''] of text.matchAll(/"([^"]*)"?|(\S+)/g)) {
    if (quoted !== undefined) words.push(quoted.toLowerCase());
    else if (plain.startsWith('status:')) for (const status of plain.slice('status:'.length).split(',')) statuses.add(status as Status);
    else if (plain.startsWith('tag:')) tags.push(plain.slice('tag:'.length));
    else {
      const condition = parseCondition(plain);
      if (condition && condition.value !== '') rows.push(condition);
      else words.push(plain.toLowerCase());
    }
  }
  return { words, statuses, tags, rows };
}

export const isEmpty = ({ words, statuses, tags, rows }: Filter): boolean => words.length + statuses.size + tags.length + rows.length === 0;

export function matches({ words, statuses, tags, rows }: Filter, { result, text }: Item): boolean {
  if (statuses.size > 0 && !statuses.has(result.status)) return false;
  for (const word of words) if (!text.includes(word)) return false;
  for (const tag of tags) if (!result.tags.includes(tag)) return false;
  for (const condition of rows) if (!matchesCondition(result.row, condition)) return false;
  return true;
}

/** The filter's text with a status added, or removed if it was there. */
export function toggleStatus(text: string, status: Status): string {
  const { statuses } = readFilter(text);
  const others = text.replace(/status:\S+\s*/g, '').trim();
  const next = statuses.has(status) ? [...statuses].filter((one) => one !== status) : [...statuses, status];
  return [next.length > 0 ? `status:${next.join(',')}` : '', others].filter(Boolean).join(' ');
}

/** A condition in the syntax of the filter. */
export const conditionWord = (column: string, value: unknown): string => (/\s|"/.test(`${column}${value}`) ? `"${value}"` : `${column}=${value}`);
