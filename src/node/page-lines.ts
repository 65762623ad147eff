import { lstatSync, readFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import type { SourceLocation } from '../problems/source-location.ts';
import type { JournalEntry } from '../results/journal/entries.ts';
import { type EarlierRun, type PageEntry, type PageHead, pageLine } from '../results/page-entries.ts';
import type { FormatPath } from '../results/report.ts';
import type { RunInfo } from '../results/run-info.ts';
import { listEarlierRuns } from './earlier-runs.ts';
import { listJournals, readJournals } from './journals.ts';
import { LineReader } from './line-reader.ts';
import { findOwner } from './record-lock.ts';
import type { OpenedRecord } from './recorded.ts';

/** The number of earlier runs in the history. For runs with more cases than the limit, it contains only the number of failures. */
const MAX_RUNS = 20;
const MAX_HISTORY_CASES = 200_000;

/** The built results page, next to the built command. */
export const pageTemplate = (): string => readFileSync(new URL('page.html', import.meta.url), 'utf8');

/** The head of a record, which a page receives before the entries. */
export function pageHead(record: OpenedRecord, root: string, live = false): PageHead {
  return {
    format: 'red-lattice page',
    version: 1,
    name: record.name,
    info: withoutRoot(record.info),
    history: readHistory(record, root),
    ...(live && { live }),
  };
}

/** Whether more entries can follow. None follow a run that was killed, although its record has no end. */
export const isUnderWay = (folder: string | undefined, { milliseconds }: RunInfo): boolean =>
  milliseconds === undefined && folder !== undefined && findOwner(folder) !== undefined;

/** Removes the path of the project: a page must not reveal folders of the machine. */
export const withoutRoot = ({ root: _root, ...info }: RunInfo): RunInfo => info;

function readHistory({ info, folder }: OpenedRecord, root: string): EarlierRun[] {
  return listEarlierRuns(root)
    .filter((run) => run.info.started < info.started && run.folder !== folder && run.info.milliseconds !== undefined)
    .slice(0, MAX_RUNS)
    .map((run) => {
      const { started, counts = {}, times = {} } = run.info;
      const total = Object.values(counts).reduce((sum, n) => sum + n, 0);
      const notPassed: Record<string, EarlierRun['notPassed'][string]> = {};
      if (total !== counts['passed'] && total <= MAX_HISTORY_CASES)
        for (const entry of readJournals(run.folder, { inBlocks: true }))
          if (entry.type === 'ended' && entry.result.status !== 'passed') notPassed[entry.result.id] = entry.result.status;
      return { name: basename(run.folder), started, counts, notPassed, times };
    });
}

/** The lines that a page receives for the entries of a record, with the sources and attachments that they refer to. */
export function* pageLines(record: OpenedRecord, nameFile: FormatPath, source: (file: string) => string | undefined): Generator<string> {
  const writer = new PageWriter(record.folder, nameFile, source);
  for (const one of record.folder === undefined ? record.entries() : readLines(record.folder)) yield* writer.lines(one);
}

function* readLines(folder: string): Generator<string> {
  for (const path of listJournals(folder)) {
    const lines = new LineReader(path);
    for (const some of lines.read()) yield* some;
    lines.close();
  }
}

/** Formats an additional entry for the page as a line. */
export const serializePageEntry = (entry: PageEntry): string => JSON.stringify(entry);

const EXCERPT_LINES_AROUND = 4;
const MAX_EXCERPTS = 400;
const MAX_LINE_LENGTH = 400;
/** The maximum number of bytes of one attachment, and of all together. */
const MAX_ATTACHMENT_BYTES = 2_000_000;
const MAX_ALL_ATTACHMENTS_BYTES = 20_000_000;

/** Writes a record's lines for a page, and adds the sources around failures and the contents of attachments, each once. */
export class PageWriter {
  readonly #folder: string | undefined;
  readonly #nameFile: FormatPath;
  readonly #source: (file: string) => string | undefined;
  /** The places and the files that have been sent. */
  readonly #excerpts = new Set<string>();
  readonly #contents = new Set<string>();
  #bytes = 0;

  constructor(folder: string | undefined, nameFile: FormatPath, source: (file: string) => string | undefined) {
    this.#folder = folder;
    this.#nameFile = nameFile;
    this.#source = source;
  }

  /** The lines that a page receives for one line or entry of a record. */
  *lines(one: string | JournalEntry): Generator<string> {
    const line = pageLine(one, this.#nameFile);
    if (!line) return;
    yield line.text;
    const { entry } = line;
    if (entry?.type !== 'ended' && entry?.type !== 'teardown-failed') return;
    for (const { location, frames = [] } of entry.result.failures) for (const one of [location, ...frames.slice(0, 4)]) if (one) yield* this.#excerpt(one);
    if (entry.type === 'ended') for (const { file } of entry.result.attachments) yield* this.#content(file);
  }

  *#excerpt({ file, line, sheet }: SourceLocation): Generator<string> {
    const key = `${file}:${line}`;
    if (sheet !== undefined || this.#excerpts.has(key) || this.#excerpts.size >= MAX_EXCERPTS) return;
    this.#excerpts.add(key);
    const lines = this.#source(file)?.split('\n');
    if (!lines || line > lines.length) return;
    const first = Math.max(1, line - EXCERPT_LINES_AROUND);
    yield serializePageEntry({
      type: 'source',
      file: this.#nameFile(file),
      first,
      lines: lines.slice(first - 1, line + EXCERPT_LINES_AROUND).map((text) => text.slice(0, MAX_LINE_LENGTH)),
    });
  }

  *#content(file: string): Generator<string> {
    if (this.#folder === undefined || this.#contents.has(file)) return;
    this.#contents.add(file);
    const path = join(this.#folder, 'attachments', basename(file));
    // A record can come from anywhere: a link could lead to any file.
    const status = lstatSync(path, { throwIfNoEntry: false });
    if (!status?.isFile()) return;
    const { size } = status;
    const fits = size <= MAX_ATTACHMENT_BYTES && this.#bytes + size <= MAX_ALL_ATTACHMENTS_BYTES;
    if (fits) this.#bytes += size;
    yield serializePageEntry({ type: 'content', file, size, base64: fits ? readFileSync(path).toString('base64') : undefined });
  }
}
