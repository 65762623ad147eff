import type { Distinct } from '../cases/identity.ts';
import { layMarks, type Marks } from '../cases/marks.ts';
import { slug } from '../cases/names.ts';
import type { Entry, Expansion, Surroundings } from '../cases/row.ts';
import { Cases, type Facts } from '../cases/source.ts';
import { Twins } from '../cases/twins.ts';
import { BindingOf, type Source } from '../fixtures/fixture.ts';
import type { Level } from '../fixtures/graph.ts';
import { type Problem, ProblemError } from '../problems/problem.ts';
import { withoutHidden } from './hidden.ts';
import { CaseOf, type PlannedTest, tellingApart } from './planned.ts';

/** Bindings with their owner; what is no binding is refused. */
export function levelsOf(bindings: readonly unknown[], owner: string, by: object | undefined): Level[] {
  return bindings.map((binding) => {
    if (!(binding instanceof BindingOf)) throw new ProblemError([{ code: 'not-a', wanted: 'binding', got: String(binding), owner: `bind of ${owner}` }]);
    return { binding, owner, by };
  });
}

/** The tags that are not among those in use. */
export const strangeTags = (tags: readonly string[] | undefined, known: ReadonlySet<string> | undefined, owner: string): Problem[] =>
  known && tags ? tags.filter((tag) => !known.has(tag)).map((name) => ({ code: 'no-such-name', kind: 'tag', name, owner, known: [...known] })) : [];

/** All that a test's cases get: what it names, and what its suites give to everyone. */
export function needsOf({ test, inherited }: PlannedTest): Record<string, Source<any>> {
  const always = inherited.always.map((source, i): [string, Source<any>] => [`always ${i}`, source]);
  return { ...Object.fromEntries(always), ...test.options.needs };
}

/** The cases of a test in chunks, as its rows stream in. A source that breaks off throws what it threw. */
export async function* casesOf(test: PlannedTest, surroundings: Surroundings): AsyncGenerator<readonly CaseOf[]> {
  const { cases } = test.test.options;
  if (!cases) {
    yield [new CaseOf(test, 0, undefined, 1)];
    return;
  }
  const { hides } = surroundings;
  const checked = (entry: Entry): Entry => {
    const problems = entry.marks && strangeTags(entry.marks.tags, surroundings.tags, 'a row');
    return problems?.length ? { ...entry, problems: [...(entry.problems ?? []), ...problems.map((problem) => ({ ...problem, at: entry.place }))] } : entry;
  };
  const parts = Cases.partsOf(cases);
  const expansion = expansionOf(test, surroundings);
  const tell = (chunk: readonly Entry[]): readonly Entry[] => (hides ? chunk.map((entry) => withoutHidden(entry, hides)) : chunk);
  const apart = (told: readonly Entry[]): readonly Distinct[] => (test.parent.told ? told.map((entry) => tellingApart(test, entry)) : told);
  async function* again(): AsyncGenerator<readonly Distinct[]> {
    for await (const chunk of parts.open({ ...expansion, remark: undefined })) yield apart(tell(chunk));
  }
  const twins = new Twins(parts.isSteady ? again : undefined);
  let ordinal = 0;
  for await (const chunk of parts.open(expansion)) {
    const told = tell(chunk);
    const numbers = await twins.of(apart(told));
    yield chunk.map((entry, i) => new CaseOf(test, ordinal++, checked(entry), numbers ? (numbers[i] as number) : 1, told[i]));
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
    marks: outer.marks && inner.marks ? layMarks<Marks>(outer.marks, inner.marks) : (inner.marks ?? outer.marks),
  };
}
