import { hash } from './hash.ts';
import { PreparedText } from './name-hash.ts';
import { canonical, shortValue } from './values.ts';
import { isWord } from './word.ts';

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

const shortened = (text: string, whole: () => string, keep: boolean): string => {
  const short = slug(text);
  return keep && short.length <= mostOfAName ? short : `${short.slice(0, mostOfAName - 9)}-${hash(whole(), 8)}`;
};

/** The values of a row as its case's name: `loa=12, nights=3`. */
export function nameOfValues(row: object): string {
  let name = '';
  for (const column in row) {
    // Tests can extend Object.prototype.
    if (!Object.hasOwn(row, column)) continue;
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
  if (name !== undefined) return shortened(name, () => name, isFaithful(name));
  const easy = new NameText();
  if (easySlug(row, easy)) return easy.whole;
  const parts: string[] = [];
  let keep = true;
  for (const column in row) {
    if (!Object.hasOwn(row, column)) continue;
    const value = (row as Record<string, unknown>)[column];
    const text = shortValue(value);
    keep &&= isFaithful(column) && (typeof value === 'number' || ((typeof value !== 'object' || value === null) && isFaithful(text)));
    parts.push(`${column}=${text}`);
  }
  return shortened(parts.join(','), () => canonical(row), keep);
}

/** Takes a name piece by piece. */
interface NameTaker {
  readonly length: number;
  text(piece: string): void;
  /** Takes a plain word; false, and nothing is taken, for any other text. */
  word(text: string): boolean;
  number(number: number): void;
  prepared(piece: PreparedText): void;
}

class NameText implements NameTaker {
  whole = '';
  get length(): number {
    return this.whole.length;
  }
  text(piece: string): void {
    this.whole += piece;
  }
  word(text: string): boolean {
    if (!isWord(text)) return false;
    this.whole += text;
    return true;
  }
  number(number: number): void {
    this.whole += Object.is(number, -0) ? '-0' : number;
  }
  prepared({ text }: PreparedText): void {
    this.whole += text;
  }
}

/** What comes before the values of a column, in first place and further on; false for a column that needs more care. */
const leads = new Map<string, { readonly first: PreparedText; readonly further: PreparedText } | false>();

function leadOf(column: string): NonNullable<ReturnType<typeof leads.get>> {
  let lead = leads.get(column);
  if (lead === undefined) {
    lead = isWord(column) && { first: new PreparedText(`${column}=`), further: new PreparedText(`,${column}=`) };
    leads.set(column, lead);
  }
  return lead;
}

/**
 * Most rows hold numbers and plain words under plain words, and are their own slug: it goes to `taker`, and is nowhere put together
 * where nobody needs it. False for any other row, of which a part may have gone there.
 */
export function easySlug(row: object, taker: NameTaker): boolean {
  for (const column in row) {
    const value = (row as Record<string, unknown>)[column];
    const lead = leadOf(column);
    if (!lead) return false;
    taker.prepared(taker.length > 0 ? lead.further : lead.first);
    if (typeof value === 'number') taker.number(value);
    else if (typeof value === 'boolean') taker.text(value ? 'true' : 'false');
    else if (typeof value !== 'string' || !taker.word(value)) return false;
  }
  return taker.length > 0 && taker.length <= mostOfAName;
}
