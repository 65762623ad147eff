import { type Annotations, annotationSpecs, rowAnnotationSpecs } from '../cases/annotations.ts';
import { type CaseSource, CaseSourceImpl } from '../cases/source.ts';
import { brand, type Needs, type Override, type Provider, type SetupContext, type TeardownContext, type Values } from '../fixtures/fixture.ts';
import {
  assertValidOptions,
  booleanSpec,
  functionSpec,
  integerAtLeast,
  isObject,
  listOf,
  type OptionSpec,
  type OptionSpecs,
  oneOfSpecs,
  recordOf,
} from '../problems/option-specs.ts';
import type { Problem } from '../problems/problem.ts';
import { throwProblem } from '../problems/problem-error.ts';
import { type CapturedStack, captureStack } from '../problems/source-location.ts';
import type { CaseContext } from './contexts.ts';
import { noteCreated } from './created-items.ts';

/** Options of folders, suites and tests. They apply to everything inside; inner options win, tags and overrides add up. */
export interface Options extends Annotations {
  /** Overrides of fixtures for all cases inside. */
  overrides?: readonly Override[] | undefined;
  /** Fixtures that every case inside gets, even if it does not need them. */
  always?: readonly Provider<any>[] | undefined;
  /** The time limit of a case body in milliseconds. Default: 10,000. */
  timeout?: number | undefined;
  /** How many cases of this test can run at a time in each lane. Default: 1. */
  concurrency?: number | undefined;
  /** Names of resources that only one case of the whole run can use at a time. '*': the case runs alone in its lane. */
  locks?: readonly string[] | undefined;
  /** Allow case sources without rows. Default: false, a plan error. */
  allowEmpty?: boolean | undefined;
  /** Changes computed and expected texts before `check.file` compares them: to leave out a date, for example. Outer ones come first. */
  normalize?: ((text: string) => string) | undefined;
  /** How often a failed case is retried. A case that passes after a retry is reported as flaky. Default: 0. */
  retries?: number | undefined;
}

/** A named group of tests and suites. */
export interface Suite {
  readonly [brand]: 'suite';
  readonly title: string;
  /** Returns the same suite under another title, with these options over its own. */
  adapt(title: string, options: SuiteOptions & { cases?: undefined }): Suite;
  /** Returns the suite once per row of a case source. */
  adapt<Row extends object>(title: string, options: SuiteOptions<Row>): Suite;
}

/** A test, created with `test`. */
export interface Test {
  readonly [brand]: 'test';
  readonly title: string;
}

/** An item of a suite. False, null and undefined are left out, so that `condition && test(…)` works. */
export type Child = Suite | Test | false | null | undefined;

/** Options of a suite. They apply to everything inside. */
export interface SuiteOptions<Row extends object = {}> extends Omit<Options, 'overrides'> {
  /** Rows: the suite runs once per row. */
  cases?: CaseSource<Row> | undefined;
  /** Overrides of fixtures, or a function that returns them for a row. */
  overrides?: (readonly Override[] | ((row: Row) => readonly Override[])) | undefined;
  /** Annotations for single children, by title path such as 'inner suite/test'. An unknown title is a plan error. */
  annotations?: Readonly<Record<string, Annotations>> | undefined;
  /** Variants: the suite runs once per name, with its overrides. */
  variants?: Readonly<Record<string, readonly Override[]>> | undefined;
  /** A setup and teardown around each case. */
  perCase?: SetupTeardown | undefined;
  /** A setup and teardown once around the suite. */
  perSuite?: SetupTeardown | undefined;
}

/** A setup and a teardown without a value. */
export interface SetupTeardown {
  setup?(context: SetupContext<{}>): unknown;
  teardown?(context: TeardownContext): unknown;
}

/** Options of a test. */
export interface TestOptions<Row extends object, N extends Needs> extends Omit<Options, 'overrides'> {
  /** Fixtures whose values the body receives under these names. */
  needs?: N | undefined;
  /** Rows: one case per row. Default: one case without a row. */
  cases?: CaseSource<Row> | undefined;
  /** Overrides of fixtures, or a function that returns them for a row. */
  overrides?: (readonly Override[] | ((row: Row) => readonly Override[])) | undefined;
}

// The plan reports invalid items of a list.
const overridesSpec = listOf('overrides');
const rows: OptionSpec = { expected: 'case source such as table(…) or rows(…)', matches: (value) => value instanceof CaseSourceImpl };
const commonSpecs: OptionSpecs<Options> = {
  ...rowAnnotationSpecs,
  overrides: overridesSpec,
  always: listOf('fixtures'),
  concurrency: integerAtLeast(1),
  allowEmpty: booleanSpec,
  normalize: functionSpec,
  retries: integerAtLeast(0),
};
const overridesByRowSpec = oneOfSpecs('array of overrides, or function that returns one', overridesSpec, functionSpec);
const testSpecs: OptionSpecs<TestOptions<any, any>> = { ...commonSpecs, overrides: overridesByRowSpec, needs: recordOf('fixtures'), cases: rows };
const hookSpec = recordOf('setup or teardown');
const suiteSpecs: OptionSpecs<SuiteOptions<any>> = {
  ...commonSpecs,
  overrides: overridesByRowSpec,
  cases: rows,
  annotations: recordOf('annotations by title', isObject),
  variants: recordOf('an array of overrides for each name', overridesSpec.matches),
  perCase: hookSpec,
  perSuite: hookSpec,
};
const hookSpecs: OptionSpecs<SetupTeardown> = { setup: functionSpec, teardown: functionSpec };

function assertValidSuite(options: AnyOptions, owner: string): void {
  assertValidOptions(options, suiteSpecs, owner);
  for (const [title, marks] of Object.entries(options.annotations ?? {})) assertValidOptions(marks, annotationSpecs, `annotations of "${title}" in ${owner}`);
  assertValidOptions(options.perCase, hookSpecs, `perCase of ${owner}`);
  assertValidOptions(options.perSuite, hookSpecs, `perSuite of ${owner}`);
}

type AnyOptions = SuiteOptions<any>;
type Children = readonly Child[] | ((row: any) => readonly Child[]);
export type Body = (context: CaseContext<any>, needs: any) => unknown;

/** Counts definitions, so that the exports of a file run in the order of definition. */
let definitionOrder = 0;

/** Implements `Suite`. */
export class SuiteImpl implements Suite {
  readonly [brand] = 'suite' as const;
  readonly title: string;
  /** Its own options, and those of each `adapt`, in this order. */
  readonly layers: readonly { readonly options: AnyOptions; readonly origin: CapturedStack }[];
  readonly children: Children;
  readonly definitionOrder = definitionOrder++;

  constructor(title: string, layers: SuiteImpl['layers'], children: Children) {
    this.title = title;
    this.layers = layers;
    this.children = children;
    noteCreated(this);
  }

  get origin(): CapturedStack {
    return this.layers.at(-1)?.origin ?? {};
  }

  adapt(title: string, options: AnyOptions = {}): Suite {
    assertValidSuite(options, `suite "${title}"`);
    return new SuiteImpl(title, [...this.layers, { options, origin: captureStack(this.adapt) }], this.children);
  }
}

/** Implements `Test`. */
export class TestImpl implements Test {
  readonly [brand] = 'test' as const;
  readonly title: string;
  readonly options: TestOptions<any, any>;
  readonly body: Body;
  readonly origin: CapturedStack;
  readonly definitionOrder = definitionOrder++;

  constructor(title: string, options: TestOptions<any, any>, body: Body, origin: CapturedStack) {
    this.title = title;
    this.options = options;
    this.body = body;
    this.origin = origin;
    noteCreated(this);
  }
}

/** Whether a value is a suite or a test that another copy of this library created, which this one cannot run. */
export const isOfAnotherCopy = (given: unknown): given is { readonly title: string } =>
  typeof given === 'object' && given !== null && brand in given && 'title' in given && !(given instanceof SuiteImpl) && !(given instanceof TestImpl);

/** The problem of a child that is neither a suite nor a test. */
export const buildInvalidChildProblem = (child: unknown, owner: string): Problem =>
  isOfAnotherCopy(child)
    ? { code: 'duplicate-package', title: child.title, owner }
    : { code: 'invalid-type', expected: 'test or suite', got: String(child), owner };

/**
 * Define a named group of tests and suites.
 *
 * Exported suites run. A suite that is not exported can be a building block of others.
 *
 * ```ts
 * export const dues = suite('dues', { tags: ['money'] }, [perNight, perWeek]);
 * ```
 *
 * Throws a ProblemError for unknown or invalid options.
 */
export function suite(title: string, children: readonly Child[]): Suite;
export function suite<Row extends object = {}>(title: string, options: SuiteOptions<Row>, children: readonly Child[] | ((row: Row) => readonly Child[])): Suite;
export function suite(title: string, ...rest: readonly [Children] | readonly [AnyOptions, Children]): Suite {
  const [options = {}, children] = rest.length === 2 ? rest : [{}, rest[0]];
  const origin = captureStack(suite);
  if (typeof title !== 'string') throwProblem({ code: 'invalid-type', expected: 'string', got: String(title), owner: 'suite title' });
  assertValidSuite(options, `suite "${title}"`);
  if (!Array.isArray(children) && typeof children !== 'function')
    throwProblem({ code: 'invalid-type', expected: 'array of tests and suites', got: typeof children, owner: `suite "${title}"` });
  if (Array.isArray(children)) {
    for (const child of children as unknown[]) {
      if (child && !(child instanceof SuiteImpl) && !(child instanceof TestImpl)) throwProblem(buildInvalidChildProblem(child, `suite "${title}"`));
    }
  }
  return new SuiteImpl(title, [{ options, origin }], children);
}

type Names<Row> = Row extends unknown ? keyof Row & string : never;
/** `{{` is an escaped brace. */
type ValidTitle<T extends string, Row> = T extends `${infer A}{{${infer B}`
  ? ValidTitle<`${A}${B}`, Row>
  : T extends `${string}{${infer P}}${infer Rest}`
    ? P extends Names<Row> | `${Names<Row>}.${string}`
      ? ValidTitle<Rest, Row>
      : { readonly 'unknown column': P; readonly 'known columns': Names<Row> }
    : unknown;

/**
 * Define a test: a title, optional fixtures and cases, and a body that runs once per case.
 *
 * The title can contain columns in braces: 'charges {nights} nights'. Throws a ProblemError for unknown or invalid options.
 *
 * ```ts
 * export const dues = test('{nights} nights cost {due}', {
 *   needs: { tariff },
 *   cases: table(['nights', 'due'], [[1, 16], [3, 48]]),
 * }, ({ row, check }, { tariff }) => check.equal(tariff.quote(row.nights), row.due));
 * ```
 */
export function test(title: string, body: (context: CaseContext<{}>) => unknown): Test;
export function test<Row extends object = {}, N extends Needs = {}, const T extends string = string>(
  title: T & (string extends keyof Row ? unknown : ValidTitle<T, Row>),
  options: TestOptions<Row, N>,
  body: (context: CaseContext<Row>, needs: Values<N>) => unknown,
): Test;
export function test(title: string, ...rest: readonly [Body] | readonly [TestOptions<any, any>, Body]): Test {
  return makeTest(title, rest, {}, captureStack(test));
}

/**
 * Create a `test` function whose tests all need the given fixtures.
 *
 * ```ts
 * const withBook = testWith({ book });
 * export const empty = withBook('a new book is empty', ({ check }, { book }) => check.equal(book.stays, []));
 * ```
 */
export function testWith<N extends Needs>(
  needs: N,
): {
  (title: string, body: (context: CaseContext<{}>, needs: Values<N>) => unknown): Test;
  <Row extends object = {}, M extends Needs = {}>(
    title: string,
    options: TestOptions<Row, M>,
    body: (context: CaseContext<Row>, needs: Values<N & M>) => unknown,
  ): Test;
} {
  return function testOfThese(title: string, ...rest: readonly [Body] | readonly [TestOptions<any, any>, Body]): Test {
    return makeTest(title, rest, needs, captureStack(testOfThese));
  };
}

function makeTest(title: string, rest: readonly [Body] | readonly [TestOptions<any, any>, Body], needs: Needs, origin: CapturedStack): Test {
  const [options = {}, body] = rest.length === 2 ? rest : [{}, rest[0]];
  if (typeof title !== 'string') throwProblem({ code: 'invalid-type', expected: 'string', got: String(title), owner: 'test title' });
  if (typeof body !== 'function') throwProblem({ code: 'invalid-type', expected: 'function', got: typeof body, owner: `the body of test "${title}"` });
  assertValidOptions(options, testSpecs, `test "${title}"`);
  return new TestImpl(title, { ...options, needs: { ...needs, ...options.needs } }, body, origin);
}

/** Defaults for all test files in a folder and below. */
export interface FolderDefaults {
  readonly options: Options;
}

/**
 * Define defaults for all test files in a folder and below: the default export of its `folder.lattice.ts`.
 *
 * Inner folders win over outer ones; suites and tests win over folders.
 *
 * ```ts
 * export default folder({ tags: ['money'], overrides: [tariff.with({ year: 2031 })] });
 * ```
 */
export function folder(options: Options): FolderDefaults {
  assertValidOptions(options, commonSpecs, 'folder');
  return new FolderDefaultsImpl(options);
}

export class FolderDefaultsImpl implements FolderDefaults {
  readonly options: Options;
  constructor(options: Options) {
    this.options = options;
  }
}
