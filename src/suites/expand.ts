import type { Distinct } from '../cases/identity.ts';
import { type Annotations, mergeAnnotations } from '../cases/marks.ts';
import { slug } from '../cases/names.ts';
import type { Entry, Expansion, Surroundings } from '../cases/row.ts';
import { isInShare, type Share } from '../cases/share.ts';
import { Cases, type Facts, type SharedChunks } from '../cases/source.ts';
import { Twins } from '../cases/twins.ts';
import { canonical, shortValue } from '../cases/values.ts';
import { OverrideImpl } from '../fixtures/fixture.ts';
import type { Level } from '../fixtures/graph.ts';
import { describeThrown } from '../problems/instance-of.ts';
import type { Problem } from '../problems/problem.ts';
import { ProblemError } from '../problems/problem-error.ts';
import { boundSecrets, type Hides, withoutHidden } from './hidden.ts';
import { PlannedCaseImpl, type PlannedTest, tellingApart } from './planned.ts';
import type { TestOptions } from './suite.ts';

/** Bindings with their owner; what is no binding is refused. */
export function levelsOf(bindings: readonly unknown[], owner: string, by: object | undefined): Level[] {
  return bindings.map((binding) => {
    if (!(binding instanceof OverrideImpl))
      throw new ProblemError([{ code: 'invalid-type', expected: 'override', got: String(binding), owner: `overrides of ${owner}` }]);
    return { binding, owner, by };
  });
}

/** The tags that are not among those in use. */
export const strangeTags = (tags: readonly string[] | undefined, known: ReadonlySet<string> | undefined, owner: string): Problem[] =>
  known && tags ? tags.filter((tag) => !known.has(tag)).map((name) => ({ code: 'unknown-tag', name, owner, known: [...known] })) : [];

/** All cases of a test in chunks, as its rows stream in. A source that breaks off throws what it threw. */
export async function* casesOf(test: PlannedTest, surroundings: Surroundings): AsyncGenerator<readonly PlannedCaseImpl[]> {
  for await (const { cases } of chunksOf(test, surroundings)) yield cases;
}

/** Some of a test's cases. */
export interface Chunk {
  readonly cases: readonly PlannedCaseImpl[];
  /** How many rows have been read when these are over, those of others among them. */
  readonly rows: number;
}

/** The cases of a test in chunks, as its rows stream in: all, or those of one share. A source that breaks off throws what it threw. */
export async function* chunksOf(test: PlannedTest, surroundings: Surroundings, share?: Share): AsyncGenerator<Chunk> {
  const { cases, overrides: bind } = test.test.options;
  if (!cases) {
    yield { cases: [new PlannedCaseImpl(test, 0, undefined, 1)], rows: 1 };
    return;
  }
  const { hides } = surroundings;
  const checked = (entry: Entry): Entry => {
    const problems = entry.annotations && strangeTags(entry.annotations.tags, surroundings.tags, 'a row');
    return problems?.length ? { ...entry, problems: [...(entry.problems ?? []), ...problems.map((problem) => ({ ...problem, at: entry.location }))] } : entry;
  };
  const parts = Cases.partsOf(cases);
  const expansion = expansionOf(test, surroundings);
  // Rows that differ may be equal as they are told: then a source cannot know which belong together.
  const openShare = (): Promise<SharedChunks | undefined> | undefined => (share && !hides ? parts.openShare?.(expansion, share) : undefined);
  const redactEntry = (entry: Entry): Entry => (hides ? withoutHidden(entry, hides, secretsOf(bind, entry, hides)) : entry);
  const apart = (told: readonly Entry[]): readonly Distinct[] => (test.parent.told ? told.map((entry) => tellingApart(test, entry)) : told);
  const shared = await openShare();
  async function* again(): AsyncGenerator<readonly Distinct[]> {
    const sharedAnew = await openShare();
    if (sharedAnew) for await (const { entries } of sharedAnew) yield apart(entries);
    else for await (const entries of parts.open({ ...expansion, remark: undefined })) yield apart(hides ? entries.map(redactEntry) : entries);
  }
  const twins = new Twins(parts.isSteady ? again : undefined);
  if (shared) {
    for await (const { entries, ordinals, rows } of shared) {
      const numbers = await twins.of(apart(entries));
      yield {
        cases: entries.map((entry, i) => new PlannedCaseImpl(test, ordinals[i] as number, checked(entry), numbers ? (numbers[i] as number) : 1, entry)),
        rows,
      };
    }
    return;
  }
  let rows = 0;
  for await (const opened of parts.open(expansion)) {
    let entries = opened;
    let told = hides ? entries.map(redactEntry) : entries;
    let numbers: readonly number[] | undefined;
    try {
      numbers = await twins.of(apart(told));
    } catch {
      // A row of code can have a getter that throws: it costs its own case.
      entries = opened.map(readable);
      told = hides ? entries.map(redactEntry) : entries;
      numbers = await twins.of(apart(told));
    }
    const own: PlannedCaseImpl[] = [];
    for (let i = 0; i < entries.length; i++, rows++) {
      if (!share || isInShare(rows, share))
        own.push(new PlannedCaseImpl(test, rows, checked(entries[i] as Entry), numbers ? (numbers[i] as number) : 1, told[i]));
    }
    yield { cases: own, rows };
  }
}

/** The entry itself if all its values can be read. Otherwise an entry with the values that can, and a problem. */
function readable(entry: Entry): Entry {
  const row: Record<string, unknown> = {};
  const problems: Problem[] = [];
  for (const column in entry.row) {
    try {
      const value = (entry.row as Record<string, unknown>)[column];
      // A value whose name cannot be made cannot be recorded either.
      shortValue(value);
      canonical(value);
      row[column] = value;
    } catch (error) {
      problems.push({ code: 'unreadable-value', column, reason: describeThrown(error), at: entry.location });
    }
  }
  return problems.length === 0 ? entry : { ...entry, row, problems: [...(entry.problems ?? []), ...problems] };
}

/** What a row binds hidden settings to. A `bind` that throws is told when its case runs. */
function secretsOf(bind: TestOptions<any, any>['overrides'], { row, problems }: Entry, hides: Hides): readonly unknown[] {
  if (typeof bind !== 'function' || problems) return [];
  try {
    return boundSecrets(bind(row) ?? [], hides);
  } catch {
    return [];
  }
}

const expansionOf = (test: PlannedTest, surroundings: Surroundings): Expansion => ({ ...surroundings, base: test.base, slug: slug(test.test.title) });

/** What a test's source says of its rows as a whole. */
export async function factsOfSource(test: PlannedTest, surroundings: Surroundings): Promise<readonly Facts[]> {
  const { cases } = test.test.options;
  const facts = cases ? (Cases.partsOf(cases).facts ?? []) : [];
  return Promise.all(facts.map((make) => make(expansionOf(test, surroundings))));
}

/** A row of a suite with that of the suite around it. */
export function joinEntries(outer: Entry | undefined, inner: Entry): Entry {
  if (!outer) return inner;
  return {
    ...inner,
    row: { ...outer.row, ...inner.row },
    name: outer.name && inner.name ? `${outer.name}, ${inner.name}` : (inner.name ?? outer.name),
    annotations:
      outer.annotations && inner.annotations ? mergeAnnotations<Annotations>(outer.annotations, inner.annotations) : (inner.annotations ?? outer.annotations),
  };
}
