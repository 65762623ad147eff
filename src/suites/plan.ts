import { type Annotations, findInvalidDate, mergeAnnotations, type RowAnnotations } from '../cases/annotations.ts';
import { formatCaseSlug, formatItemId, formatSlug } from '../cases/ids.ts';
import type { ExpansionContext, ExpansionHost, RowEntry } from '../cases/row.ts';
import { CaseSourceImpl, readEntries } from '../cases/source.ts';
import { findUnknownColumns, parseTitle, renderTitle } from '../cases/title.ts';
import { findDefinition, isProvider } from '../fixtures/fixture.ts';
import { NodeInterner, type OverrideLayer, resolve } from '../fixtures/graph.ts';
import type { Problem } from '../problems/problem.ts';
import { type CapturedStack, findLocation } from '../problems/source-location.ts';
import { endCreated } from './created-items.ts';
import { buildOverrideLayers, findUnknownTags, joinEntries } from './expand.ts';
import { collectNeeds } from './needs.ts';
import { findHookFixtures, findOverrides, mergeLayers } from './override-layers.ts';
import { type Group, type Inherited, inheritedFrom, listTests, type Plan, type PlannedTest } from './planned.ts';
import { findOverrideSecrets, redactEntry } from './redaction.ts';
import { buildInvalidChildProblem, type Child, isOfAnotherCopy, type Options, SuiteImpl, type SuiteOptions, TestImpl } from './suite.ts';
import { problemsOf } from './thrown-problems.ts';
import { findUnreachable } from './unreachable.ts';

/** A file's exports, and information about the file. */
export interface LoadedFile {
  /** Its path from the project's root, with `/`: the first part of its ids. */
  readonly file: string;
  readonly url: URL | undefined;
  readonly exports: Readonly<Record<string, unknown>>;
  /** The options of the folders around it, outermost first. */
  readonly folders: readonly Options[];
}

/** The defaults of options. Times are in milliseconds. */
export interface Defaults {
  readonly timeout: number;
  readonly concurrency: number;
  /** The maximum concurrency of any test. */
  readonly maxConcurrency?: number | undefined;
  /** Further attempts for a case that failed. Default: 0. */
  readonly retries?: number | undefined;
}

export const BUILT_IN_DEFAULTS: Defaults = { timeout: 10_000, concurrency: 1 };

/** Plans what files export: every suite and test, validated. Rows are streamed later. Runs no body and no fixture. */
export async function planFiles(files: readonly LoadedFile[], host: ExpansionHost, defaults: Defaults = BUILT_IN_DEFAULTS): Promise<Plan> {
  const planner = new Planner(host);
  for (const file of files) await planner.addFile(file, defaults);
  const unreachable = findUnreachable(endCreated(), planner.reached, new Set(files.flatMap(({ url }) => url?.href ?? [])));
  return { files: planner.files, tests: planner.tests, problems: planner.problems, warnings: [...planner.warnings, ...unreachable] };
}

type MutableGroup = Group & { readonly children: (Group | PlannedTest)[] };

/** Longer than most classes: all of these methods add to what groups pass on to their contents. */
class Planner {
  readonly files: Group[] = [];
  readonly tests: PlannedTest[] = [];
  readonly problems: Problem[] = [];
  readonly warnings: Problem[] = [];
  readonly #host: ExpansionHost;
  readonly #nodes = new NodeInterner();
  readonly #ids = new Map<string, number>();
  /** The tests and suites that an export contains. */
  readonly reached = new Set<SuiteImpl | TestImpl>();
  /** The number of problems of the current file, suite or test, without those of its contents. */
  #ownProblems = 0;
  #maxConcurrency = Number.POSITIVE_INFINITY;

  constructor(host: ExpansionHost) {
    this.#host = host;
  }

  addFile(loaded: LoadedFile, defaults: Defaults): Promise<void> {
    return this.#addValid(this.files, () => this.#addFile(loaded, defaults));
  }

  /** Adds a file, suite or test, and removes it with its contents if it has problems of its own. The others still run. */
  async #addValid(siblings: unknown[], add: () => Promise<void>): Promise<void> {
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
    this.#maxConcurrency = defaults.maxConcurrency ?? Number.POSITIVE_INFINITY;
    let inherited = inheritedFrom(defaults);
    for (const options of folders) {
      const owner = `a folder of ${file}`;
      inherited = this.#inherit(
        inherited,
        options,
        this.#buildLayers(() => findOverrides(options.overrides), owner, undefined),
        owner,
        undefined,
      );
    }
    const group: MutableGroup = {
      kind: 'file',
      title: file,
      id: file,
      parent: undefined,
      inherited,
      entry: undefined,
      redactedEntry: undefined,
      ownedDefinitions: new Set(),
      ownerKey: {},
      children: [],
      origin: undefined,
    };
    const found = this.#exported(file, exports);
    const foreignItems = Object.values(exports).flat().filter(isOfAnotherCopy);
    this.#report(
      foreignItems.map(({ title }) => ({ code: 'duplicate-package', title, owner: file })),
      undefined,
    );
    if (found.length + foreignItems.length === 0) this.#report([{ code: 'nothing-exported', file, exports: Object.keys(exports) }], undefined);
    for (const child of found) await this.#add(child, group, url);
    this.files.push(group);
  }

  /** The exported suites and tests of a module, in order of definition, each once. */
  #exported(file: string, exports: Readonly<Record<string, unknown>>): (SuiteImpl | TestImpl)[] {
    const names = new Map<SuiteImpl | TestImpl, string[]>();
    for (const [name, value] of Object.entries(exports)) {
      for (const item of Array.isArray(value) ? value : [value]) {
        if (item instanceof SuiteImpl || item instanceof TestImpl) names.set(item, [...(names.get(item) ?? []), name]);
      }
    }
    for (const [item, exportedAs] of names) {
      if (exportedAs.length > 1)
        this.warnings.push({ code: 'exported-twice', title: item.title, names: exportedAs, at: findLocation(item.origin) ?? { file, line: 1, column: 1 } });
    }
    return [...names.keys()].sort((a, b) => a.definitionOrder - b.definitionOrder);
  }

  async #add(child: Child, parent: MutableGroup, base: URL | undefined): Promise<void> {
    if (child instanceof SuiteImpl || child instanceof TestImpl) {
      this.#reach(child);
      await this.#addValid(parent.children, () => (child instanceof SuiteImpl ? this.#addSuite(child, parent, base) : this.#addTest(child, parent, base)));
    } else if (child) this.#report([buildInvalidChildProblem(child, `suite "${parent.title}"`)], parent.origin);
  }

  /** Marks a test, or a suite with its contents, as reachable, even if it has problems. */
  #reach(item: SuiteImpl | TestImpl): void {
    if (this.reached.has(item)) return;
    this.reached.add(item);
    if (item instanceof SuiteImpl && Array.isArray(item.children))
      for (const child of item.children) if (child instanceof SuiteImpl || child instanceof TestImpl) this.#reach(child);
  }

  async #addSuite(suite: SuiteImpl, parent: MutableGroup, base: URL | undefined): Promise<void> {
    const options = mergeLayers(suite.layers);
    const owner = `suite "${suite.title}"`;
    const title = parseTitle(suite.title);
    const { entries, columns } = options.cases ? await this.#readWholeSource(options.cases, options, suite, base) : { entries: [undefined], columns: [] };
    const known = [...Object.keys(parent.entry?.row ?? {}), ...columns];
    this.#report(findUnknownColumns(title, known), suite.origin);
    for (const entry of entries) {
      const row = { ...parent.entry?.row, ...entry?.row };
      const { isRedacted } = this.#host;
      const ownerKey = {};
      const layers = suite.layers.flatMap(({ options, origin }) => this.#buildLayers(() => findOverrides(options.overrides, row), owner, origin, ownerKey));
      const overrides = layers.map(({ override }) => override);
      const redacted = entry && isRedacted ? redactEntry(entry, isRedacted, findOverrideSecrets(overrides, isRedacted)) : entry;
      const group = this.#group(suite, parent, {
        template: suite.title,
        title: renderTitle(title, { ...parent.redactedEntry?.row, ...redacted?.row }),
        options,
        layers,
        ownerKey,
        entry: entry && joinEntries(parent.entry, entry),
        redactedEntry: redacted && joinEntries(parent.redactedEntry, redacted),
      });
      if (options.variants && Object.keys(options.variants).length === 0 && !group.inherited.allowEmpty)
        this.#report([{ code: 'empty-suite', title: suite.title, lacks: 'variants' }], suite.origin);
      const groups = options.variants ? Object.entries(options.variants).map(([name, bindings]) => this.#planVariant(suite, group, name, bindings)) : [group];
      for (const one of groups) {
        const before = this.problems.length;
        const children = this.#children(suite, row);
        if (children.length === 0 && !one.inherited.allowEmpty) this.#report([{ code: 'empty-suite', title: suite.title, lacks: 'children' }], suite.origin);
        for (const child of children) await this.#add(child, one, base);
        this.#annotateChildren(one, options.annotations ?? {}, suite, this.problems.length === before);
      }
    }
  }

  #children(suite: SuiteImpl, row: object): readonly Child[] {
    if (typeof suite.children !== 'function') return suite.children;
    try {
      return suite.children(row);
    } catch (error) {
      this.#report(problemsOf(error, { code: 'children-threw', title: suite.title }), suite.origin);
      return [undefined];
    }
  }

  #planVariant(suite: SuiteImpl, parent: MutableGroup, name: string, overrides: readonly unknown[]): MutableGroup {
    const ownerKey = {};
    const layers = this.#buildLayers(() => overrides, `variant "${name}" of suite "${suite.title}"`, suite.origin, ownerKey);
    return this.#group(suite, parent, { template: name, title: name, options: {}, layers, ownerKey, entry: undefined, redactedEntry: undefined });
  }

  #group(
    suite: SuiteImpl,
    parent: MutableGroup,
    made: Pick<Group, 'title' | 'ownerKey' | 'entry' | 'redactedEntry'> & { template: string; options: SuiteOptions<any>; layers: readonly OverrideLayer[] },
  ): MutableGroup {
    const { template, title, options, layers, ownerKey, entry, redactedEntry } = made;
    const inherited = this.#inherit(parent.inherited, options, layers, `suite "${suite.title}"`, suite.origin, entry?.annotations);
    const ownAlways = inherited.always.slice(parent.inherited.always.length);
    // An id consists of title templates. The rows of a parameterized suite are in the part of its cases.
    const group: MutableGroup = {
      kind: 'suite',
      title,
      id: formatItemId(parent, template),
      parent,
      inherited,
      entry: entry ?? parent.entry,
      redactedEntry: redactedEntry ?? parent.redactedEntry,
      ownedDefinitions: new Set(ownAlways.filter(isProvider).map(findDefinition)),
      ownerKey,
      children: [],
      origin: suite.origin,
    };
    parent.children.push(group);
    return group;
  }

  async #addTest(test: TestImpl, parent: MutableGroup, base: URL | undefined): Promise<void> {
    const { options } = test;
    const owner = `test "${test.title}"`;
    const inherited = this.#inherit(
      parent.inherited,
      options,
      typeof options.overrides === 'function' ? [] : this.#buildLayers(() => findOverrides(options.overrides), owner, test.origin, test),
      owner,
      test.origin,
    );
    const foreignItems = Object.entries(options.needs ?? {}).filter(([, need]) => !isProvider(need));
    for (const [key] of foreignItems) this.#report([{ code: 'invalid-type', expected: 'fixture', got: `needs.${key}`, owner }], test.origin);
    const title = parseTitle(test.title);
    const parts = options.cases && CaseSourceImpl.partsOf(options.cases);
    const id = this.#unique(formatItemId(parent, test.title), test, parent);
    const planned: PlannedTest = {
      kind: 'test',
      index: this.tests.length,
      title,
      id,
      parent,
      inherited,
      test,
      source: parts?.description,
      columns: parts?.columns ?? [],
      base,
      files: this.#host.files,
    };
    const outer = Object.keys(parent.entry?.row ?? {});
    if (options.cases) {
      const peeked = await this.#peek(planned, inherited.allowEmpty);
      if (peeked) this.#report(findUnknownColumns(title, [...outer, ...peeked]), test.origin);
    } else this.#report(findUnknownColumns(title, outer), test.origin);
    if (foreignItems.length === 0) this.#checkGraph(planned);
    this.tests.push(planned);
    parent.children.push(planned);
  }

  /** Reads the columns of a test's source, and reports problems that are known before its rows run: no file, no rows, an invalid heading. */
  async #peek(planned: PlannedTest, mayBeEmpty: boolean): Promise<readonly string[] | undefined> {
    const { test } = planned;
    const description = planned.source ?? '';
    try {
      for await (const entry of readEntries(test.options.cases as CaseSourceImpl, this.#expansion(planned.base, test.title)))
        return planned.columns.length ? planned.columns : Object.keys(entry.row);
      if (!mayBeEmpty) this.#report([{ code: 'empty-source', title: test.title, source: description }], test.origin);
      return planned.columns.length ? planned.columns : undefined;
    } catch (error) {
      this.#report(problemsOf(error, { code: 'source-threw', source: description }), test.origin);
      return undefined;
    }
  }

  /** Reads all rows of a parameterized suite: each becomes a suite, so they are planned before the run. */
  async #readWholeSource(
    cases: NonNullable<SuiteOptions<any>['cases']>,
    options: SuiteOptions<any>,
    suite: SuiteImpl,
    base: URL | undefined,
  ): Promise<{ entries: RowEntry[]; columns: string[] }> {
    const parts = CaseSourceImpl.partsOf(cases);
    const entries: RowEntry[] = [];
    try {
      for await (const entry of readEntries(cases, this.#expansion(base, suite.title))) {
        if (entry.problems) this.#report(entry.problems, suite.origin);
        else entries.push(entry);
      }
      if (entries.length === 0 && !options.allowEmpty) this.#report([{ code: 'empty-source', title: suite.title, source: parts.description }], suite.origin);
    } catch (error) {
      this.#report(problemsOf(error, { code: 'source-threw', source: parts.description }), suite.origin);
    }
    return { entries, columns: [...(parts.columns ?? new Set(entries.flatMap((entry) => Object.keys(entry.row))))] };
  }

  #checkGraph(planned: PlannedTest): void {
    try {
      resolve(collectNeeds(planned), planned.inherited.overrideLayers, this.#nodes);
    } catch (error) {
      this.#report(problemsOf(error, { code: 'source-threw', source: `test "${planned.test.title}"` }), planned.test.origin);
    }
  }

  /** `isWhole`: no child was left out because of its problems. Otherwise, a title could be that of one that was. */
  #annotateChildren(group: MutableGroup, annotations: Readonly<Record<string, Annotations>>, suite: SuiteImpl, isWhole: boolean): void {
    const listDescendants = (at: Group, path: string): [string, Group | PlannedTest][] =>
      at.children.flatMap((child) => {
        const title = `${path}${child.kind === 'test' ? child.title.template : child.title}`;
        return [[title, child] as [string, Group | PlannedTest], ...(child.kind === 'test' ? [] : listDescendants(child, `${title}/`))];
      });
    const all = listDescendants(group, '');
    for (const [path, laidOver] of Object.entries(annotations)) {
      this.#report(findUnknownTags(laidOver.tags, this.#host.tags, `annotations of suite "${suite.title}"`), suite.origin);
      const hit = all.filter(([title]) => title === path);
      if (hit.length === 0 && isWhole)
        this.#report([{ code: 'unknown-title', name: path, owner: `annotations of suite "${suite.title}"`, known: all.map(([title]) => title) }], suite.origin);
      for (const [, node] of hit)
        for (const test of listTests(node))
          (test as { inherited: Inherited }).inherited = { ...test.inherited, annotations: mergeAnnotations(test.inherited.annotations, laidOver) };
    }
  }

  #inherit(
    outer: Inherited,
    options: Omit<Options, 'overrides'> & Pick<SuiteOptions, 'perCase' | 'perSuite'>,
    overrideLayers: readonly OverrideLayer[],
    owner: string,
    origin: CapturedStack | undefined,
    ofRow: RowAnnotations = {},
  ): Inherited {
    const { tags, skip, onRequest, knownFailure } = options;
    const annotations: Annotations = { tags, skip, onRequest, knownFailure };
    const { timeout = options.timeout, locks = [], ...rowAnnotations } = ofRow;
    this.#report(findUnknownTags(tags, this.#host.tags, owner), origin);
    this.#report(findUnknownTags(rowAnnotations.tags, this.#host.tags, `a row of ${owner}`), origin);
    const until = findInvalidDate(annotations);
    if (until !== undefined) this.#report([{ code: 'invalid-date', text: until, owner }], origin);
    for (const source of options.always ?? [])
      if (!isProvider(source)) this.#report([{ code: 'invalid-type', expected: 'fixture', got: String(source), owner: `always of ${owner}` }], origin);
    return {
      overrideLayers: [...outer.overrideLayers, ...overrideLayers],
      annotations: mergeAnnotations(mergeAnnotations(outer.annotations, annotations), rowAnnotations),
      timeout: timeout ?? outer.timeout,
      concurrency: Math.min(options.concurrency ?? outer.concurrency, this.#maxConcurrency),
      retries: options.retries ?? outer.retries,
      locks: [...outer.locks, ...(options.locks ?? []), ...locks],
      always: [...outer.always, ...(options.always ?? []).filter(isProvider), ...findHookFixtures(options)],
      allowEmpty: options.allowEmpty ?? outer.allowEmpty,
      normalizers: options.normalize ? [...outer.normalizers, options.normalize] : outer.normalizers,
    };
  }

  #buildLayers(listOverrides: () => readonly unknown[], owner: string, origin: CapturedStack | undefined, ownerKey?: object): OverrideLayer[] {
    try {
      return buildOverrideLayers(listOverrides(), owner, ownerKey);
    } catch (error) {
      this.#report(problemsOf(error, { code: 'overrides-threw' }), origin);
      return [];
    }
  }

  #unique(id: string, test: TestImpl, parent: Group): string {
    const key = parent.redactedEntry ? `${id}/${formatCaseSlug(parent.redactedEntry.row, parent.redactedEntry.name)}` : id;
    const twins = (this.#ids.get(key) ?? 0) + 1;
    this.#ids.set(key, twins);
    if (twins === 1) return id;
    const other = `${id}~${twins}`;
    this.warnings.push({ code: 'duplicate-title', title: test.title, id: other, at: findLocation(test.origin) });
    return other;
  }

  #expansion(base: URL | undefined, title: string): ExpansionContext {
    return { ...this.#host, onWarning: undefined, base, slug: formatSlug(title) };
  }

  #report(problems: readonly Problem[], origin: CapturedStack | undefined): void {
    this.#ownProblems += problems.length;
    for (const problem of problems) this.problems.push(problem.at || !origin ? problem : { ...problem, at: findLocation(origin) });
  }
}
