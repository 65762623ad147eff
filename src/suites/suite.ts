import { type Annotations, annotationSpecs, rowAnnotationSpecs } from '../cases/marks.ts';
import { type CaseSource, Cases } from '../cases/source.ts';
import { kind, type Needs, type Override, type Provider, type SetupContext, type TeardownContext, type Values } from '../fixtures/fixture.ts';
import { captureOrigin, type Origin } from '../problems/place.ts';
import type { Problem } from '../problems/problem.ts';
import { refuse } from '../problems/problem-error.ts';
import { callable, count, either, isObject, listOf, recordOf, refuseStrange, truth, type Wanted, type WantedOf } from '../problems/wanted.ts';
import type { CaseContext } from './hand.ts';

/** What folders, suites and tests may say for what is within; the inner statement wins, tags and bindings add up. */
export interface Options extends Annotations {
  /** What changes about fixtures for all cases within. */
  overrides?: readonly Override[] | undefined;
  /** Fixtures that every case within gets, whether or not it names them. */
  always?: readonly Provider<any>[] | undefined;
  /** Milliseconds for each case's body; 10,000 unless said. */
  timeout?: number | undefined;
  /** How many of its cases may be under way at once within a lane; 1 unless said. */
  concurrency?: number | undefined;
  /** Names of things that only one case of the whole run may use at a time. */
  locks?: readonly string[] | undefined;
  /** A source without rows is an error of the plan, unless this says so. */
  allowEmpty?: boolean | undefined;
  /** Further attempts for a case that failed; one that passes in the end is reported as unsteady. */
  retries?: number | undefined;
}

/** A named group of tests and suites. */
export interface Suite {
  readonly [kind]: 'suite';
  readonly title: string;
  /** The same suite under another title, with these options laid over its own. */
  adapt(title: string, options: SuiteOptions & { cases?: undefined }): Suite;
  /** The same for each of a source's rows. */
  adapt<Row extends object>(title: string, options: SuiteOptions<Row>): Suite;
}

/** A named body, with what it needs and its cases. */
export interface Test {
  readonly [kind]: 'test';
  readonly title: string;
}

/** What stands in a suite; what is false, null or undefined is left out, so that `condition && test(…)` works. */
export type Child = Suite | Test | false | null | undefined;

/** What a suite may say, for all that is within. */
export interface SuiteOptions<Row extends object = {}> extends Omit<Options, 'overrides'> {
  /** The whole suite once for each of these rows. */
  cases?: CaseSource<Row> | undefined;
  /** What changes about fixtures, for all rows or for each by its own. */
  overrides?: (readonly Override[] | ((row: Row) => readonly Override[])) | undefined;
  /** Marks for single children, by title path; a title that is not there is an error of the plan. */
  annotations?: Readonly<Record<string, Annotations>> | undefined;
  /** The whole suite once under each of these names, with its bindings. */
  variants?: Readonly<Record<string, readonly Override[]>> | undefined;
  /** Short forms of a value-less fixture in `always`: around each case, or once around the suite. */
  perCase?: SetupTeardown | undefined;
  perSuite?: SetupTeardown | undefined;
}

/** A set-up and a tear-down without a value. */
export interface SetupTeardown {
  setup?(moment: SetupContext<{}>): unknown;
  teardown?(outcome: TeardownContext): unknown;
}

/** What a test may say. */
export interface TestOptions<Row extends object, N extends Needs> extends Omit<Options, 'overrides'> {
  /** Fixtures whose values the body is handed, by these names. */
  needs?: N | undefined;
  /** A case for each of these rows; one case without. */
  cases?: CaseSource<Row> | undefined;
  /** What changes about fixtures, for all rows or for each by its own. */
  overrides?: (readonly Override[] | ((row: Row) => readonly Override[])) | undefined;
}

// Which of a list is none, the plan tells.
const bindings = listOf('overrides');
const rows: Wanted = { is: 'case source such as table(…) or rows(…)', fits: (value) => value instanceof Cases };
const wantedOfAll: WantedOf<Options> = {
  ...rowAnnotationSpecs,
  overrides: bindings,
  always: listOf('fixtures'),
  concurrency: count(1),
  allowEmpty: truth,
  retries: count(0),
};
const bindingsByRow = either('array of overrides, or function that returns one', bindings, callable);
const wantedOfTests: WantedOf<TestOptions<any, any>> = { ...wantedOfAll, overrides: bindingsByRow, needs: recordOf('fixtures'), cases: rows };
const around = recordOf('setup or teardown');
const wantedOfSuites: WantedOf<SuiteOptions<any>> = {
  ...wantedOfAll,
  overrides: bindingsByRow,
  cases: rows,
  annotations: recordOf('annotations by title', isObject),
  variants: recordOf('an array of overrides for each name', bindings.fits),
  perCase: around,
  perSuite: around,
};
const wantedOfAround: WantedOf<SetupTeardown> = { setup: callable, teardown: callable };

function refuseStrangeSuite(options: AnyOptions, owner: string): void {
  refuseStrange(options, wantedOfSuites, owner);
  for (const [title, marks] of Object.entries(options.annotations ?? {})) refuseStrange(marks, annotationSpecs, `annotations of "${title}" in ${owner}`);
  refuseStrange(options.perCase, wantedOfAround, `perCase of ${owner}`);
  refuseStrange(options.perSuite, wantedOfAround, `perSuite of ${owner}`);
}

type AnyOptions = SuiteOptions<any>;
type Children = readonly Child[] | ((row: any) => readonly Child[]);
export type Body = (now: CaseContext<any>, needs: any) => unknown;

/** Counts definitions, so that what a file exports runs in the order in which it was written. */
let serial = 0;

/** The one implementation of `Suite`. */
export class SuiteImpl implements Suite {
  readonly [kind] = 'suite' as const;
  readonly title: string;
  /** Its own options, then those of each `adapt` laid over them. */
  readonly layers: readonly { readonly options: AnyOptions; readonly origin: Origin }[];
  readonly children: Children;
  readonly serial = serial++;

  constructor(title: string, layers: SuiteImpl['layers'], children: Children) {
    this.title = title;
    this.layers = layers;
    this.children = children;
  }

  get origin(): Origin {
    return this.layers.at(-1)?.origin ?? {};
  }

  adapt(title: string, options: AnyOptions = {}): Suite {
    refuseStrangeSuite(options, `suite "${title}"`);
    return new SuiteImpl(title, [...this.layers, { options, origin: captureOrigin(this.adapt) }], this.children);
  }
}

/** The one implementation of `Test`. */
export class TestImpl implements Test {
  readonly [kind] = 'test' as const;
  readonly title: string;
  readonly options: TestOptions<any, any>;
  readonly body: Body;
  readonly origin: Origin;
  readonly serial = serial++;

  constructor(title: string, options: TestOptions<any, any>, body: Body, origin: Origin) {
    this.title = title;
    this.options = options;
    this.body = body;
    this.origin = origin;
  }
}

/** Whether something is a suite or a test that another copy of this library made: to this one it is neither. */
export const isOfAnotherCopy = (given: unknown): given is { readonly title: string } =>
  typeof given === 'object' && given !== null && kind in given && 'title' in given && !(given instanceof SuiteImpl) && !(given instanceof TestImpl);

/** What is wrong with a child that is neither a suite nor a test. */
export const strangeChild = (child: unknown, owner: string): Problem =>
  isOfAnotherCopy(child)
    ? { code: 'duplicate-package', title: child.title, owner }
    : { code: 'invalid-type', expected: 'test or suite', got: String(child), owner };

/** A named group of tests and suites. What a test file exports, runs; a suite that is not exported is raw material for others. */
export function suite(title: string, children: readonly Child[]): Suite;
export function suite<Row extends object = {}>(title: string, options: SuiteOptions<Row>, children: readonly Child[] | ((row: Row) => readonly Child[])): Suite;
export function suite(title: string, ...rest: readonly [Children] | readonly [AnyOptions, Children]): Suite {
  const [options = {}, children] = rest.length === 2 ? rest : [{}, rest[0]];
  const origin = captureOrigin(suite);
  if (typeof title !== 'string') refuse({ code: 'invalid-type', expected: 'string', got: String(title), owner: 'suite title' });
  refuseStrangeSuite(options, `suite "${title}"`);
  if (!Array.isArray(children) && typeof children !== 'function')
    refuse({ code: 'invalid-type', expected: 'array of tests and suites', got: typeof children, owner: `suite "${title}"` });
  if (Array.isArray(children)) {
    for (const child of children as unknown[]) {
      if (child && !(child instanceof SuiteImpl) && !(child instanceof TestImpl)) refuse(strangeChild(child, `suite "${title}"`));
    }
  }
  return new SuiteImpl(title, [{ options, origin }], children);
}

type Names<Row> = Row extends unknown ? keyof Row & string : never;
/** '{{' stands for a brace. */
type Titled<T extends string, Row> = T extends `${infer A}{{${infer B}`
  ? Titled<`${A}${B}`, Row>
  : T extends `${string}{${infer P}}${infer Rest}`
    ? P extends Names<Row> | `${Names<Row>}.${string}`
      ? Titled<Rest, Row>
      : { readonly 'unknown column': P; readonly 'known columns': Names<Row> }
    : unknown;

/**
 * A named body, with what it needs and its cases. A title may hold columns in braces: 'charges {nights} nights'.
 *
 * ```ts
 * export const dues = test('{nights} nights cost {due}', {
 *   needs: { tariff },
 *   cases: table(['nights', 'due'], [[1, 16], [3, 48]]),
 * }, ({ row, check }, { tariff }) => check.equal(tariff.quote(row.nights), row.due));
 * ```
 */
export function test(title: string, body: (now: CaseContext<{}>) => unknown): Test;
export function test<Row extends object = {}, N extends Needs = {}, const T extends string = string>(
  title: T & (string extends keyof Row ? unknown : Titled<T, Row>),
  options: TestOptions<Row, N>,
  body: (now: CaseContext<Row>, needs: Values<N>) => unknown,
): Test;
export function test(title: string, ...rest: readonly [Body] | readonly [TestOptions<any, any>, Body]): Test {
  return makeTest(title, rest, {}, captureOrigin(test));
}

/** `test` for those who all need the same. */
export function testWith<N extends Needs>(
  needs: N,
): {
  (title: string, body: (now: CaseContext<{}>, needs: Values<N>) => unknown): Test;
  <Row extends object = {}, M extends Needs = {}>(
    title: string,
    options: TestOptions<Row, M>,
    body: (now: CaseContext<Row>, needs: Values<N & M>) => unknown,
  ): Test;
} {
  return function testOfThese(title: string, ...rest: readonly [Body] | readonly [TestOptions<any, any>, Body]): Test {
    return makeTest(title, rest, needs, captureOrigin(testOfThese));
  };
}

function makeTest(title: string, rest: readonly [Body] | readonly [TestOptions<any, any>, Body], needs: Needs, origin: Origin): Test {
  const [options = {}, body] = rest.length === 2 ? rest : [{}, rest[0]];
  if (typeof title !== 'string') refuse({ code: 'invalid-type', expected: 'string', got: String(title), owner: 'test title' });
  if (typeof body !== 'function') refuse({ code: 'invalid-type', expected: 'function', got: typeof body, owner: `the body of test "${title}"` });
  refuseStrange(options, wantedOfTests, `test "${title}"`);
  return new TestImpl(title, { ...options, needs: { ...needs, ...options.needs } }, body, origin);
}

/** What all test files in a folder and below share. */
export interface FolderDefaults {
  readonly options: Options;
}

/** The default export of a folder's `folder.lattice.ts`: what all test files in this folder and below share. Inner folders win. */
export function folder(options: Options): FolderDefaults {
  refuseStrange(options, wantedOfAll, 'folder');
  return new FolderDefaultsImpl(options);
}

export class FolderDefaultsImpl implements FolderDefaults {
  readonly options: Options;
  constructor(options: Options) {
    this.options = options;
  }
}
