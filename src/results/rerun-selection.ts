import type { SourceLocation } from '../problems/source-location.ts';
import type { Selection } from '../suites/selection.ts';
import type { JournalEntry } from './journal/entries.ts';
import type { RecordedResult, TestHeader } from './recorded-result.ts';
import type { RunInfo } from './run-info.ts';
import type { RunState } from './run-state.ts';
import { findUniqueConditions } from './unique-conditions.ts';

/** Selects cases of a run: a test file or a line of it, and options. */
export interface RerunSelection {
  /** The URL of the file, or its path from the root. */
  readonly file: string;
  readonly line?: number;
  /** Each with its value, if it takes one: `['--row', 'loa=12']`. */
  readonly options: readonly (readonly [name: string, value?: string])[];
}

/** The selection of a run, and the cases that did not run. */
interface RunExtent {
  readonly selection?: RunInfo['selection'] | undefined;
  readonly notRun?: RunInfo['notRun'] | undefined;
}

interface KnownTest {
  readonly header: TestHeader;
}

type Row = RecordedResult['row'];
type Options = RerunSelection['options'];

/** The maximum number of compared rows. With more, a case is selected by its id. */
const MAX_ROWS = 5000;
/** The maximum number of options that are repeated from the run. */
const MAX_REPEATED_OPTIONS = 2;

/** Finds the shortest selections of single cases. */
export class RerunSelections {
  readonly #tests: ReadonlyMap<number, KnownTest>;
  readonly #peers: Peers;
  readonly #rowsOf: (test: number) => readonly Row[] | undefined;
  readonly #repeated: Options | undefined;
  readonly #selection: Selection | undefined;

  /** `rowsOf` returns the rows of all recorded cases of a test, or undefined if some are unknown. */
  constructor(tests: ReadonlyMap<number, KnownTest>, rowsOf: (test: number) => readonly Row[] | undefined, extent: RunExtent, peers = new Peers(tests)) {
    this.#tests = tests;
    this.#peers = peers;
    this.#rowsOf = rowsOf;
    this.#repeated = repeatedOptions(extent);
    this.#selection = extent.selection;
  }

  /** Returns undefined if only the id is certain to select one case. */
  find({ test, row }: Pick<RecordedResult, 'test' | 'row'>): RerunSelection | undefined {
    const header = this.#tests.get(test)?.header;
    if (!header) return undefined;
    if (isAlone(header)) return { ...findPlace(header), options: [] };
    if (!this.#repeated) return undefined;
    const conditions = findUniqueConditions(row, this.#allRows(this.#peers.of(header)));
    return conditions && selectRows(header, conditions, this.#repeated);
  }

  /** See `selectCases`. Returns undefined for an unknown test. */
  findCases(test: number, conditions: readonly string[]): RerunSelection | undefined {
    const header = this.#tests.get(test)?.header;
    return header && selectCases(header, conditions, this.#selection);
  }

  /** Returns the rows of several tests, or none if some are unknown. */
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

/**
 * Selects the cases of a test whose rows meet conditions such as `loa=12`, with the options of a run repeated. Other tests of the same line
 * can be selected, too, or of the file if the test has no line of its own.
 */
export const selectCases = (header: TestHeader, conditions: readonly string[], selection: Selection = {}): RerunSelection =>
  selectRows(header, conditions, formatOptions(selection));

function selectRows(header: TestHeader, conditions: readonly string[], repeated: Options): RerunSelection {
  const place = findPlace(header);
  const isNeeded = ([name, value]: Options[number]): boolean =>
    name === '--row' ? !conditions.includes(value as string) : name !== '--on-request' || place.line === undefined;
  return { ...place, options: [...conditions.map((text) => ['--row', text] as const), ...repeated.filter(isNeeded)] };
}

/** The line of a test that selects it, or its file. A line also selects cases that run on request. */
export const findPlace = (header: TestHeader): Pick<RerunSelection, 'file' | 'line'> =>
  hasOwnLine(header) ? { file: header.location.file, line: header.location.line } : { file: header.file };

type Located = TestHeader & { readonly location: SourceLocation; readonly testsOnLine: number };

/** Whether a line of the test file selects a test. None does if its suite is defined in another file. */
const hasOwnLine = (header: TestHeader): header is Located => header.location !== undefined && header.testsOnLine !== undefined;

/** Whether the line of a test selects exactly one case. */
const isAlone = (header: TestHeader): boolean => hasOwnLine(header) && header.testsOnLine === 1 && header.source === undefined;

/** The tests that are selected together with one by its line, or else by its file. */
class Peers {
  readonly #byLine = new Map<string, number[]>();
  readonly #byFile = new Map<string, number[]>();

  constructor(tests: Iterable<readonly [number, KnownTest]>) {
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
 * The options of a run that must be repeated, so that a rerun selects only cases of the run. Undefined if the options cannot express that:
 * then the recorded rows do not show whether a condition is unique.
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

/** Finds the selections of failing cases. Reads the rows of their tests from the record, at most once. */
export function findRerunSelections(
  entries: () => Iterable<JournalEntry>,
  { tests, failures }: Pick<RunState, 'tests' | 'failures'>,
  extent: RunExtent,
): RerunSelections {
  const rows = new Map<number, Row[]>();
  const peers = new Peers(failures.length > 0 ? tests : []);
  if (repeatedOptions(extent)) for (const test of testsToCompare(tests, failures, peers)) rows.set(test, []);
  if (rows.size > 0) for (const entry of entries()) if (entry.type === 'ended') rows.get(entry.result.test)?.push(entry.result.row);
  return new RerunSelections(tests, (test) => rows.get(test), extent, peers);
}

/** The tests whose rows must be compared with those of failing cases, unless there are too many. */
function testsToCompare(tests: RunState['tests'], failures: RunState['failures'], peers: Peers): Set<number> {
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
