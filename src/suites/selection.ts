import { hash } from '../cases/hash.ts';
import type { RowLines } from '../cases/row.ts';
import { parsePattern } from '../checks/pattern.ts';
import { findLocation } from '../problems/source-location.ts';
import type { Group, Plan, PlannedCaseImpl, PlannedTest } from './planned.ts';
import { matchesCondition, type RowCondition } from './row-condition.ts';

/** A file, or one line of it: of a test file or of a data file. */
export interface Target {
  /** The file's URL; one that ends in `/` is a folder. */
  readonly url: string;
  readonly line?: number | undefined;
}

/** One of several parts of a plan. Where times are known, cases are dealt by them; the others by a hash of their ids. */
export interface Shard {
  readonly index: number;
  readonly of: number;
  /** The folder of the record with the times. */
  readonly times?: string | undefined;
}

/** Which cases of a plan are wanted, as plain data. What is empty or absent wants all. */
export interface Selection {
  readonly targets?: readonly Target[] | undefined;
  /** Texts or `/patterns/`, of which the title contains at least one. */
  readonly titles?: readonly string[] | undefined;
  /** Any of these tags. */
  readonly tags?: readonly string[] | undefined;
  /** None of these. */
  readonly notTags?: readonly string[] | undefined;
  readonly ids?: readonly string[] | undefined;
  /** What the row must meet: all of these. */
  readonly rows?: readonly RowCondition[] | undefined;
  /** One of several parts by a hash of the id, counted from 1. */
  readonly shard?: Shard | undefined;
  /** Those that run on request only, too. */
  readonly onRequest?: boolean | undefined;
}

/** Whether a selection includes every case that does not run on request only. */
export const selectsAll = ({ targets, titles, tags, notTags, ids, rows, shard }: Selection): boolean =>
  ids === undefined && shard === undefined && [targets, titles, tags, notTags, rows].every((part) => part === undefined || part.length === 0);

/** Whether a case is wanted, and whether it was asked for so clearly that it runs although it is held. */
export interface Selector {
  /** Every case is wanted: none needs to be looked at. */
  readonly all: boolean;
  select(planned: PlannedCaseImpl): boolean;
  isRequested(planned: PlannedCaseImpl): boolean;
}

/**
 * Makes a selection ready for a plan: what stands on a line is looked up once.
 *
 * `dealt` says in which shard a case is, by its id, where that does not follow from its hash.
 */
export function buildSelector(selection: Selection, plan: Plan, shardAssignment?: ReadonlyMap<string, number>, rowLines?: RowLines): Selector {
  const { targets = [], titles = [], tags = [], notTags = [], rows = [], shard } = selection;
  // An empty list of ids asks for none of them; none at all, for any.
  const ids = selection.ids && new Set(selection.ids);
  const places = targets.map((target) => matchesTarget(target, plan, rowLines));
  const titleTests = titles.map(titleTest);
  const isTagged = (planned: PlannedCaseImpl): boolean => planned.tags.some((tag) => tags.includes(tag));
  const conditions: ((planned: PlannedCaseImpl) => boolean)[] = [];
  if (targets.length > 0 && !coversAllFiles(targets, plan)) conditions.push((planned) => places.some((stands) => stands(planned)));
  if (ids) conditions.push(({ id }) => ids.has(id));
  if (shard) conditions.push(({ id }) => (shardAssignment?.get(id) ?? (Number.parseInt(hash(id, 8), 16) % shard.of) + 1) === shard.index);
  if (tags.length > 0) conditions.push(isTagged);
  if (notTags.length > 0) conditions.push((planned) => !planned.tags.some((tag) => notTags.includes(tag)));
  for (const condition of rows) conditions.push(({ row }) => matchesCondition(row, condition));
  if (titleTests.length > 0) conditions.push(({ title }) => titleTests.some((fits) => fits(title)));
  return {
    all: conditions.length === 0,
    select: (planned) => conditions.every((holds) => holds(planned)),
    isRequested: (planned) =>
      selection.onRequest === true ||
      ids?.has(planned.id) === true ||
      isTagged(planned) ||
      places.some((stands, i) => targets[i]?.line !== undefined && stands(planned)),
  };
}

/** Whether targets are the very files whose tests there are. */
const coversAllFiles = (targets: readonly Target[], plan: Plan): boolean =>
  plan.tests.every(({ base }) => targets.some(({ url, line }) => line === undefined && url === base?.href));

/** A text is looked for as it is, in upper or lower case; between slashes it is a regular expression with its flags. */
function titleTest(wanted: string): (title: string) => boolean {
  const pattern = parsePattern(wanted);
  if (pattern) return (title) => pattern.test(title);
  const text = wanted.toLowerCase();
  return (title) => title.toLowerCase().includes(text);
}

function matchesTarget({ url, line }: Target, plan: Plan, rowLines: RowLines | undefined): (planned: PlannedCaseImpl) => boolean {
  // The line of a test stands for all its rows, also if the first of them is on it.
  if (line !== undefined && rowLines?.has(url, line) && !startsAt(plan, line, url)) return (planned) => isWrittenAt(planned, url, line);
  const tests = new Set(line === undefined ? plan.tests.filter(({ base }) => base?.href === url) : findTestsAt(plan, line, url));
  return (planned) => tests.has(planned.test) || inData(planned, url, line);
}

/** Whether a suite or a test begins on a line. */
function startsAt(plan: Plan, line: number, url: string): boolean {
  const begins = (node: Group | PlannedTest): boolean => {
    const place = findLocation(node.kind === 'test' ? node.test.origin : node.origin);
    return (place?.file === url && place.line === line) || (node.kind !== 'test' && node.children.some(begins));
  };
  return plan.files.some(({ children }) => children.some(begins));
}

/** Whether one of the rows that a case is made of is written on a line. */
function isWrittenAt({ entry, test }: PlannedCaseImpl, url: string, line: number): boolean {
  const { location, lines = 1, others = [] } = entry;
  const outer = test.parent.entry;
  const places = [...(location ? [{ location, lines }] : []), ...others, ...(outer?.location ? [{ location: outer.location, lines: outer.lines ?? 1 }] : [])];
  return places.some((place) => place.location.file === url && place.location.line <= line && line < place.location.line + place.lines);
}

/** The row of a data file that stands on the line: a record may go over several. */
function inData(planned: PlannedCaseImpl, url: string, line: number | undefined): boolean {
  const { location, lines = 1 } = planned.entry;
  return location !== undefined && location.file === url && (line === undefined || (location.line <= line && line < location.line + lines));
}

/** The tests of what begins last at or before a line: a suite's line stands for all that is in it. */
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
