import type { Status } from '../running/result.ts';
import { isPass } from './journal/compact-pass.ts';
import type { JournalEntry } from './journal/entries.ts';
import { decodeEntry } from './journal/reader.ts';
import { findEntryFault } from './journal/shape.ts';
import type { FormatPath } from './report.ts';
import type { RunInfo } from './run-info.ts';

/** The first line that the results page receives: the run before its entries. */
export interface PageHead {
  readonly format: 'red-lattice page';
  readonly version: 1;
  readonly name: string;
  readonly info: RunInfo;
  /** The runs before this one, the latest first. */
  readonly history: readonly EarlierRun[];
  /** More lines follow while the page is open. */
  readonly live?: boolean;
}

/** The facts about an earlier run that the page shows. */
export interface EarlierRun {
  readonly name: string;
  readonly started: string;
  readonly counts: Readonly<Record<string, number>>;
  /** The statuses of cases that did not pass, by id. All other cases of the tests below passed. */
  readonly notPassed: Readonly<Record<string, Status>>;
  /** The time of each test in milliseconds, by id. */
  readonly times: Readonly<Record<string, number>>;
}

/** The lines after the head: the entries of journals, and additional ones. */
export type PageEntry =
  | JournalEntry
  /** Lines of a source file around a location. `first` is the number of the first line. */
  | { readonly type: 'source'; readonly file: string; readonly first: number; readonly lines: readonly string[] }
  /** The bytes of an attachment. Absent if it is too large to be sent. */
  | { readonly type: 'content'; readonly file: string; readonly size: number; readonly base64?: string | undefined }
  /** The run has ended. */
  | { readonly type: 'run-ended'; readonly info: RunInfo }
  /** Another run starts. All earlier entries belong to the previous one. */
  | { readonly type: 'new-run'; readonly head: PageHead };

/** Entries that only the coordinator and lanes need. */
const ENTRIES_NOT_ON_PAGE: ReadonlySet<JournalEntry['type']> = new Set([
  'activity',
  'started',
  'idle',
  'streaming',
  'work-units',
  'exit-attributed',
  'expected-file',
  'loaded',
  'listed',
  'explained',
  'finished',
]);

/** What a page receives for a line of a journal: its text, and its entry unless it is a compact pass. */
export interface PageLine {
  readonly text: string;
  readonly entry?: JournalEntry | undefined;
}

/** Converts a line of a journal, or an entry, for a page: files are named from the root. Undefined for entries that a page does not need. */
export function pageLine(one: string | JournalEntry, nameFile: FormatPath): PageLine | undefined {
  if (typeof one === 'string' && isPass(one.charCodeAt(0))) return one.endsWith(']') ? { text: one } : undefined;
  const entry = typeof one === 'string' ? decodeEntry(one) : one;
  if (!entry || ENTRIES_NOT_ON_PAGE.has(entry.type)) return undefined;
  // The page reports a malformed line, and nothing is added to it.
  const isWhole = typeof one !== 'string' || findEntryFault(entry) === undefined;
  return { text: JSON.stringify(named(entry, nameFile)), entry: isWhole ? entry : undefined };
}

/** Fields with user data, which stay unchanged. */
const data: ReadonlySet<string> = new Set(['row', 'facts', 'value']);

/** Replaces the files of locations, and of a test's rows, by their names. */
function named(value: unknown, nameFile: FormatPath): unknown {
  if (Array.isArray(value)) return value.map((item) => named(item, nameFile));
  if (typeof value !== 'object' || value === null) return value;
  const isPlace = 'line' in value && typeof value.line === 'number' && 'column' in value && typeof value.column === 'number';
  const isHeader = 'columns' in value;
  return Object.fromEntries(
    Object.entries(value).map(([key, inner]) => {
      if (data.has(key)) return [key, inner];
      const isFile = (key === 'file' && isPlace) || (key === 'data' && isHeader);
      return [key, isFile && typeof inner === 'string' ? nameFile(inner) : named(inner, nameFile)];
    }),
  );
}

/** A request of a page to its server. */
export interface PageRequest {
  readonly kind: 'failed' | 'all' | 'ids' | 'stop';
  readonly ids?: readonly string[] | undefined;
}
