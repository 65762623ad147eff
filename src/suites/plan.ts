import { type Annotations, findInvalidDate, mergeAnnotations } from '../cases/marks.ts';
import { caseSlug, slug } from '../cases/names.ts';
import type { Entry, Expansion, Surroundings } from '../cases/row.ts';
import { Cases, entriesOf } from '../cases/source.ts';
import { checkTitle, fillTitle, readTitle } from '../cases/title.ts';
import { definitionOf, isProvider } from '../fixtures/fixture.ts';
import { type Level, Nodes, resolve } from '../fixtures/graph.ts';
import { isInstanceOf } from '../problems/instance-of.ts';
import { type Origin, placeOf } from '../problems/place.ts';
import type { Problem } from '../problems/problem.ts';
import { ProblemError } from '../problems/problem-error.ts';
import { endCreated } from './created.ts';
import { joinEntries, levelsOf, strangeTags } from './expand.ts';
import { boundSecrets, withoutHidden } from './hidden.ts';
import { needsOf } from './needs.ts';
import { aroundsOf, bindingsOf, laid } from './options.ts';
import type { Group, Inherited, Plan, PlannedTest } from './planned.ts';
import { type Child, isOfAnotherCopy, type Options, SuiteImpl, type SuiteOptions, strangeChild, TestImpl } from './suite.ts';
import { findUnreachable } from './unreachable.ts';

/** A file's exports, and what is known of the file. */
export interface LoadedFile {
  /** Its path from the project's root, with `/`: the first part of its ids. */
  readonly file: string;
  readonly url: URL | undefined;
  readonly exports: Readonly<Record<string, unknown>>;
  /** The options of the folders around it, outermost first. */
  readonly folders: readonly Options[];
}

/** Milliseconds and counts where nobody says otherwise. */
export interface Defaults {
  readonly timeout: number;
  readonly concurrency: number;
  /** No test may allow more. */
  readonly mostConcurrency?: number | undefined;
  /** Further attempts for a case that failed; none unless said. */
  readonly retries?: number | undefined;
}

export const ordinaryDefaults: Defaults = { timeout: 10_000, concurrency: 1 };

/** Plans what files export: every suite and test, checked; the rows stream later. Runs no body and no fixture. */
export async function planFiles(files: readonly LoadedFile[], surroundings: Surroundings, defaults: Defaults = ordinaryDefaults): Promise<Plan> {
  const planner = new Planner(surroundings);
  for (const file of files) await planner.addFile(file, defaults);
  const unreachable = findUnreachable(endCreated(), planner.reached, new Set(files.flatMap(({ url }) => url?.href ?? [])));
  return { files: planner.files, tests: planner.tests, problems: planner.problems, warnings: [...planner.warnings, ...unreachable] };
}

type Growing = Group & { readonly children: (Group | PlannedTest)[] };

/** Longer than most: each level hands on to the next what all of these methods add to. */
class Planner {
  readonly files: Group[] = [];
  readonly tests: PlannedTest[] = [];
  readonly problems: Problem[] = [];
  readonly warnings: Problem[] = [];
  readonly #surroundings: Surroundings;
  readonly #nodes = new Nodes();
  readonly #ids = new Map<string, number>();
  /** The tests and suites that an export contains. */
  readonly reached = new Set<SuiteImpl | TestImpl>();
  /** The number of problems of the current file, suite or test, without those of its contents. */
  #ownProblems = 0;
  #mostConcurrency = Number.POSITIVE_INFINITY;

  constructor(surroundings: Surroundings) {
    this.#surroundings = surroundings;
  }

  addFile(loaded: LoadedFile, defaults: Defaults): Promise<void> {
    return this.#unlessBroken(this.files, () => this.#addFile(loaded, defaults));
  }

  /** Adds a file, suite or test, and removes it with its contents if it has problems of its own. The others still run. */
  async #unlessBroken(siblings: unknown[], add: () => Promise<void>): Promise<void> {
    const [tests, before, outer] = [this.tests.length, siblings.length, this.#ownProblems];
    this.#ownProblems = 0;
    await add();
    if (this.#ownProblems > 0) {
      siblings.length = before;
      this.tests.length = tests;
    }
    this.#ownProblems = outer;
  }

  async #addFile({ file, url, exports, folders }: LoadedFile, defaults: Defaults): Promise<void> {
    this.#mostConcurrency = defaults.mostConcurrency ?? Number.POSITIVE_INFINITY;
    let inherited: Inherited = {
      levels: [],
      annotations: {},
      timeout: defaults.timeout,
      concurrency: defaults.concurrency,
      retries: defaults.retries ?? 0,
      locks: [],
      always: [],
      allowEmpty: false,
    };
    for (const options of folders) {
      const owner = `a folder of ${file}`;
      inherited = this.#inherit(
        inherited,
        options,
        this.#levels(() => bindingsOf(options.overrides), owner, undefined),
        owner,
        undefined,
      );
    }
    const group: Growing = {
      kind: 'file',
      title: file,
      id: file,
      parent: undefined,
      inherited,
      entry: undefined,
      told: undefined,
      mentions: new Set(),
      by: {},
      children: [],
      origin: undefined,
    };
    const found = this.#exported(file, exports);
    const strangers = Object.values(exports).flat().filter(isOfAnotherCopy);
    this.#report(
      strangers.map(({ title }) => ({ code: 'duplicate-package', title, owner: file })),
      undefined,
    );
    if (found.length + strangers.length === 0) this.#report([{ code: 'nothing-exported', file, exports: Object.keys(exports) }], undefined);
    for (const child of found) await this.#add(child, group, url);
    this.files.push(group);
  }

  /** What a module exports to be run, in the order in which it was written, each once. */
  #exported(file: string, exports: Readonly<Record<string, unknown>>): (SuiteImpl | TestImpl)[] {
    const names = new Map<SuiteImpl | TestImpl, string[]>();
    for (const [name, value] of Object.entries(exports)) {
      for (const item of Array.isArray(value) ? value : [value]) {
        if (item instanceof SuiteImpl || item instanceof TestImpl) names.set(item, [...(names.get(item) ?? []), name]);
      }
    }
    for (const [item, exportedAs] of names) {
      if (exportedAs.length > 1)
        this.warnings.push({ code: 'exported-twice', title: item.title, names: exportedAs, at: placeOf(item.origin) ?? { file, line: 1, column: 1 } });
    }
    return [...names.keys()].sort((a, b) => a.serial - b.serial);
  }

  async #add(child: Child, parent: Growing, base: URL | undefined): Promise<void> {
    if (child instanceof SuiteImpl || child instanceof TestImpl) {
      this.#reach(child);
      await this.#unlessBroken(parent.children, () => (child instanceof SuiteImpl ? this.#addSuite(child, parent, base) : this.#addTest(child, parent, base)));
    } else if (child) this.#report([strangeChild(child, `suite "${parent.title}"`)], undefined);
  }

  /** Marks a test, or a suite with its contents, as reachable, even if it has problems. */
  #reach(item: SuiteImpl | TestImpl): void {
    if (this.reached.has(item)) return;
    this.reached.add(item);
    if (item instanceof SuiteImpl && Array.isArray(item.children))
      for (const child of item.children) if (child instanceof SuiteImpl || child instanceof TestImpl) this.#reach(child);
  }

  async #addSuite(suite: SuiteImpl, parent: Growing, base: URL | undefined): Promise<void> {
    const options = laid(suite.layers);
    const owner = `suite "${suite.title}"`;
    const title = readTitle(suite.title);
    const { entries, columns } = options.cases ? await this.#wholeSource(options.cases, options, suite, base) : { entries: [undefined], columns: [] };
    const known = [...Object.keys(parent.entry?.row ?? {}), ...columns];
    this.#report(checkTitle(title, known), suite.origin);
    for (const entry of entries) {
      const row = { ...parent.entry?.row, ...entry?.row };
      const { hides } = this.#surroundings;
      const by = {};
      const levels = suite.layers.flatMap((layer) => this.#levels(() => bindingsOf(layer.options.overrides, row), owner, layer.origin, by));
      const bound = levels.map(({ binding }) => binding);
      const told = entry && hides ? withoutHidden(entry, hides, boundSecrets(bound, hides)) : entry;
      const group = this.#group(suite, parent, {
        template: suite.title,
        title: fillTitle(title, { ...parent.told?.row, ...told?.row }),
        options,
        levels,
        by,
        entry: entry && joinEntries(parent.entry, entry),
        told: told && joinEntries(parent.told, told),
      });
      if (options.variants && Object.keys(options.variants).length === 0 && !group.inherited.allowEmpty)
        this.#report([{ code: 'empty-suite', title: suite.title, lacks: 'variants' }], suite.origin);
      const groups = options.variants ? Object.entries(options.variants).map(([name, bindings]) => this.#variant(suite, group, name, bindings)) : [group];
      for (const one of groups) {
        const children = this.#children(suite, row);
        if (children.length === 0 && !one.inherited.allowEmpty) this.#report([{ code: 'empty-suite', title: suite.title, lacks: 'children' }], suite.origin);
        for (const child of children) await this.#add(child, one, base);
        this.#markChildren(one, options.annotations ?? {}, suite);
      }
    }
  }

  #children(suite: SuiteImpl, row: object): readonly Child[] {
    if (typeof suite.children !== 'function') return suite.children;
    try {
      return suite.children(row);
    } catch (error) {
      this.#report(problemsOf(error, `the children of suite "${suite.title}"`), suite.origin);
      return [undefined];
    }
  }

  #variant(suite: SuiteImpl, parent: Growing, name: string, bindings: readonly unknown[]): Growing {
    const by = {};
    const levels = this.#levels(() => bindings, `variant "${name}" of suite "${suite.title}"`, suite.origin, by);
    return this.#group(suite, parent, { template: name, title: name, options: {}, levels, by, entry: undefined, told: undefined });
  }

  #group(
    suite: SuiteImpl,
    parent: Growing,
    made: Pick<Group, 'title' | 'by' | 'entry' | 'told'> & { template: string; options: SuiteOptions<any>; levels: readonly Level[] },
  ): Growing {
    const { template, title, options, levels, by, entry, told } = made;
    const inherited = this.#inherit(parent.inherited, options, levels, `suite "${suite.title}"`, suite.origin);
    const always = [...(options.always ?? []), ...aroundsOf(options)].filter(isProvider);
    // An id is made of title templates: the rows of a parameterised suite stand in its cases' part.
    const group: Growing = {
      kind: 'suite',
      title,
      id: `${parent.id}${parent.kind === 'file' ? '#' : '/'}${slug(template)}`,
      parent,
      inherited,
      entry: entry ?? parent.entry,
      told: told ?? parent.told,
      mentions: new Set(always.map(definitionOf)),
      by,
      children: [],
      origin: suite.origin,
    };
    parent.children.push(group);
    return group;
  }

  async #addTest(test: TestImpl, parent: Growing, base: URL | undefined): Promise<void> {
    const { options } = test;
    const owner = `test "${test.title}"`;
    const inherited = this.#inherit(
      parent.inherited,
      options,
      typeof options.overrides === 'function' ? [] : this.#levels(() => bindingsOf(options.overrides), owner, test.origin, test),
      owner,
      test.origin,
    );
    const strangers = Object.entries(options.needs ?? {}).filter(([, need]) => !isProvider(need));
    for (const [key] of strangers) this.#report([{ code: 'invalid-type', expected: 'fixture', got: `needs.${key}`, owner }], test.origin);
    const title = readTitle(test.title);
    const parts = options.cases && Cases.partsOf(options.cases);
    const id = this.#unique(`${parent.id}${parent.kind === 'file' ? '#' : '/'}${slug(test.title)}`, test, parent);
    const planned: PlannedTest = {
      kind: 'test',
      index: this.tests.length,
      title,
      id,
      parent,
      inherited,
      test,
      source: parts?.what,
      columns: parts?.columns ?? [],
      base,
    };
    const outer = Object.keys(parent.entry?.row ?? {});
    if (options.cases) {
      const peeked = await this.#peek(planned, inherited.allowEmpty);
      if (peeked) this.#report(checkTitle(title, [...outer, ...peeked]), test.origin);
    } else this.#report(checkTitle(title, outer), test.origin);
    if (strangers.length === 0) this.#checkGraph(planned);
    this.tests.push(planned);
    parent.children.push(planned);
  }

  /** The columns of a test's source, with what is wrong before its rows are run: nothing there, no rows, a bad heading. */
  async #peek(planned: PlannedTest, mayBeEmpty: boolean): Promise<readonly string[] | undefined> {
    const { test } = planned;
    const what = planned.source ?? '';
    try {
      for await (const entry of entriesOf(test.options.cases as Cases, this.#expansion(planned.base, test.title)))
        return planned.columns.length ? planned.columns : Object.keys(entry.row);
      if (!mayBeEmpty) this.#report([{ code: 'empty-source', title: test.title, source: what }], test.origin);
      return planned.columns.length ? planned.columns : undefined;
    } catch (error) {
      this.#report(problemsOf(error, what), test.origin);
      return undefined;
    }
  }

  /** The rows of a parameterised suite: they make suites, so they are planned whole. */
  async #wholeSource(
    cases: NonNullable<SuiteOptions<any>['cases']>,
    options: SuiteOptions<any>,
    suite: SuiteImpl,
    base: URL | undefined,
  ): Promise<{ entries: Entry[]; columns: string[] }> {
    const parts = Cases.partsOf(cases);
    const entries: Entry[] = [];
    try {
      for await (const entry of entriesOf(cases, this.#expansion(base, suite.title))) {
        if (entry.problems) this.#report(entry.problems, suite.origin);
        else entries.push(entry);
      }
      if (entries.length === 0 && !options.allowEmpty) this.#report([{ code: 'empty-source', title: suite.title, source: parts.what }], suite.origin);
    } catch (error) {
      this.#report(problemsOf(error, parts.what), suite.origin);
    }
    return { entries, columns: [...(parts.columns ?? new Set(entries.flatMap((entry) => Object.keys(entry.row))))] };
  }

  #checkGraph(planned: PlannedTest): void {
    try {
      resolve(needsOf(planned), planned.inherited.levels, this.#nodes);
    } catch (error) {
      this.#report(problemsOf(error, `test "${planned.test.title}"`), planned.test.origin);
    }
  }

  #markChildren(group: Growing, marks: Readonly<Record<string, Annotations>>, suite: SuiteImpl): void {
    const below = (at: Group, path: string): [string, Group | PlannedTest][] =>
      at.children.flatMap((child) => {
        const title = `${path}${child.kind === 'test' ? child.title.template : child.title}`;
        return [[title, child] as [string, Group | PlannedTest], ...(child.kind === 'test' ? [] : below(child, `${title}/`))];
      });
    const all = below(group, '');
    for (const [path, laidOver] of Object.entries(marks)) {
      this.#report(strangeTags(laidOver.tags, this.#surroundings.tags, `annotations of suite "${suite.title}"`), suite.origin);
      const hit = all.filter(([title]) => title === path);
      if (hit.length === 0)
        this.#report([{ code: 'unknown-title', name: path, owner: `annotations of suite "${suite.title}"`, known: all.map(([title]) => title) }], suite.origin);
      const within = (node: Group | PlannedTest): PlannedTest[] => (node.kind === 'test' ? [node] : node.children.flatMap(within));
      for (const [, node] of hit)
        for (const test of within(node))
          (test as { inherited: Inherited }).inherited = { ...test.inherited, annotations: mergeAnnotations(test.inherited.annotations, laidOver) };
    }
  }

  #inherit(
    outer: Inherited,
    options: Omit<Options, 'overrides'> & Pick<SuiteOptions, 'perCase' | 'perSuite'>,
    levels: readonly Level[],
    owner: string,
    origin: Origin | undefined,
  ): Inherited {
    const { tags, skip, onRequest, knownFailure } = options;
    const marks: Annotations = { tags, skip, onRequest, knownFailure };
    this.#report(strangeTags(tags, this.#surroundings.tags, owner), origin);
    const until = findInvalidDate(marks);
    if (until !== undefined) this.#report([{ code: 'invalid-date', text: until, owner }], origin);
    for (const source of options.always ?? [])
      if (!isProvider(source)) this.#report([{ code: 'invalid-type', expected: 'fixture', got: String(source), owner: `always of ${owner}` }], origin);
    return {
      levels: [...outer.levels, ...levels],
      annotations: mergeAnnotations(outer.annotations, marks),
      timeout: options.timeout ?? outer.timeout,
      concurrency: Math.min(options.concurrency ?? outer.concurrency, this.#mostConcurrency),
      retries: options.retries ?? outer.retries,
      locks: [...outer.locks, ...(options.locks ?? [])],
      always: [...outer.always, ...(options.always ?? []), ...aroundsOf(options)],
      allowEmpty: options.allowEmpty ?? outer.allowEmpty,
    };
  }

  #levels(bindings: () => readonly unknown[], owner: string, origin: Origin | undefined, by?: object): Level[] {
    try {
      return levelsOf(bindings(), owner, by);
    } catch (error) {
      this.#report(isInstanceOf(error, ProblemError) ? error.problems : [{ code: 'overrides-threw', reason: reasonOf(error) }], origin);
      return [];
    }
  }

  #unique(id: string, test: TestImpl, parent: Group): string {
    const key = parent.told ? `${id}/${caseSlug(parent.told.row, parent.told.name)}` : id;
    const twins = (this.#ids.get(key) ?? 0) + 1;
    this.#ids.set(key, twins);
    if (twins === 1) return id;
    const other = `${id}~${twins}`;
    this.warnings.push({ code: 'duplicate-title', title: test.title, id: other, at: placeOf(test.origin) });
    return other;
  }

  #expansion(base: URL | undefined, title: string): Expansion {
    return { ...this.#surroundings, remark: undefined, base, slug: slug(title) };
  }

  #report(problems: readonly Problem[], origin: Origin | undefined): void {
    this.#ownProblems += problems.length;
    for (const problem of problems) this.problems.push(problem.at || !origin ? problem : { ...problem, at: placeOf(origin) });
  }
}

const reasonOf = (error: unknown): string => (isInstanceOf(error, Error) ? `${error.name}: ${error.message}` : String(error));

const problemsOf = (error: unknown, source: string): readonly Problem[] =>
  isInstanceOf(error, ProblemError) ? error.problems : [{ code: 'source-threw', source, reason: reasonOf(error) }];
