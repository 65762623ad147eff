import { hash } from '../cases/hash.ts';
import type { RowEntry, RowLines } from '../cases/row.ts';
import { parsePattern } from '../checks/pattern.ts';
import { findLocation } from '../problems/source-location.ts';
import type { Group, Plan, PlannedCaseImpl, PlannedTest } from './planned.ts';
import { matchesCondition, type RowCondition } from './row-condition.ts';

/** A file, or one line of it: of a test file or of a data file. */
export interface Target {
  /** The file's URL. A URL that ends in `/` is a folder. */
  readonly url: string;
  readonly line?: number | undefined;
}

/** One of several parts of a plan. Cases with known times are assigned by time, others by a hash of their ids. */
export interface Shard {
  readonly index: number;
  readonly of: number;
  /** The folder of the record with the times. */
  readonly times?: string | undefined;
}

/** Which cases of a plan to run, as plain data. Empty or absent conditions select everything. */
export interface Selection {
  readonly targets?: readonly Target[] | undefined;
  /** Texts or `/patterns/`. The title must contain at least one. */
  readonly titles?: readonly string[] | undefined;
  /** The case must have at least one of these tags. */
  readonly tags?: readonly string[] | undefined;
  /** The case must have none of these tags. */
  readonly notTags?: readonly string[] | undefined;
  readonly ids?: readonly string[] | undefined;
  /** Conditions that the row must meet, all of them. */
  readonly rows?: readonly RowCondition[] | undefined;
  /** One of several parts by a hash of the id, counted from 1. */
  readonly shard?: Shard | undefined;
  /** Also selects cases that run only on request. */
  readonly onRequest?: boolean | undefined;
}

/** Whether a selection includes every case, except those that run only on request. */
export const selectsAll = ({ targets, titles, tags, notTags, ids, rows, shard }: Selection): boolean =>
  ids === undefined && shard === undefined && [targets, titles, tags, notTags, rows].every((part) => part === undefined || part.length === 0);

/** Whether a case is selected, and whether it was requested explicitly, so that it runs even if it runs only on request. */
export interface Selector {
  /** Every case is selected, so that none needs to be examined. */
  readonly all: boolean;
  select(planned: PlannedCaseImpl): boolean;
  isRequested(planned: PlannedCaseImpl): boolean;
  /** The number of cases so far that only belong to another shard. */
  readonly inOtherShards: number;
}

/**
 * Prepares a selection for a plan: lines are resolved once.
 *
 * `shardAssignment` maps ids to shards, for cases whose shard does not follow from the hash.
 */
export function buildSelector(selection: Selection, plan: Plan, shardAssignment?: ReadonlyMap<string, number>, rowLines?: RowLines): Selector {
  const { targets = [], titles = [], tags = [], notTags = [], rows = [], shard } = selection;
  // An empty list of ids selects no case. An absent one selects every case.
  const ids = selection.ids && new Set(selection.ids);
  const places = targets.map((target) => matchesTarget(target, plan, rowLines));
  const titleTests = titles.map(compileTitleTest);
  const isTagged = (planned: PlannedCaseImpl): boolean => planned.tags.some((tag) => tags.includes(tag));
  const conditions: ((planned: PlannedCaseImpl) => boolean)[] = [];
  if (targets.length > 0 && !coversAllFiles(targets, plan)) conditions.push((planned) => places.some((matches) => matches(planned)));
  if (ids) conditions.push(({ id }) => ids.has(id));
  if (tags.length > 0) conditions.push(isTagged);
  if (notTags.length > 0) conditions.push((planned) => !planned.tags.some((tag) => notTags.includes(tag)));
  for (const condition of rows) conditions.push(({ row }) => matchesCondition(row, condition));
  if (titleTests.length > 0) conditions.push(({ title }) => titleTests.some((fits) => fits(title)));
  const isInShard = ({ id }: PlannedCaseImpl): boolean =>
    !shard || (shardAssignment?.get(id) ?? (Number.parseInt(hash(id, 8), 16) % shard.of) + 1) === shard.index;
  let inOtherShards = 0;
  return {
    all: conditions.length === 0 && !shard,
    select(planned) {
      if (!conditions.every((holds) => holds(planned))) return false;
      const isSelected = isInShard(planned);
      if (!isSelected) inOtherShards++;
      return isSelected;
    },
    get inOtherShards() {
      return inOtherShards;
    },
    isRequested: (planned) =>
      selection.onRequest === true ||
      ids?.has(planned.id) === true ||
      isTagged(planned) ||
      places.some((matches, i) => targets[i]?.line !== undefined && matches(planned)),
  };
}

/** Whether the targets are exactly the files of the tests. */
const coversAllFiles = (targets: readonly Target[], plan: Plan): boolean =>
  plan.tests.every(({ base }) => targets.some(({ url, line }) => line === undefined && url === base?.href));

/** A text is searched case-insensitively. Between slashes, it is a regular expression with flags. */
function compileTitleTest(given: string): (title: string) => boolean {
  const pattern = parsePattern(given);
  if (pattern) return (title) => pattern.test(title);
  const text = given.toLowerCase();
  return (title) => title.toLowerCase().includes(text);
}

function matchesTarget({ url, line }: Target, plan: Plan, rowLines: RowLines | undefined): (planned: PlannedCaseImpl) => boolean {
  // The line of a test selects all its rows, even if its first row is on that line.
  if (line !== undefined && rowLines?.has(url, line) && !startsAt(plan, line, url)) return (planned) => isWrittenIn(planned, url, line);
  const tests = new Set(line === undefined ? plan.tests.filter(({ base }) => base?.href === url) : findTestsAt(plan, line, url));
  return (planned) => tests.has(planned.test) || isWrittenIn(planned, url, line);
}

/** Whether a suite or a test starts on a line. */
function startsAt(plan: Plan, line: number, url: string): boolean {
  const begins = (node: Group | PlannedTest): boolean => {
    const place = findLocation(node.kind === 'test' ? node.test.origin : node.origin);
    return (place?.file === url && place.line === line) || (node.kind !== 'test' && node.children.some(begins));
  };
  return plan.files.some(({ children }) => children.some(begins));
}

/** Whether a row that a case is made of is in a file, or on a line of it. Called for every case: it allocates nothing for most. */
const isWrittenIn = ({ entry, test }: PlannedCaseImpl, url: string, line: number | undefined): boolean =>
  isEntryIn(entry, url, line) || (test.parent.entry !== undefined && isEntryIn(test.parent.entry, url, line));

const isEntryIn = (entry: RowEntry, url: string, line: number | undefined): boolean =>
  isPlaceIn(entry, url, line) || entry.others?.some((place) => isPlaceIn(place, url, line)) === true;

/** A row can span several lines. */
const isPlaceIn = ({ location, lines = 1 }: Pick<RowEntry, 'location' | 'lines'>, url: string, line: number | undefined): boolean =>
  location?.file === url && (line === undefined || (location.line <= line && line < location.line + lines));

/** The tests of the last suite or test that starts at or before a line. The line of a suite selects all of its tests. */
function findTestsAt(plan: Plan, line: number, url: string): PlannedTest[] {
  const found: { line: number; tests: PlannedTest[] }[] = [];
  const visit = (node: Group | PlannedTest): PlannedTest[] => {
    const place = findLocation(node.kind === 'test' ? node.test.origin : node.origin);
    const tests = node.kind === 'test' ? [node] : node.children.flatMap(visit);
    if (place && place.file === url && place.line <= line) found.push({ line: place.line, tests });
    return tests;
  };
  for (const file of plan.files) for (const child of file.children) visit(child);
  const nearest = Math.max(...found.map((one) => one.line));
  return found.filter((one) => one.line === nearest).flatMap((one) => one.tests);
}
