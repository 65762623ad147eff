import { hash } from './hash.ts';
import { isPlainIdentifier } from './identifiers.ts';
import { PreparedHash } from './name-hash.ts';
import { formatCanonical, formatShortValue } from './values.ts';

// The ids of suites, tests and cases are part of the record format: earlier records, shards and lanes are matched by them. Whatever
// changes an id needs a new JOURNAL_VERSION (results/journal/entries.ts) and new expected ids in tests/cases/ids.lattice.ts.

const MAX_NAME_LENGTH = 80;

const replaced = /[^\p{L}\p{M}\p{N}._=,+-]+/gu;
/**
 * Texts of which no two have the same slug: plain characters, blanks only beside a letter, hyphens never beside one.
 */
const plain = /^[\p{L}\p{M}\p{N}._+ -]+$/u;
const ambiguousPattern = /\p{L}-|-\p{L}|^[ -]|[ -]$| {2}|[^\p{L}] [^\p{L}]/u;

/** A title for ids and file names: Unicode letters kept, all but letters, digits and `._=,+-` a hyphen. */
export const formatSlug = (text: string): string =>
  text
    .normalize('NFC')
    .replace(replaced, '-')
    .replace(/^-+|-+$/g, '') || '-';

const isLosslessSlug = (text: string): boolean => plain.test(text) && !ambiguousPattern.test(text) && text === text.normalize('NFC');

const shortenName = (text: string, whole: () => string, keep: boolean): string => {
  const short = formatSlug(text);
  return keep && short.length <= MAX_NAME_LENGTH ? short : `${short.slice(0, MAX_NAME_LENGTH - 9)}-${hash(whole(), 8)}`;
};

/** The values of a row as its case's name: `loa=12, nights=3`. */
export function formatValuesName(row: object): string {
  let name = '';
  for (const column in row) {
    // Tests can extend Object.prototype.
    if (!Object.hasOwn(row, column)) continue;
    if (name) name += ', ';
    name += `${column}=${formatShortValue((row as Record<string, unknown>)[column])}`;
  }
  return name;
}

/**
 * The part of an id that distinguishes a case from its siblings: its own name, or its values.
 *
 * It is made of the row alone, so that other rows cannot change it: where the slug does not show the whole row, a hash of
 * the row follows.
 */
export function caseSlug(row: object, name: string | undefined): string {
  if (name !== undefined) return shortenName(name, () => name, isLosslessSlug(name));
  const easy = new NameText();
  if (trySimpleSlug(row, easy)) return easy.whole;
  const parts: string[] = [];
  let keep = true;
  for (const column in row) {
    if (!Object.hasOwn(row, column)) continue;
    const value = (row as Record<string, unknown>)[column];
    const text = formatShortValue(value);
    keep &&= isLosslessSlug(column) && (typeof value === 'number' || ((typeof value !== 'object' || value === null) && isLosslessSlug(text)));
    parts.push(`${column}=${text}`);
  }
  return shortenName(parts.join(','), () => formatCanonical(row), keep);
}

/** Takes a name piece by piece. */
interface SlugSink {
  readonly length: number;
  text(piece: string): void;
  /** Takes a plain word; false, and nothing is taken, for any other text. */
  word(text: string): boolean;
  number(number: number): void;
  prepared(piece: PreparedHash): void;
}

class NameText implements SlugSink {
  whole = '';
  get length(): number {
    return this.whole.length;
  }
  text(piece: string): void {
    this.whole += piece;
  }
  word(text: string): boolean {
    if (!isPlainIdentifier(text)) return false;
    this.whole += text;
    return true;
  }
  number(number: number): void {
    this.whole += Object.is(number, -0) ? '-0' : number;
  }
  prepared({ text }: PreparedHash): void {
    this.whole += text;
  }
}

/** What comes before the values of a column, in first place and further on; false for a column that needs more care. */
const columnPrefixes = new Map<string, { readonly first: PreparedHash; readonly further: PreparedHash } | false>();

function findColumnPrefix(column: string): NonNullable<ReturnType<typeof columnPrefixes.get>> {
  let lead = columnPrefixes.get(column);
  if (lead === undefined) {
    lead = isPlainIdentifier(column) && { first: new PreparedHash(`${column}=`), further: new PreparedHash(`,${column}=`) };
    columnPrefixes.set(column, lead);
  }
  return lead;
}

/**
 * Most rows hold numbers and plain words under plain words, and are their own slug: it goes to `taker`, and is nowhere put together
 * where nobody needs it. False for any other row, of which a part may have gone there.
 */
export function trySimpleSlug(row: object, taker: SlugSink): boolean {
  for (const column in row) {
    const value = (row as Record<string, unknown>)[column];
    const lead = findColumnPrefix(column);
    if (!lead) return false;
    taker.prepared(taker.length > 0 ? lead.further : lead.first);
    if (typeof value === 'number') taker.number(value);
    else if (typeof value === 'boolean') taker.text(value ? 'true' : 'false');
    else if (typeof value !== 'string' || !taker.word(value)) return false;
  }
  return taker.length > 0 && taker.length <= MAX_NAME_LENGTH;
}

/** The id of a suite or test: the id of the file or suite around it, and its title. */
export const formatItemId = (parent: { readonly id: string; readonly kind: string }, title: string): string =>
  `${parent.id}${parent.kind === 'file' ? '#' : '/'}${formatSlug(title)}`;

/** The id of a case: the id of its test, what distinguishes the case from its siblings, and which of several equal ones it is. */
export const formatCaseId = (test: string, own: string | undefined, duplicateIndex: number): string =>
  `${test}${own === undefined ? '' : `/${own}`}${duplicateIndex > 1 ? `~${duplicateIndex}` : ''}`;
