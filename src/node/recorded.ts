import { readFileSync, statSync } from 'node:fs';
import { basename, resolve } from 'node:path';
import { throwProblem } from '../problems/problem-error.ts';
import { JOURNAL_VERSION } from '../results/journal/entries.ts';
import { convertToEntries, type ReadableRecord, type ResultReport, type RunReport } from '../results/report.ts';
import { findReportFault, findResultFault } from '../results/report-shape.ts';
import type { RunInfo } from '../results/run-info.ts';
import { isObject } from '../results/shapes.ts';
import { findRecord, type RecordReference } from './earlier-runs.ts';
import { readJournals } from './journals.ts';
import { LineReader } from './line-reader.ts';
import { findRecordFault } from './record.ts';

export const noRecordYet = 'no run has been recorded; red-lattice run creates a record';

/** A record, with its name. */
export interface OpenedRecord extends ReadableRecord {
  readonly name: string;
  /** Its folder. Undefined for a report file. */
  readonly folder: string | undefined;
}

/**
 * Opens the record for an argument: a folder, `latest`, `previous`, or a report in JSON or JSON Lines. Returns an error message if there is
 * none.
 */
export function openRecord(name: string, root: string, folder: string): OpenedRecord | string {
  const found = findRecord(name, root, folder);
  if (found) return readRecorded(found, name === 'latest' || name === 'previous' ? basename(found.folder) : name);
  if (name === 'latest') return noRecordYet;
  if (name === 'previous') return 'there is only one run record';
  const path = resolve(folder, name);
  const refused = findRecordFault(path);
  if (refused) return `cannot read ${name}: ${refused}`;
  const isFile = statSync(path, { throwIfNoEntry: false })?.isFile() === true;
  if (!isFile) return `${name} is not a run record: it has no run.json of Red Lattice`;
  return readReport(path, name);
}

export const readRecorded = ({ folder, info }: RecordReference, name = folder): OpenedRecord => ({ name, folder, info, entries: () => readJournals(folder) });

interface Head {
  readonly run: RunReport;
  readonly results?: unknown;
}

function readReport(path: string, name: string): OpenedRecord | string {
  const [first = ''] = readLines(path);
  const line = parseLine(first);
  // A JSON report can consist of one line. Unlike the first line of JSON Lines, it contains the results.
  const isWhole = line === undefined || (isObject(line) && Object.hasOwn(line, 'results'));
  const head = (line ?? parseLine(readFileSync(path, 'utf8'))) as Head | undefined;
  if (head === undefined) return `${name} is neither a run record (a folder with a run.json of Red Lattice) nor a JSON or JSON Lines report`;
  const refused = findReportFault(head);
  if (refused) return `cannot read ${name}: ${refused}`;
  const { run } = head;
  const info: RunInfo = { ...run, kind: 'red-lattice run record', version: JOURNAL_VERSION };
  return { name, folder: undefined, info, entries: () => convertToEntries(run, isWhole ? listedResults(head.results, path) : readResultLines(path)) };
}

function* readResultLines(path: string): Generator<ResultReport> {
  let number = 0;
  for (const line of readLines(path)) {
    if (++number === 1 || line === '') continue;
    const result = parseLine(line);
    const invalid = result === undefined ? 'invalid JSON on this line' : findResultFault(result);
    if (invalid) refuseReport(invalid, path, number);
    yield result as ResultReport;
  }
}

function* listedResults(results: unknown, path: string): Generator<ResultReport> {
  if (!Array.isArray(results)) return refuseReport('it has no list of results', path, 1);
  for (const [at, result] of results.entries()) {
    const invalid = findResultFault(result);
    if (invalid) refuseReport(`result ${at + 1}: ${invalid}`, path, 1);
    yield result;
  }
}

const refuseReport = (reason: string, file: string, line: number): never =>
  throwProblem({
    code: 'parse-error',
    reason: `${reason}. The report was cut or changed; write it again with red-lattice report.`,
    at: { file, line, column: 1 },
  });

/** The last line can lack a line ending. */
function* readLines(path: string): Generator<string> {
  const lines = new LineReader(path);
  try {
    for (const some of lines.read()) yield* some;
    if (lines.rest !== '') yield lines.rest;
  } finally {
    lines.close();
  }
}

function parseLine(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
