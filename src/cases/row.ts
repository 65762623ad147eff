import type { Problem } from '../problems/problem.ts';
import type { CapturedStack, SourceLocation } from '../problems/source-location.ts';
import type { RowAnnotations } from './annotations.ts';

/** One row, with what is known about it. */
export interface RowEntry {
  readonly row: object;
  /** The row's own name. Default: its values. */
  readonly name?: string | undefined;
  readonly annotations?: RowAnnotations | undefined;
  /** The location of the row in its file. */
  readonly location?: SourceLocation | undefined;
  /** The number of its lines there. Default: 1. */
  readonly lines?: number | undefined;
  /** The place of its values in a test file: the call of the source, and the number of the row in it, from 0. */
  readonly written?: { readonly origin: CapturedStack; readonly index: number } | undefined;
  /** The places in test files of the other rows that it is combined from. */
  readonly others?: readonly RowPlace[] | undefined;
  /** Its problems. If it has any, its case is errored, and the others run. */
  readonly problems?: readonly Problem[] | undefined;
}

/** Rows in batches, so that a stream takes one step for many of them. */
export type RowBatches = Iterable<readonly RowEntry[]> | AsyncIterable<readonly RowEntry[]>;

/** Access to files, for environments without a file system. */
export interface FileSource {
  /** Yields the bytes of the file. If the file does not exist, rejects with an error whose `code` is 'ENOENT'. */
  read(url: URL): AsyncIterable<Uint8Array>;
  /** Resolves to the names in a folder, or to none if it does not exist. Without it, tests must name data files with their extension. */
  list?(folder: URL): Promise<readonly string[]>;
}

/** Earlier results by content, which the host of a run can store. */
export interface KeyValueCache {
  /** The value that was set under a key, if it is still there. */
  get(key: string): Promise<unknown>;
  set(key: string, value: unknown): Promise<void>;
}

/** The place of a row in a test file. */
export interface RowPlace {
  readonly location: SourceLocation;
  readonly lines: number;
}

/** Finds rows that are written in test files. */
export interface RowLines {
  /** The places of a source's rows, by where the source was created. */
  of(origin: CapturedStack): readonly RowPlace[] | undefined;
  /** Whether a row is written on a line. */
  has(url: string, line: number): boolean;
}

/** What the host of a run provides to case sources. */
export interface ExpansionHost {
  readonly files?: FileSource | undefined;
  readonly kept?: KeyValueCache | undefined;
  /** The known tags. Undefined if all tags are allowed. */
  readonly tags?: ReadonlySet<string> | undefined;
  /** Absent unless a line of a test file was selected. */
  readonly rowLines?: RowLines | undefined;
  /** Whether the values of a column are redacted. */
  readonly isRedacted?: ((column: string) => boolean) | undefined;
  /** Receives warnings about a source. */
  readonly onWarning?: ((problem: Problem) => void) | undefined;
}

/** What a source can use while its rows are expanded. */
export interface ExpansionContext extends ExpansionHost {
  /** The folder that relative paths start from. */
  readonly base: URL | undefined;
  /** The test's title as a slug: the default name of its data file. */
  readonly slug: string;
}

/** The maximum number of rows of a source. A source with more counts as endless. */
export const MAX_ROWS = 10_000_000;
