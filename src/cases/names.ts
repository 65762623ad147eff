import { hash } from './hash.ts';
import { canonical, shortValue } from './values.ts';

const mostOfAName = 80;

const replaced = /[^\p{L}\p{M}\p{N}._=,+-]+/gu;
/**
 * Texts of which no two have the same slug: plain characters, blanks only beside a letter, hyphens never beside one.
 */
const plain = /^[\p{L}\p{M}\p{N}._+ -]+$/u;
const doubtful = /\p{L}-|-\p{L}|^[ -]|[ -]$| {2}|[^\p{L}] [^\p{L}]/u;

/** A title for ids and file names: Unicode letters kept, all but letters, digits and `._=,+-` a hyphen. */
export const slug = (text: string): string =>
  text
    .normalize('NFC')
    .replace(replaced, '-')
    .replace(/^-+|-+$/g, '') || '-';

const isFaithful = (text: string): boolean => plain.test(text) && !doubtful.test(text) && text === text.normalize('NFC');

const shortened = (text: string, whole: string, keep: boolean): string => {
  const short = slug(text);
  return keep && short.length <= mostOfAName ? short : `${short.slice(0, mostOfAName - 9)}-${hash(whole, 8)}`;
};

/** The values of a row as its case's name: `loa=12, nights=3`. */
export function nameOfValues(row: object): string {
  let name = '';
  for (const column in row) {
    if (name) name += ', ';
    name += `${column}=${shortValue((row as Record<string, unknown>)[column])}`;
  }
  return name;
}

/**
 * The part of an id that tells a case from its siblings: its own name, or its values.
 *
 * It is made of the row alone, so that other rows cannot change it: where the slug does not show the whole row, a hash of
 * the row follows.
 */
export function caseSlug(row: object, name: string | undefined): string {
  if (name !== undefined) return shortened(name, name, isFaithful(name));
  const parts: string[] = [];
  let keep = true;
  for (const column in row) {
    const value = (row as Record<string, unknown>)[column];
    const text = shortValue(value);
    keep &&= isFaithful(column) && (typeof value === 'number' || ((typeof value !== 'object' || value === null) && isFaithful(text)));
    parts.push(`${column}=${text}`);
  }
  return shortened(parts.join(','), keep ? '' : canonical(row), keep);
}
