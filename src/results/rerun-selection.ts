import type { SourceLocation } from '../problems/source-location.ts';
import type { Selection } from '../suites/selection.ts';
import type { JournalEntry } from './journal/entries.ts';
import type { RecordedResult, TestHeader } from './recorded-result.ts';
import type { RunInfo } from './run-info.ts';
import type { RunState } from './run-state.ts';
import { findUniqueConditions } from './unique-conditions.ts';

/** What selects one case of a run alone: its test file, or a line of it, and options. */
export interface RerunSelection {
  /** The URL of the file, or its path from the root. */
  readonly file: string;
  readonly line?: number;
  /** Each with its value, if it takes one: `['--row', 'loa=12']`. */
  readonly options: readonly (readonly [name: string, value?: string])[];
}

/** What a run was to run, and what it did not. */
interface RunExtent {
  readonly selection?: RunInfo['selection'] | undefined;
  readonly notRun?: RunInfo['notRun'] | undefined;
}

interface KnownTest {
  readonly header: TestHeader;
}

type Row = RecordedResult['row'];
type Options = RerunSelection['options'];

/** Rows that are compared. A case among more is named by its id. */
const MAX_ROWS = 5000;
/** Options of the run that are repeated. */
const MAX_REPEATED_OPTIONS = 2;

/** Finds the shortest selections of single cases. */
export class RerunSelections {
  readonly #tests: ReadonlyMap<number, KnownTest>;
  readonly #peers: Peers;
  readonly #rowsOf: (test: number) => readonly Row[] | undefined;
  readonly #repeated: Options | undefined;

  /** `rowsOf` gives the rows of all cases of a test that ran; undefined where some are not known. */
  constructor(tests: ReadonlyMap<number, KnownTest>, rowsOf: (test: number) => readonly Row[] | undefined, extent: RunExtent) {
    this.#tests = tests;
    this.#peers = new Peers(tests);
    this.#rowsOf = rowsOf;
    this.#repeated = repeatedOptions(extent);
  }

  /** Undefined where only its id is sure to select a case alone. */
  find({ test, row }: Pick<RecordedResult, 'test' | 'row'>): RerunSelection | undefined {
    const header = this.#tests.get(test)?.header;
    if (!header) return undefined;
    const place = hasOwnLine(header) ? { file: header.location.file, line: header.location.line } : { file: header.file };
    if (isAlone(header)) return { ...place, options: [] };
    if (!this.#repeated) return undefined;
    const conditions = findUniqueConditions(row, this.#allRows(this.#peers.of(header)));
    // A line asks for cases on request by itself.
    const repeated = this.#repeated.filter(([name]) => !('line' in place) || name !== '--on-request');
    return conditions && { ...place, options: [...conditions.map((text) => ['--row', text] as const), ...repeated] };
  }

  /** The rows of several tests; none where some are not known. */
  #allRows(tests: readonly number[]): readonly Row[] {
    const all: Row[] = [];
    for (const test of tests) {
      const rows = this.#rowsOf(test);
      if (!rows || all.length + rows.length > MAX_ROWS) return [];
      all.push(...rows);
    }
    return all;
  }
}

type Located = TestHeader & { readonly location: SourceLocation; readonly testsOnLine: number };

/** Whether a line of its test file stands for a test. None does where its suite is written in another file. */
const hasOwnLine = (header: TestHeader): header is Located => header.location !== undefined && header.testsOnLine !== undefined;

/** Whether the line of a test selects one case. */
const isAlone = (header: TestHeader): boolean => hasOwnLine(header) && header.testsOnLine === 1 && header.source === undefined;

/** The tests that are selected together with one by its line, or else by its file. */
class Peers {
  readonly #byLine = new Map<string, number[]>();
  readonly #byFile = new Map<string, number[]>();

  constructor(tests: ReadonlyMap<number, KnownTest>) {
    for (const [test, { header }] of tests) {
      if (header.location) addTo(this.#byLine, lineKey(header.location), test);
      addTo(this.#byFile, header.file, test);
    }
  }

  of(header: TestHeader): readonly number[] {
    return (hasOwnLine(header) ? this.#byLine.get(lineKey(header.location)) : this.#byFile.get(header.file)) ?? [];
  }
}

const lineKey = ({ file, line }: SourceLocation): string => `${file}:${line}`;

function addTo(groups: Map<string, number[]>, key: string, test: number): void {
  const group = groups.get(key);
  if (group) group.push(test);
  else groups.set(key, [test]);
}

/**
 * The options of a run that have to be repeated, so that what else is selected is among what ran. Undefined where that cannot be: rows
 * that ran then say nothing of rows that will.
 */
function repeatedOptions({ selection, notRun }: RunExtent): Options | undefined {
  if (!selection || notRun !== undefined || selection.ids !== undefined || selection.shard !== undefined) return undefined;
  if (selection.targets?.some(({ line }) => line !== undefined)) return undefined;
  const options = formatOptions(selection);
  return options.length <= MAX_REPEATED_OPTIONS ? options : undefined;
}

function formatOptions({ titles = [], tags = [], notTags = [], rows = [], onRequest }: Selection): Options {
  return [
    ...titles.map((title) => ['--title', title] as const),
    ...tags.map((tag) => ['--tag', tag] as const),
    ...notTags.map((tag) => ['--not-tag', tag] as const),
    ...rows.map(({ column, operator, value }) => ['--row', `${column}${operator}${value}`] as const),
    ...(onRequest ? [['--on-request'] as const] : []),
  ];
}

/** The selections of failing cases, with the rows of their tests from the entries of their record, which is gone through at most once. */
export function findRerunSelections(
  entries: () => Iterable<JournalEntry>,
  { tests, failures }: Pick<RunState, 'tests' | 'failures'>,
  extent: RunExtent,
): RerunSelections {
  const rows = new Map<number, Row[]>();
  if (repeatedOptions(extent)) for (const test of testsToCompare(tests, failures)) rows.set(test, []);
  if (rows.size > 0) for (const entry of entries()) if (entry.type === 'ended') rows.get(entry.result.test)?.push(entry.result.row);
  return new RerunSelections(tests, (test) => rows.get(test), extent);
}

/** The tests whose rows have to be compared with those of failing cases, if they are few enough. */
function testsToCompare(tests: RunState['tests'], failures: RunState['failures']): Set<number> {
  const peers = new Peers(tests);
  const casesOf = (test: number): number => Object.values(tests.get(test)?.counts ?? {}).reduce((sum, count) => sum + count, 0);
  const compared = new Set<number>();
  for (const test of new Set(failures.map((failure) => failure.test))) {
    const header = tests.get(test)?.header;
    if (!header || isAlone(header) || compared.has(test)) continue;
    const group = peers.of(header);
    if (group.reduce((sum, peer) => sum + casesOf(peer), 0) <= MAX_ROWS) for (const peer of group) compared.add(peer);
  }
  return compared;
}
