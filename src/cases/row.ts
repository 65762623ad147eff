import type { Problem } from '../problems/problem.ts';
import type { CapturedStack, SourceLocation } from '../problems/source-location.ts';
import type { RowAnnotations } from './annotations.ts';

/** One row on its way to a case, with what is known of it. */
export interface RowEntry {
  readonly row: object;
  /** The row's own name; without it, its values name it. */
  readonly name?: string | undefined;
  readonly annotations?: RowAnnotations | undefined;
  /** The location of the row in its file. */
  readonly location?: SourceLocation | undefined;
  /** The number of its lines there. Default: 1. */
  readonly lines?: number | undefined;
  /** Where its values are written in a test file: the call of the source, and the number of the row in it, from 0. */
  readonly written?: { readonly origin: CapturedStack; readonly index: number } | undefined;
  /** The places of the other rows that it is combined from, in test files. */
  readonly others?: readonly RowPlace[] | undefined;
  /** What is wrong with it: its case is errored, and the others run. */
  readonly problems?: readonly Problem[] | undefined;
}

/** Rows come in chunks, so that a stream costs one step for many of them. */
export type RowBatches = Iterable<readonly RowEntry[]> | AsyncIterable<readonly RowEntry[]>;

/** Access to files, for environments without a file system. */
export interface FileSource {
  /** Yields the bytes of the file. If the file does not exist, rejects with an error whose `code` is 'ENOENT'. */
  read(url: URL): AsyncIterable<Uint8Array>;
  /** Resolves to the names in a folder, or to none if it does not exist. Without it, tests must name data files with their extension. */
  list?(folder: URL): Promise<readonly string[]>;
}

/** Earlier results by content, which the host of a run may keep. */
export interface KeyValueCache {
  /** What was set under a key, as far as it is still there. */
  get(key: string): Promise<unknown>;
  set(key: string, value: unknown): Promise<void>;
}

/** Where a row is written in a test file. */
export interface RowPlace {
  readonly location: SourceLocation;
  readonly lines: number;
}

/** Where the rows are that are written out in test files. */
export interface RowLines {
  /** The places of the rows of a source, by where it was created. */
  of(origin: CapturedStack): readonly RowPlace[] | undefined;
  /** Whether a row is written on a line. */
  has(url: string, line: number): boolean;
}

/** What the host of a run provides to case sources. */
export interface ExpansionHost {
  readonly files?: FileSource | undefined;
  readonly kept?: KeyValueCache | undefined;
  /** The tags in use; any, where none are said. */
  readonly tags?: ReadonlySet<string> | undefined;
  /** Absent unless a line of a test file was asked for. */
  readonly rowLines?: RowLines | undefined;
  /** Whether the values of a column are hidden everywhere. */
  readonly isRedacted?: ((column: string) => boolean) | undefined;
  /** Takes what is odd about a source and keeps nothing from running. */
  readonly onWarning?: ((problem: Problem) => void) | undefined;
}

/** What a source may ask for while its rows are expanded. */
export interface ExpansionContext extends ExpansionHost {
  /** The folder that relative paths start from. */
  readonly base: URL | undefined;
  /** The test's title as a slug: the name of its conventional data file. */
  readonly slug: string;
}

/** A source that gives more rows than this is taken for endless. */
export const MAX_ROWS = 10_000_000;
