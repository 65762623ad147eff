import { type Annotations, mergeAnnotations, type RowAnnotations } from '../cases/marks.ts';
import { caseSlug, nameOfValues } from '../cases/names.ts';
import type { Entry } from '../cases/row.ts';
import { filledIn, fillTitle, hasPlaceholders, type Title } from '../cases/title.ts';
import type { Definition, Provider } from '../fixtures/fixture.ts';
import type { Level } from '../fixtures/graph.ts';
import type { Origin, SourceLocation } from '../problems/place.ts';
import type { Problem } from '../problems/problem.ts';
import type { TestImpl } from './suite.ts';

/** What a level hands on to those within: the inner statement wins, bindings and marks add up. */
export interface Inherited {
  readonly levels: readonly Level[];
  readonly annotations: Annotations;
  readonly timeout: number;
  readonly concurrency: number;
  readonly retries: number;
  readonly locks: readonly string[];
  readonly always: readonly Provider<any>[];
  readonly allowEmpty: boolean;
}

/** A file, a suite, one variant of a suite, or a suite for one of its rows. */
export interface Group {
  readonly kind: 'file' | 'suite';
  readonly title: string;
  readonly id: string;
  readonly parent: Group | undefined;
  readonly inherited: Inherited;
  /** The row of the parameterised suites around. */
  readonly entry: Entry | undefined;
  /** The same as it may be told. */
  readonly told: Entry | undefined;
  /** The fixtures that it lists in `always`: those of scope 'suite' belong to it. */
  readonly mentions: ReadonlySet<Definition>;
  /** Stands in the levels of its own bindings. */
  readonly by: object;
  readonly children: readonly (Group | PlannedTest)[];
  readonly origin: Origin | undefined;
}

export interface PlannedTest {
  readonly kind: 'test';
  /** Its place in the plan, from 0: how lanes and journals name it. */
  readonly index: number;
  readonly title: Title;
  readonly id: string;
  readonly parent: Group;
  readonly inherited: Inherited;
  readonly test: TestImpl;
  /** What its source is, for lists; none where the test is one case. */
  readonly source: string | undefined;
  readonly columns: readonly string[];
  /** The file that exports it: what relative data files start from. */
  readonly base: URL | undefined;
}

export interface Plan {
  readonly files: readonly Group[];
  readonly tests: readonly PlannedTest[];
  /** What keeps the plan from running. */
  readonly problems: readonly Problem[];
  /** What is odd and keeps nothing from running. */
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

const noEntry: Entry = { row: {} };

/** The one implementation of `PlannedCase`: names are made when somebody asks. */
export class PlannedCaseImpl implements PlannedCase {
  readonly test: PlannedTest;
  /** The number of its row among those of its test, from 0. */
  readonly ordinal: number;
  readonly entry: Entry;
  /** Which of several cases with the same name it is, from 1. */
  readonly twin: number;
  /** The entry as it may be told: some values are in no name and no record. */
  readonly told: Entry;
  #id: string | undefined;

  constructor(test: PlannedTest, ordinal: number, entry: Entry | undefined, twin: number, told = entry) {
    this.test = test;
    this.ordinal = ordinal;
    this.entry = entry ?? noEntry;
    this.twin = twin;
    this.told = told ?? noEntry;
  }

  get row(): Readonly<Record<string, unknown>> {
    const outer = this.test.parent.entry;
    return (outer ? { ...outer.row, ...this.entry.row } : this.entry.row) as Record<string, unknown>;
  }

  /** The row as it may be told. */
  get toldRow(): Readonly<Record<string, unknown>> {
    const outer = this.test.parent.told;
    return (outer ? { ...outer.row, ...this.told.row } : this.told.row) as Record<string, unknown>;
  }

  /** The row's own name or its values; empty for the one case of a test without rows. */
  get name(): string {
    return this.told.name ?? nameOfValues(this.told.row);
  }

  get id(): string {
    this.#id ??= this.#makeId();
    return this.#id;
  }

  #makeId(): string {
    const { test } = this;
    return idOf(test.id, idPart(test, this.told), this.twin);
  }

  get path(): readonly string[] {
    return [...titlesOf(this.test.parent), this.test.title.template];
  }

  get title(): string {
    const { entry, test, toldRow } = this;
    const own = entry.name ?? (hasPlaceholders(test.title) ? '' : this.name);
    return titleOf([...titlesOf(test.parent), fillTitle(test.title, toldRow)], filledIn(test.title, toldRow).includes(own) ? '' : own);
  }

  get marks(): RowAnnotations {
    const { annotations: marks } = this.test.inherited;
    return this.entry.annotations ? mergeAnnotations(marks, this.entry.annotations) : marks;
  }

  get tags(): readonly string[] {
    return this.marks.tags ?? [];
  }

  get location(): SourceLocation | undefined {
    return this.entry.location ?? this.test.parent.entry?.location;
  }
}

/** An id: the test's own, what tells the case from its siblings, and which of several equal ones it is. */
export const idOf = (test: string, own: string | undefined, twin: number): string =>
  `${test}${own === undefined ? '' : `/${own}`}${twin > 1 ? `~${twin}` : ''}`;

/** The title of a case: the path of titles, followed by its own name if the path does not contain it. */
export const titleOf = (path: readonly string[], own: string): string => (own ? [...path, own] : path).join(' › ');

/** The part of an id that tells the cases of a test apart, if it has several. */
function idPart(test: PlannedTest, told: Entry): string | undefined {
  if (!test.parent.told && test.source === undefined) return undefined;
  const { row, name } = tellingApart(test, told);
  return caseSlug(row, name);
}

/** What tells a case from the others of its test: its row, with those of the suites around, and the names of these. */
export function tellingApart({ parent: { told: outer } }: PlannedTest, told: Entry): Pick<Entry, 'row' | 'name'> {
  if (!outer) return told;
  const isNamed = outer.name !== undefined || told.name !== undefined;
  const names = [outer.name ?? nameOfValues(outer.row), told.name ?? nameOfValues(told.row)];
  return { row: { ...outer.row, ...told.row }, name: isNamed ? names.filter(Boolean).join(', ') : undefined };
}

export function titlesOf(group: Group): string[] {
  const titles: string[] = [];
  for (let at: Group | undefined = group; at && at.kind !== 'file'; at = at.parent) titles.unshift(at.title);
  return titles;
}

/** The file that a group or a test stands in. */
export function fileOf(node: Group | PlannedTest): Group {
  let group = node.kind === 'test' ? node.parent : node;
  while (group.parent) group = group.parent;
  return group;
}
