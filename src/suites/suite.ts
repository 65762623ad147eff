import { type Marks, wantedMarks, wantedRowMarks } from '../cases/marks.ts';
import { type CaseSource, Cases } from '../cases/source.ts';
import { type Binding, kind, type Needs, type Outcome, type SetupMoment, type Source, type Values } from '../fixtures/fixture.ts';
import { captureOrigin, type Origin } from '../problems/place.ts';
import type { Problem } from '../problems/problem.ts';
import { refuse } from '../problems/problem-error.ts';
import { callable, count, either, isObject, listOf, recordOf, refuseStrange, truth, type Wanted, type WantedOf } from '../problems/wanted.ts';
import type { CaseInHand } from './hand.ts';

/** What folders, suites and tests may say for what is within; the inner statement wins, tags and bindings add up. */
export interface Options extends Marks {
  /** What changes about fixtures for all cases within. */
  bind?: readonly Binding[] | undefined;
  /** Fixtures that every case within gets, whether or not it names them. */
  always?: readonly Source<any>[] | undefined;
  /** Milliseconds for each case's body; 10,000 unless said. */
  timeout?: number | undefined;
  /** How many of its cases may be under way at once within a lane; 1 unless said. */
  concurrency?: number | undefined;
  /** Names of things that only one case of the whole run may use at a time. */
  locks?: readonly string[] | undefined;
  /** A source without rows is an error of the plan, unless this says so. */
  mayBeEmpty?: boolean | undefined;
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
export interface SuiteOptions<Row extends object = {}> extends Omit<Options, 'bind'> {
  /** The whole suite once for each of these rows. */
  cases?: CaseSource<Row> | undefined;
  /** What changes about fixtures, for all rows or for each by its own. */
  bind?: (readonly Binding[] | ((row: Row) => readonly Binding[])) | undefined;
  /** Marks for single children, by title path; a title that is not there is an error of the plan. */
  marks?: Readonly<Record<string, Marks>> | undefined;
  /** The whole suite once under each of these names, with its bindings. */
  variants?: Readonly<Record<string, readonly Binding[]>> | undefined;
  /** Short forms of a value-less fixture in `always`: around each case, or once around the suite. */
  each?: Around | undefined;
  once?: Around | undefined;
}

/** A set-up and a tear-down without a value. */
export interface Around {
  setup?(moment: SetupMoment<{}>): unknown;
  teardown?(outcome: Outcome): unknown;
}

/** What a test may say. */
export interface TestOptions<Row extends object, N extends Needs> extends Omit<Options, 'bind'> {
  /** Fixtures whose values the body is handed, by these names. */
  needs?: N | undefined;
  /** A case for each of these rows; one case without. */
  cases?: CaseSource<Row> | undefined;
  /** What changes about fixtures, for all rows or for each by its own. */
  bind?: (readonly Binding[] | ((row: Row) => readonly Binding[])) | undefined;
}

// Which of a list is none, the plan tells.
const bindings = listOf('bindings');
const rows: Wanted = { is: 'source of cases, such as table(…) or rows(…)', fits: (value) => value instanceof Cases };
const wantedOfAll: WantedOf<Options> = {
  ...wantedRowMarks,
  bind: bindings,
  always: listOf('fixtures'),
  concurrency: count(1),
  mayBeEmpty: truth,
  retries: count(0),
};
const bindingsByRow = either('list of bindings, or a function that gives one', bindings, callable);
const wantedOfTests: WantedOf<TestOptions<any, any>> = { ...wantedOfAll, bind: bindingsByRow, needs: recordOf('fixtures'), cases: rows };
const around = recordOf('a set-up or a tear-down');
const wantedOfSuites: WantedOf<SuiteOptions<any>> = {
  ...wantedOfAll,
  bind: bindingsByRow,
  cases: rows,
  marks: recordOf('marks for titles', isObject),
  variants: recordOf('a list of bindings for each name', bindings.fits),
  each: around,
  once: around,
};
const wantedOfAround: WantedOf<Around> = { setup: callable, teardown: callable };

function refuseStrangeSuite(options: AnyOptions, owner: string): void {
  refuseStrange(options, wantedOfSuites, owner);
  for (const [title, marks] of Object.entries(options.marks ?? {})) refuseStrange(marks, wantedMarks, `marks of "${title}" in ${owner}`);
  refuseStrange(options.each, wantedOfAround, `each of ${owner}`);
  refuseStrange(options.once, wantedOfAround, `once of ${owner}`);
}

type AnyOptions = SuiteOptions<any>;
type Children = readonly Child[] | ((row: any) => readonly Child[]);
export type Body = (now: CaseInHand<any>, needs: any) => unknown;

/** Counts definitions, so that what a file exports runs in the order in which it was written. */
let serial = 0;

/** The one implementation of `Suite`. */
export class SuiteOf implements Suite {
  readonly [kind] = 'suite' as const;
  readonly title: string;
  /** Its own options, then those of each `adapt` laid over them. */
  readonly layers: readonly { readonly options: AnyOptions; readonly origin: Origin }[];
  readonly children: Children;
  readonly serial = serial++;

  constructor(title: string, layers: SuiteOf['layers'], children: Children) {
    this.title = title;
    this.layers = layers;
    this.children = children;
  }

  get origin(): Origin {
    return this.layers.at(-1)?.origin ?? {};
  }

  adapt(title: string, options: AnyOptions = {}): Suite {
    refuseStrangeSuite(options, `suite "${title}"`);
    return new SuiteOf(title, [...this.layers, { options, origin: captureOrigin(this.adapt) }], this.children);
  }
}

/** The one implementation of `Test`. */
export class TestOf implements Test {
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
  typeof given === 'object' && given !== null && kind in given && 'title' in given && !(given instanceof SuiteOf) && !(given instanceof TestOf);

/** What is wrong with a child that is neither a suite nor a test. */
export const strangeChild = (child: unknown, owner: string): Problem =>
  isOfAnotherCopy(child) ? { code: 'other-copy', title: child.title, owner } : { code: 'not-a', wanted: 'test or suite', got: String(child), owner };

/** A named group of tests and suites. What a test file exports, runs; a suite that is not exported is raw material for others. */
export function suite(title: string, children: readonly Child[]): Suite;
export function suite<Row extends object = {}>(title: string, options: SuiteOptions<Row>, children: readonly Child[] | ((row: Row) => readonly Child[])): Suite;
export function suite(title: string, ...rest: readonly [Children] | readonly [AnyOptions, Children]): Suite {
  const [options = {}, children] = rest.length === 2 ? rest : [{}, rest[0]];
  const origin = captureOrigin(suite);
  if (typeof title !== 'string') refuse({ code: 'not-a', wanted: 'text', got: String(title), owner: 'the title of a suite' });
  refuseStrangeSuite(options, `suite "${title}"`);
  if (!Array.isArray(children) && typeof children !== 'function')
    refuse({ code: 'not-a', wanted: 'list of tests and suites', got: typeof children, owner: `suite "${title}"` });
  if (Array.isArray(children)) {
    for (const child of children as unknown[]) {
      if (child && !(child instanceof SuiteOf) && !(child instanceof TestOf)) refuse(strangeChild(child, `suite "${title}"`));
    }
  }
  return new SuiteOf(title, [{ options, origin }], children);
}

type Names<Row> = Row extends unknown ? keyof Row & string : never;
/** '{{' stands for a brace. */
type Titled<T extends string, Row> = T extends `${infer A}{{${infer B}`
  ? Titled<`${A}${B}`, Row>
  : T extends `${string}{${infer P}}${infer Rest}`
    ? P extends Names<Row> | `${Names<Row>}.${string}`
      ? Titled<Rest, Row>
      : { readonly 'no such column': P; readonly 'there are': Names<Row> }
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
export function test(title: string, body: (now: CaseInHand<{}>) => unknown): Test;
export function test<Row extends object = {}, N extends Needs = {}, const T extends string = string>(
  title: T & (string extends keyof Row ? unknown : Titled<T, Row>),
  options: TestOptions<Row, N>,
  body: (now: CaseInHand<Row>, needs: Values<N>) => unknown,
): Test;
export function test(title: string, ...rest: readonly [Body] | readonly [TestOptions<any, any>, Body]): Test {
  return makeTest(title, rest, {}, captureOrigin(test));
}

/** `test` for those who all need the same. */
export function testWith<N extends Needs>(
  needs: N,
): {
  (title: string, body: (now: CaseInHand<{}>, needs: Values<N>) => unknown): Test;
  <Row extends object = {}, M extends Needs = {}>(
    title: string,
    options: TestOptions<Row, M>,
    body: (now: CaseInHand<Row>, needs: Values<N & M>) => unknown,
  ): Test;
} {
  return function testOfThese(title: string, ...rest: readonly [Body] | readonly [TestOptions<any, any>, Body]): Test {
    return makeTest(title, rest, needs, captureOrigin(testOfThese));
  };
}

function makeTest(title: string, rest: readonly [Body] | readonly [TestOptions<any, any>, Body], needs: Needs, origin: Origin): Test {
  const [options = {}, body] = rest.length === 2 ? rest : [{}, rest[0]];
  if (typeof title !== 'string') refuse({ code: 'not-a', wanted: 'text', got: String(title), owner: 'the title of a test' });
  if (typeof body !== 'function') refuse({ code: 'not-a', wanted: 'function', got: typeof body, owner: `the body of test "${title}"` });
  refuseStrange(options, wantedOfTests, `test "${title}"`);
  return new TestOf(title, { ...options, needs: { ...needs, ...options.needs } }, body, origin);
}

/** What all test files in a folder and below share. */
export interface Here {
  readonly options: Options;
}

/** The default export of a folder's `here.lattice.ts`: what all test files in this folder and below share. Inner folders win. */
export function here(options: Options): Here {
  refuseStrange(options, wantedOfAll, 'here');
  return new HereOf(options);
}

export class HereOf implements Here {
  readonly options: Options;
  constructor(options: Options) {
    this.options = options;
  }
}
