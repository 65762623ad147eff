import { type Annotations, mergeAnnotations, type RowAnnotations } from '../cases/annotations.ts';
import { formatCaseId, formatCaseSlug, formatValuesName } from '../cases/ids.ts';
import { joinNames } from '../cases/merge-entries.ts';
import type { FileSource, RowEntry } from '../cases/row.ts';
import { fillIn, hasPlaceholders, renderTitle, type Title } from '../cases/title.ts';
import type { Definition, Provider } from '../fixtures/fixture.ts';
import type { OverrideLayer } from '../fixtures/graph.ts';
import type { Problem } from '../problems/problem.ts';
import type { CapturedStack, SourceLocation } from '../problems/source-location.ts';
import type { TestImpl } from './suite.ts';

/** What a group passes on to its contents: inner values win, overrides and annotations add up. */
export interface Inherited {
  readonly overrideLayers: readonly OverrideLayer[];
  readonly annotations: Annotations;
  readonly timeout: number;
  readonly concurrency: number;
  readonly retries: number;
  readonly locks: readonly string[];
  readonly always: readonly Provider<any>[];
  readonly allowEmpty: boolean;
  /** Functions that change texts before they are compared with files. */
  readonly normalizers: readonly ((text: string) => string)[];
}

/** What a file inherits from the defaults of the run. */
export const inheritedFrom = ({
  timeout,
  concurrency,
  retries = 0,
}: {
  readonly timeout: number;
  readonly concurrency: number;
  readonly retries?: number | undefined;
}): Inherited => ({
  overrideLayers: [],
  annotations: {},
  timeout,
  concurrency,
  retries,
  locks: [],
  always: [],
  allowEmpty: false,
  normalizers: [],
});

/** A file, a suite, one variant of a suite, or a suite for one of its rows. */
export interface Group {
  readonly kind: 'file' | 'suite';
  readonly title: string;
  readonly id: string;
  readonly parent: Group | undefined;
  readonly inherited: Inherited;
  /** The merged row of the parameterized suites around it. */
  readonly entry: RowEntry | undefined;
  /** The same with hidden values redacted. */
  readonly redactedEntry: RowEntry | undefined;
  /** The fixtures that it lists in `always`. Those of scope 'suite' belong to it. */
  readonly ownedDefinitions: ReadonlySet<Definition>;
  /** Identifies the layers of its own overrides. */
  readonly ownerKey: object;
  readonly children: readonly (Group | PlannedTest)[];
  readonly origin: CapturedStack | undefined;
}

export interface PlannedTest {
  readonly kind: 'test';
  /** Its number in the plan, from 0. Lanes and journals use it to identify the test. */
  readonly index: number;
  readonly title: Title;
  readonly id: string;
  readonly parent: Group;
  readonly inherited: Inherited;
  readonly test: TestImpl;
  /** A description of its source, for lists. Undefined if the test is one case. */
  readonly source: string | undefined;
  readonly columns: readonly string[];
  /** The file that exports it. Relative data files start from it. */
  readonly base: URL | undefined;
  /** How files are read. */
  readonly files: FileSource | undefined;
}

export interface Plan {
  readonly files: readonly Group[];
  readonly tests: readonly PlannedTest[];
  /** Problems that prevent the run. */
  readonly problems: readonly Problem[];
  /** Problems that do not prevent the run. */
  readonly warnings: readonly Problem[];
}

/** A case before it runs. */
export interface PlannedCase {
  /** `<file>#<suite>/<test>/<case>`: stable when other rows, files and tests change. */
  readonly id: string;
  /** The titles of its suites, filled in, and of its test, with placeholders. */
  readonly path: readonly string[];
  /** The full title, on one line. */
  readonly title: string;
  readonly row: Readonly<Record<string, unknown>>;
  readonly tags: readonly string[];
}

const noEntry: RowEntry = { row: {} };

/** Implements `PlannedCase`. Names are created on demand. */
export class PlannedCaseImpl implements PlannedCase {
  readonly test: PlannedTest;
  /** The number of its row in the test, from 0. */
  readonly ordinal: number;
  readonly entry: RowEntry;
  /** The number of the case among those with the same name, from 1. */
  readonly duplicateIndex: number;
  /** The entry with hidden values redacted, for names and records. */
  readonly redactedEntry: RowEntry;
  #id: string | undefined;

  constructor(test: PlannedTest, ordinal: number, entry: RowEntry | undefined, duplicateIndex: number, redactedEntry = entry) {
    this.test = test;
    this.ordinal = ordinal;
    this.entry = entry ?? noEntry;
    this.duplicateIndex = duplicateIndex;
    this.redactedEntry = redactedEntry ?? noEntry;
  }

  get row(): Readonly<Record<string, unknown>> {
    const outer = this.test.parent.entry;
    return (outer ? { ...outer.row, ...this.entry.row } : this.entry.row) as Record<string, unknown>;
  }

  /** The row with hidden values redacted. */
  get redactedRow(): Readonly<Record<string, unknown>> {
    const outer = this.test.parent.redactedEntry;
    return (outer ? { ...outer.row, ...this.redactedEntry.row } : this.redactedEntry.row) as Record<string, unknown>;
  }

  /** The row's own name or its values. Empty for the only case of a test without rows. */
  get name(): string {
    return this.redactedEntry.name ?? formatValuesName(this.redactedEntry.row);
  }

  get id(): string {
    this.#id ??= this.#makeId();
    return this.#id;
  }

  #makeId(): string {
    const { test } = this;
    return formatCaseId(test.id, formatIdPart(test, this.redactedEntry), this.duplicateIndex);
  }

  get path(): readonly string[] {
    return [...listTitles(this.test.parent), this.test.title.template];
  }

  get title(): string {
    const { entry, test, redactedRow } = this;
    const own = entry.name ?? (hasPlaceholders(test.title) ? '' : this.name);
    return formatCaseTitle([...listTitles(test.parent), renderTitle(test.title, redactedRow)], fillIn(test.title, redactedRow).includes(own) ? '' : own);
  }

  get marks(): RowAnnotations {
    const { annotations } = this.test.inherited;
    return this.entry.annotations ? mergeAnnotations(annotations, this.entry.annotations) : annotations;
  }

  get tags(): readonly string[] {
    return this.marks.tags ?? [];
  }

  get location(): SourceLocation | undefined {
    return this.entry.location ?? this.test.parent.entry?.location;
  }
}

/** The title of a case: the path of titles, followed by its own name if the path does not contain it. */
export const formatCaseTitle = (path: readonly string[], own: string): string => (own ? [...path, own] : path).join(' › ');

/** The part of an id that distinguishes the cases of a test. Undefined if the test can have only one. */
function formatIdPart(test: PlannedTest, redactedEntry: RowEntry): string | undefined {
  if (!test.parent.redactedEntry && test.source === undefined) return undefined;
  const { row, name } = formatIdentity(test, redactedEntry);
  return formatCaseSlug(row, name);
}

/** What distinguishes a case from the others of its test: its row, the rows of the surrounding suites, and their names. */
export const formatIdentity = ({ parent: { redactedEntry: outer } }: PlannedTest, redactedEntry: RowEntry): Pick<RowEntry, 'row' | 'name'> =>
  outer ? { row: { ...outer.row, ...redactedEntry.row }, name: joinNames(outer, redactedEntry) } : redactedEntry;

export function listTitles(group: Group): string[] {
  const titles: string[] = [];
  for (let at: Group | undefined = group; at && at.kind !== 'file'; at = at.parent) titles.unshift(at.title);
  return titles;
}

/** The tests in a group, or the test itself. */
export const listTests = (node: Group | PlannedTest): PlannedTest[] => (node.kind === 'test' ? [node] : node.children.flatMap(listTests));

/** The file of a group or a test. */
export function findFile(node: Group | PlannedTest): Group {
  let group = node.kind === 'test' ? node.parent : node;
  while (group.parent) group = group.parent;
  return group;
}
