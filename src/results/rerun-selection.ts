import type { SourceLocation } from '../problems/source-location.ts';
import { matchesCondition, parseCondition, type RowCondition } from '../suites/row-condition.ts';
import { type Selection, selectsAll } from '../suites/selection.ts';
import type { JournalEntry } from './journal/entries.ts';
import type { RecordedResult, TestHeader } from './recorded-result.ts';
import type { RunInfo } from './run-info.ts';
import type { RunState } from './run-state.ts';

/** What selects one case of a run alone: a line of its test file, and conditions for its row. */
export interface RerunSelection {
  /** The URL of the file. */
  readonly file: string;
  readonly line: number;
  /** As `--row` takes them. */
  readonly rows: readonly string[];
}

interface KnownTest {
  readonly header: TestHeader;
}

type Row = RecordedResult['row'];

/** Rows of a test that are compared. A case among more is named by its id. */
const MAX_ROWS = 5000;
/** Characters: a longer value is no shorter than an id. */
const MAX_VALUE_LENGTH = 40;

/** Finds the shortest selections of single cases. */
export class RerunSelections {
  readonly #tests: ReadonlyMap<number, KnownTest>;
  readonly #byPlace: ReadonlyMap<string, readonly number[]>;
  readonly #rowsOf: (test: number) => readonly Row[] | undefined;

  /** `rowsOf` gives the rows of all cases of a test; undefined where some are not known. */
  constructor(tests: ReadonlyMap<number, KnownTest>, rowsOf: (test: number) => readonly Row[] | undefined) {
    this.#tests = tests;
    this.#byPlace = groupByPlace(tests);
    this.#rowsOf = rowsOf;
  }

  /** Undefined where only its id is sure to select a case alone. */
  find({ test, row }: Pick<RecordedResult, 'test' | 'row'>): RerunSelection | undefined {
    const { location, testsOnLine, source } = this.#tests.get(test)?.header ?? {};
    if (location === undefined || testsOnLine === undefined) return undefined;
    const selection = { file: location.file, line: location.line, rows: [] };
    if (testsOnLine === 1 && source === undefined) return selection;
    const peers = this.#byPlace.get(keyOf(location)) ?? [];
    if (peers.length !== testsOnLine) return undefined;
    const rows: Row[] = [];
    for (const peer of peers) {
      const some = this.#rowsOf(peer);
      if (!some || rows.length + some.length > MAX_ROWS) return undefined;
      rows.push(...some);
    }
    const conditions = rows.length === 1 ? [] : chooseConditions(row, rows);
    return conditions && { ...selection, rows: conditions };
  }
}

const keyOf = ({ file, line }: SourceLocation): string => `${file}:${line}`;

function groupByPlace(tests: ReadonlyMap<number, KnownTest>): Map<string, number[]> {
  const places = new Map<string, number[]>();
  for (const [test, { header }] of tests) {
    if (!header.location) continue;
    const key = keyOf(header.location);
    const known = places.get(key);
    if (known) known.push(test);
    else places.set(key, [test]);
  }
  return places;
}

/** The fewest conditions, one or two, that a row meets and no other; undefined if there are none. */
function chooseConditions(row: Row, rows: readonly Row[]): readonly string[] | undefined {
  const candidates = Object.entries(row)
    .flatMap(([column, value]) => formatRowCondition(column, value) ?? [])
    .filter(({ condition }) => matchesCondition(row, condition))
    .sort((a, b) => a.text.length - b.text.length)
    .map((candidate) => ({ ...candidate, matching: rows.filter((other) => mayMatch(other, candidate.condition)) }));
  const single = candidates.find(({ matching }) => matching.length === 1);
  if (single) return [single.text];
  for (const [i, { text, matching }] of candidates.entries())
    for (const other of candidates.slice(i + 1)) if (matching.filter((found) => mayMatch(found, other.condition)).length === 1) return [text, other.text];
  return undefined;
}

interface WrittenCondition {
  /** As `--row` takes it. */
  readonly text: string;
  readonly condition: RowCondition;
}

/** A value as a condition for its column, if it can be written as one that is read again as it was. */
function formatRowCondition(column: string, value: unknown): WrittenCondition | undefined {
  if (typeof value === 'object' && value !== null) return undefined;
  const text = `${column}=${value}`;
  // Nothing that is not seen, cut or hidden.
  if (value === '' || String(value).length > MAX_VALUE_LENGTH || /[\p{C}…‹]/u.test(text)) return undefined;
  const condition = parseCondition(text);
  return condition?.column === column && condition.operator === '=' && condition.value === String(value) ? { text, condition } : undefined;
}

/** Whether a row may meet a condition. A record has dates as texts; as dates, they also equal the beginning of their text. */
const mayMatch = (row: Row, condition: RowCondition): boolean =>
  matchesCondition(row, condition) || (/^\d{4}-/.test(condition.value) && String(row[condition.column]).startsWith(condition.value));

/** What a run was to run, and what it did not. */
interface RunExtent {
  readonly selection?: RunInfo['selection'] | undefined;
  readonly notRun?: RunInfo['notRun'] | undefined;
}

/** Whether a run had all cases of the tests that it ran: only then do conditions that select one of them select no other. */
export const hasWholeTests = ({ selection, notRun }: RunExtent): boolean =>
  notRun === undefined && selection !== undefined && selectsAll({ ...selection, targets: wholeFiles(selection) });

/** The targets that leave out cases: lines, not files. */
const wholeFiles = ({ targets = [] }: Selection): Selection['targets'] => targets.filter(({ line }) => line !== undefined);

/** The selections of failing cases, with the rows of their tests from the entries of their record, which is gone through at most once. */
export function findRerunSelections(
  entries: () => Iterable<JournalEntry>,
  { tests, failures }: Pick<RunState, 'tests' | 'failures'>,
  info: RunExtent,
): RerunSelections {
  const rows = new Map<number, Row[]>();
  if (hasWholeTests(info)) for (const test of testsToCompare(tests, failures)) rows.set(test, []);
  if (rows.size > 0) for (const entry of entries()) if (entry.type === 'ended') rows.get(entry.result.test)?.push(entry.result.row);
  return new RerunSelections(tests, (test) => rows.get(test));
}

/** The tests whose rows have to be compared with those of failing cases: few enough, and on the same lines. */
function testsToCompare(tests: RunState['tests'], failures: RunState['failures']): number[] {
  const byPlace = groupByPlace(tests);
  const places = new Set(failures.flatMap(({ test }) => tests.get(test)?.header.location ?? []).map(keyOf));
  const casesOf = (test: number): number => Object.values(tests.get(test)?.counts ?? {}).reduce((sum, count) => sum + count, 0);
  return [...places].flatMap((place) => {
    const peers = byPlace.get(place) ?? [];
    if (peers.length === 1 && peers.every((test) => tests.get(test)?.header.source === undefined)) return [];
    const cases = peers.reduce((sum, test) => sum + casesOf(test), 0);
    return cases <= MAX_ROWS ? peers : [];
  });
}
