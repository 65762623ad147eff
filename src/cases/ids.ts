import { hash } from './hash.ts';
import { isPlainIdentifier } from './identifiers.ts';
import { PreparedHash } from './name-hash.ts';
import { formatCanonical, formatShortValue } from './values.ts';

// The ids of suites, tests and cases are part of the record format: earlier records, shards and lanes are matched by them. Whatever
// changes an id needs a new JOURNAL_VERSION (results/journal/entries.ts) and new expected ids in tests/cases/ids.lattice.ts.

const MAX_NAME_LENGTH = 80;

const replaced = /[^\p{L}\p{M}\p{N}._=,+-]+/gu;
/** Texts of which no two have the same slug: plain characters, with blanks only next to letters and hyphens never next to one. */
const plain = /^[\p{L}\p{M}\p{N}._+ -]+$/u;
const ambiguousPattern = /\p{L}-|-\p{L}|^[ -]|[ -]$| {2}|[^\p{L}] [^\p{L}]/u;

/** Converts a title for ids and file names: all characters except Unicode letters, digits and `._=,+-` become hyphens. */
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

/** Names a case by the values of its row: `loa=12, nights=3`. */
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
 * It depends only on the row, so that other rows cannot change it. If the slug does not show the whole row, a hash of the row follows.
 */
export function formatCaseSlug(row: object, name: string | undefined): string {
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

/** Receives a name in pieces. */
interface SlugSink {
  readonly length: number;
  text(part: string): void;
  /** Receives a plain word. Returns false, and receives nothing, for any other text. */
  word(text: string): boolean;
  number(number: number): void;
  prepared(part: PreparedHash): void;
}

class NameText implements SlugSink {
  whole = '';
  get length(): number {
    return this.whole.length;
  }
  text(part: string): void {
    this.whole += part;
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

/** The text before the values of a column, in first position and in others. False for a column that needs more care. */
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
 * Passes the slug of a row to `taker` if it consists of numbers and plain words, as for most rows, without building the text. Returns false
 * for any other row, of which a part can have been passed.
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

/** The id of a case: the id of its test, what distinguishes the case from its siblings, and its number among equal ones. */
export const formatCaseId = (test: string, own: string | undefined, duplicateIndex: number): string =>
  `${test}${own === undefined ? '' : `/${own}`}${duplicateIndex > 1 ? `~${duplicateIndex}` : ''}`;
