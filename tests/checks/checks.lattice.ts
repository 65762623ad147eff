import { assert, type CaseContext, namedRows, suite, table, test } from 'red-lattice';
import { runInside } from '../inner.ts';

class Berth {
  constructor(readonly name: string) {}
}
class Mooring {
  constructor(readonly name: string) {}
}
const circle = (label: string): object => {
  const one: Record<string, unknown> = { label };
  one['self'] = one;
  return one;
};
const nest = (levels: number): unknown => (levels === 0 ? 1 : [nest(levels - 1)]);
const sym = Symbol('tide');

/** Runs one body. Returns its failures as `note: message | actual | expected`, and the number of passed checks. */
async function failures(body: (now: CaseContext<{}>) => unknown): Promise<{ said: string[]; files: unknown[]; passed: number }> {
  const { seen } = await runInside([test('inner', body)]);
  const result = seen[0]?.result;
  const said = result?.failures.map(({ note, message, actual, expected }) =>
    [`${note ? `${note}: ` : ''}${message}`, actual, expected].filter((part) => part !== undefined).join(' | '),
  );
  const files = result?.failures.map(({ location }) => location?.file) ?? [];
  return { said: said ?? [], files, passed: result?.checks.passed ?? 0 };
}

export const equality = suite('equal', [
  test('holds for {what}', {
    cases: namedRows<{ what: string; a: unknown; b: unknown }>({
      nan: { what: 'NaN', a: Number.NaN, b: Number.NaN },
      zeros: { what: 'both zeros', a: 0, b: -0 },
      nested: { what: 'nested structures', a: { a: [1, { b: new Map([['k', new Set([1])]]) }] }, b: { a: [1, { b: new Map([['k', new Set([1])]]) }] } },
      order: { what: 'keys in another order', a: { a: 1, b: 2 }, b: { b: 2, a: 1 } },
      dates: { what: 'dates', a: new Date(5), b: new Date(5) },
      bytes: { what: 'typed arrays', a: new Uint8Array([1, 2]), b: new Uint8Array([1, 2]) },
      cycles: { what: 'circles', a: circle('x'), b: circle('x') },
      'one for two': { what: 'one circle, and two', a: Array(3).fill(circle('x')), b: [circle('x'), circle('x'), circle('x')] },
      sets: { what: 'sets of objects, in any order', a: new Set([{ a: 1 }, { a: 2 }]), b: new Set([{ a: 2 }, { a: 1 }]) },
      maps: { what: 'maps with objects as keys', a: new Map([[{ a: 1 }, 1]]), b: new Map([[{ a: 1 }, 1]]) },
      errors: { what: 'errors', a: new RangeError('deep'), b: new RangeError('deep') },
      instances: { what: 'instances of one class', a: new Berth('N4'), b: new Berth('N4') },
    }),
  }, ({ row, check }) => {
    check.equal(row.a, row.b);
    check.equal(row.b, row.a);
  }),
  test('does not hold for {what}', {
    cases: namedRows<{ what: string; a: unknown; b: unknown }>({
      types: { what: 'a number and its text', a: 1, b: '1' },
      absent: { what: 'an absent and an undefined property', a: {}, b: { a: undefined } },
      classes: { what: 'instances of two classes', a: new Berth('N4'), b: new Mooring('N4') },
      plain: { what: 'an instance and a plain object', a: new Berth('N4'), b: { name: 'N4' } },
      lengths: { what: 'arrays of two lengths', a: [1, 2], b: [1, 2, undefined] },
      holes: { what: 'a hole and undefined', a: Object.assign([1], { 2: 2 }), b: [1, undefined, 2] },
      symbols: { what: 'properties under symbols', a: { [sym]: 1 }, b: { [sym]: 2 } },
      causes: { what: 'errors with two causes', a: new Error('x', { cause: 1 }), b: new Error('x', { cause: 2 }) },
      several: { what: 'errors of several others', a: new AggregateError([new Error('x')]), b: new AggregateError([new Error('y')]) },
      sets: { what: 'sets that match one item twice', a: new Set([{ a: 1 }, { a: 1 }]), b: new Set([{ a: 1 }, { a: 2 }]) },
      maps: { what: 'maps with other values', a: new Map([['k', 1]]), b: new Map([['k', 2]]) },
      'maps of lists': { what: 'maps with other lists under one key', a: new Map([['k', [1]]]), b: new Map([['k', []]]) },
      'maps of maps': {
        what: 'maps with other maps under one key',
        a: new Map([['k', new Map([['x', {}]])]]),
        b: new Map([['k', new Map([['x', { y: 1 }]])]]),
      },
      cycles: { what: 'circles with other labels', a: circle('x'), b: circle('y') },
      views: { what: 'typed arrays of two kinds', a: new Uint8Array([1]), b: new Int8Array([1]) },
      functions: { what: 'two functions', a: () => 1, b: () => 1 },
      nulls: { what: 'null and an object', a: null, b: {} },
      regexps: { what: 'patterns with other flags', a: /a/, b: /a/i },
      'error names': { what: 'errors of two names', a: new Error('x'), b: Object.defineProperty(new Error('x'), 'name', { value: 'TideError' }) },
      promises: { what: 'two promises', a: [Promise.resolve(1)], b: [Promise.resolve(1)] },
      weakmaps: { what: 'two weak maps', a: new WeakMap(), b: new WeakMap() },
      weaksets: { what: 'two weak sets', a: new WeakSet(), b: new WeakSet() },
    }),
  }, ({ row, check }) => {
    check.notEqual(row.a, row.b);
    check.notEqual(row.b, row.a);
  }),
]);

export const messages = test('a failed check reports: {says}', {
  cases: namedRows<{ says: string; body: (now: CaseContext<{}>) => unknown }>({
    'a property that cannot be read': {
      says: 'not equal | { depth: [threw Error: no tide] } | {}',
      body: ({ check }) => check.equal(Object.defineProperty({}, 'depth', { enumerable: true, get: throwing(new Error('no tide')) }), {}),
    },
    equal: { says: 'dues: not equal | 72 | 73', body: ({ check }) => check.equal(72, 73, 'dues') },
    identical: { says: 'equal, but not the same object | [1] | [1]', body: ({ check }) => check.same([1], [1]) },
    close: { says: 'off by 0.1, allowed 0.05 | 1.1 | 1', body: ({ check }) => check.closeTo(1.1, 1, 0.05) },
    relative: { says: 'off by 2, allowed 1 | 102 | 100', body: ({ check }) => check.closeTo(102, 100, { relative: 0.01 }) },
    'not a number': { says: 'not a number | undefined | 1', body: ({ check }) => check.closeTo(undefined, 1, 5) },
    matches: { says: 'does not match | "noon" | /^M/', body: ({ check }) => check.matches('noon', /^M/) },
    includes: { says: 'not included | [{ a: 1 }] | { a: 2 }', body: ({ check }) => check.includes([{ a: 1 }], { a: 2 }) },
    has: {
      says: 'lacks properties | { a: { b: 1 } } | { a: { b: 2 } }',
      body: ({ check }) => check.hasProperties({ a: { b: 1, c: 3 }, d: 4 }, { a: { b: 2 } }),
    },
    'has other items and no name': {
      says: 'lacks properties | { a: [1, 2] } | { a: [1, 3], name: "N4" }',
      body: ({ check }) => check.hasProperties({ a: [1, 2, 3], loa: 8 }, { a: [1, 3], name: 'N4' } as never),
    },
    'has in a number': { says: 'lacks properties | 5 | { a: 1 }', body: ({ check }) => check.hasProperties(5, { a: 1 }) },
    'has in null': { says: 'lacks properties | null | {}', body: ({ check }) => check.hasProperties(null, {}) },
    'has in a list': { says: 'lacks properties | [1] | { "0": 1 }', body: ({ check }) => check.hasProperties([1], { 0: 1 }) },
    'has inside': { says: 'lacks properties | { a: 1 } | { a: { b: 2 } }', body: ({ check }) => check.hasProperties({ a: 1, c: 2 }, { a: { b: 2 } }) },
    'another object': { says: 'not the same | 1 | 2', body: ({ check }) => check.same(1, 2) },
    'matches no text': { says: 'does not match | undefined | /^M/', body: ({ check }) => check.matches(undefined, /^M/) },
    'includes in null': { says: 'not included | null | 1', body: ({ check }) => check.includes(null, 1) },
    'includes in undefined': { says: 'not included | undefined | 1', body: ({ check }) => check.includes(undefined, 1) },
    'includes a number in a text': { says: 'not included | "12" | 1', body: ({ check }) => check.includes('12', 1 as never) },
    'has a property that is inherited': {
      says: 'lacks properties | { toString: [function toString] } | { toString: 1 }',
      body: ({ check }) => check.hasProperties({}, { toString: 1 }),
    },
    'has without prototype': {
      says: 'lacks properties | { a: { b: 1 } } | { a: null-prototype { b: 2 } }',
      body: ({ check }) => check.hasProperties({ a: { b: 1, c: 2 } }, { a: Object.assign(Object.create(null) as object, { b: 2 }) }),
    },
    'a guard that waits': {
      says: 'the guard returned a promise; a guard must return true or false',
      body: ({ check }) => check.satisfies(1, (async () => true) as never),
    },
    'a guard that rejects': { says: 'the guard rejects the value | 1', body: ({ check }) => check.satisfies(1, ((): boolean => false) as never) },
    assert: { says: 'the quote: does not hold: undefined', body: (context) => assert(context, undefined, 'the quote') },
    'throws nothing in time': {
      says: 'threw nothing; expected Error',
      body: async ({ check }) => void (await check.throws(async () => 1, Error)),
    },
    'throws another error class': {
      says: 'threw something other than Error | "noon"',
      body: ({ check }) => check.throws(throwing('noon'), Error),
    },
    'throws a text that a pattern does not match': {
      says: 'threw an error with another message | "noon" | /tide/',
      body: ({ check }) => check.throws(throwing('noon'), /tide/),
    },
    'throws nothing for a guard': { says: 'threw nothing; expected the guard', body: ({ check }) => check.throws(() => 1, ((): boolean => true) as never) },
    holds: { says: 'does not hold: 0', body: ({ check }) => check.holds(0) },
    present: { says: 'is null', body: ({ check }) => check.present(null) },
    fail: { says: 'never here: failed', body: ({ check }) => check.fail('never here') },
    'throws nothing at all': { says: 'threw nothing', body: ({ check }) => check.throws(() => 1) },
    'throws nothing for a pattern': { says: 'threw nothing; expected /tide/', body: ({ check }) => check.throws(() => 1, /tide/) },
    'throws nothing': { says: 'threw nothing; expected RangeError', body: ({ check }) => check.throws(() => 1, RangeError) },
    'throws another': {
      says: 'threw something other than RangeError | TypeError: "x"',
      body: ({ check }) => check.throws(throwing(new TypeError('x')), RangeError),
    },
    'throws what a guard rejects': {
      says: 'threw something that isTide rejects | "noon"',
      body: ({ check }) =>
        check.throws(throwing('noon'), function isTide(error): error is Error {
          return error instanceof Error;
        }),
    },
    'rejects with another message': {
      says: 'threw an error with another message | Error: "late" | /early/',
      body: ({ check }) =>
        check.throws(async () => {
          throw new Error('late');
        }, /early/),
    },
    'a promise as a condition': { says: 'the value is a promise; is an await missing?', body: ({ check }) => check.holds(Promise.resolve(false) as never) },
    'a promise as a value': { says: 'the value is a promise; is an await missing?', body: ({ check }) => check.equal<unknown>(Promise.resolve(1), 1) },
    'a promise that must differ': {
      says: 'the value is a promise; is an await missing?',
      body: ({ check }) => check.notEqual<unknown>(Promise.resolve(1), 1),
    },
    'a promise as present': { says: 'the value is a promise; is an await missing?', body: ({ check }) => check.present(Promise.resolve(null)) },
    'a promise with properties': { says: 'the value is a promise; is an await missing?', body: ({ check }) => check.hasProperties(Promise.resolve({}), {}) },
    'a promise to match': { says: 'the value is a promise; is an await missing?', body: ({ check }) => check.matches(Promise.resolve('noon') as never, /n/) },
    'a promise to search': { says: 'the value is a promise; is an await missing?', body: ({ check }) => check.includes(Promise.resolve([1]) as never, 1) },
    'a promise to measure': { says: 'the value is a promise; is an await missing?', body: ({ check }) => check.closeTo(Promise.resolve(1) as never, 1, 1) },
    'not equal, and the case ends': { says: 'not equal | 1 | 2', body: ({ ensure }) => void ensure.equal(1, 2) },
    'a guard that returns a promise': {
      says: 'isOpen returned a promise; a guard must return true or false',
      body: ({ check }) => check.satisfies(1, async function isOpen() {} as never),
    },
    'throws without a function': { says: 'the first argument of `throws` must be a function; got 5', body: ({ check }) => check.throws(5 as never) },
    'throws with a promise': {
      says: 'the first argument of `throws` must be a function; got a promise: pass `() => promise`, and await the check',
      body: ({ ensure }) => ensure.throws(Promise.resolve() as never),
    },
    'throws with a text': {
      says: 'the expected error of `throws` must be a regular expression for its message, a class or a guard (a note comes third); got "late"',
      body: ({ check }) => check.throws(() => JSON.parse('{'), 'late' as never),
    },
    'matches with a text': {
      says: 'the pattern of `matches` must be a regular expression (for a part of the text, use `includes`); got "o"',
      body: ({ check }) => check.matches('noon', 'o' as never),
    },
    'closeTo without a tolerance': {
      says: 'the tolerance of `closeTo` must be a number of at least 0, or `{ relative: number }`; got undefined',
      body: ({ check }) => check.closeTo(1, 1.2, undefined as never),
    },
    'closeTo without a number': { says: 'the expected value of `closeTo` must be a number; got "1"', body: ({ check }) => check.closeTo(1, '1' as never, 1) },
    'includes in a number': {
      says: 'the value of `includes` must be a string or iterable (for properties, use `hasProperties`); got 5',
      body: ({ check }) => check.includes(5 as never, 5),
    },
    'hasProperties of a text': {
      says: 'the second argument of `hasProperties` must be an object; got "a"',
      body: ({ check }) => check.hasProperties({}, 'a' as never),
    },
    'satisfies without a guard': { says: 'the guard of `satisfies` must be a function; got 5', body: ({ check }) => check.satisfies(1, 5 as never) },
    'throws not awaited': {
      says: '`throws` was still pending when the body ended; is an await missing?',
      body: ({ check }) => void check.throws(() => new Promise(() => {})),
    },
    'throws not awaited in a step': {
      says: '`throws` was still pending when the body ended; is an await missing?',
      body: ({ step }) => step('berth', ({ check }) => void check.throws(() => new Promise(() => {}))),
    },
    'a step not awaited': {
      says: 'step "berth" was still pending when the body ended; is an await missing?',
      body: ({ step }) => void step('berth', () => new Promise(() => {})),
    },
    'a step not awaited by an asynchronous body': {
      says: 'step "berth" was still pending when the body ended; is an await missing?',
      body: async ({ step }) => void step.required('berth', () => new Promise(() => {})),
    },
    'eventually not awaited': {
      says: '`eventually` was still pending when the body ended; is an await missing?',
      body: ({ eventually }) => void eventually(() => false, { within: 1 }),
    },
    eventually: { says: 'condition not met within 5 ms | 0', body: ({ eventually }) => eventually(() => 0, { within: 5, every: 1 }) },
  }),
}, async ({ row, check }) => {
  const { said, files } = await failures(row.body);
  check.equal(said, [row.says]);
  check.equal(files, [import.meta.url], 'the file of the failed check');
});

type Call = (...args: readonly unknown[]) => unknown;
const isText = (value: unknown): value is string => typeof value === 'string';
const throwing = (thrown: unknown) => () => {
  throw thrown;
};

export const required = test('`ensure.{method}` reports what `check.{method}` reports, and ends the case', {
  cases: table(['method', 'failing', 'passing'], [
    ['equal', [[1], [2]], [[1], [1]]],
    ['notEqual', [1, 1], [1, 2]],
    ['same', [[1], [1]], ['a', 'a']],
    ['closeTo', [1.1, 1, 0.05], [1.1, 1, 0.5]],
    ['matches', ['noon', /^M/], ['noon', /^n/]],
    ['includes', ['noon', 'x'], ['noon', 'oo']],
    ['hasProperties', [{ a: 1 }, { a: 2 }], [{ a: 1, b: 2 }, { a: 1 }]],
    ['holds', [0], [1]],
    ['present', [undefined], [0]],
    ['satisfies', [1, isText], ['a', isText]],
    ['throws', [throwing(new Error('late')), /early/], [throwing(new Error('early')), /early/]],
    ['fail', [], undefined],
  ] as const),
}, async ({ row: { method, failing, passing }, check }) => {
  const call = async (kind: 'check' | 'ensure', args: readonly unknown[]) => {
    let isReached = false;
    const outcome = await failures((context) => {
      (context[kind][method] as Call)(...args, 'the tide');
      isReached = true;
    });
    return { ...outcome, isReached };
  };
  const failed = await call('check', failing);
  check.equal([failed.said.length, failed.isReached], [1, true]);
  check.matches(failed.said[0], /^the tide: /);
  check.equal(await call('ensure', failing), { ...failed, isReached: false });
  if (passing) check.equal([await call('ensure', passing), await call('check', passing)], Array(2).fill({ said: [], files: [], passed: 1, isReached: true }));
});

export const holding = test('checks that pass return true, or the value', async ({ check }) => {
  const { said, passed } = await failures(async ({ check, ensure, eventually }) => {
    const once = /oo/gy;
    const results = [
      check.holds(true),
      check.closeTo(1.04, 1, 0.05),
      // The tolerance is included, on both sides.
      check.closeTo(1.5, 1, 0.5) && check.closeTo(0.5, 1, 0.5) && check.closeTo(150, 100, { relative: 0.5 }),
      check.includes('harbour', 'arb'),
      check.includes(new Set([1]), 1),
      check.hasProperties({ a: 1, b: { c: [1, 2] } }, { b: { c: [1] } }),
      check.matches('noon', /OO/i),
      // Global and sticky expressions search the whole text each time.
      check.matches('noon', once),
      check.matches('noon', once),
    ];
    ensure.equal(
      results,
      results.map(() => true),
    );
    ensure.equal(
      ensure.throws(
        () => {
          throw 'noon';
        },
        (error): error is string => error === 'noon',
      ),
      'noon',
    );
    ensure.same(ensure.present('x'), 'x');
    ensure.equal(
      ensure.throws(() => {
        throw new RangeError('deep');
      }, RangeError).message,
      'deep',
    );
    ensure.equal(
      (
        (await check.throws(async () => {
          throw new Error('late');
        }, /late/)) as Error
      ).message,
      'late',
    );
    let asked = 0;
    ensure.equal(await eventually(() => ++asked > 2 && asked, { every: 1 }), 3);
    const sticky = /o/g;
    check.matches('noon', sticky);
    check.matches('noon', sticky);
  });
  check.equal(said, []);
  check.equal(passed, 23);
});

export const showing = test(
  '{value} is shown as {text}',
  {
    cases: table(
      ['value', 'text'],
      [
        ['a "b"\n', '"a \\"b\\"\\n"'],
        [-0, '-0'],
        [new Berth('N4'), 'Berth { name: "N4" }'],
        [new Map([['a', [1]]]), 'Map { "a" → [1] }'],
        [new Set([1, 2]), 'Set [1, 2]'],
        [new Date(0), 'Date 1970-01-01T00:00:00.000Z'],
        [{ 'two words': 1, [sym]: 2 }, '{ "two words": 1, [Symbol(tide)]: 2 }'],
        [circle('x'), '{ label: "x", self: [circular: 1 up] }'],
        [new Uint8Array([1, 2]), 'Uint8Array [1, 2]'],
        [Object.create(null) as object, 'null-prototype {}'],
        [Berth, '[class Berth]'],
        [() => 1, '[function anonymous]'],
        [12n, '12n'],
        [new Date(Number.NaN), 'Date invalid'],
        [[Object(1), Object('a'), Object(false)], '[Number 1, String "a", Boolean false]'],
        [[Promise.resolve(1), new WeakMap(), new WeakSet()], '[Promise, WeakMap, WeakSet]'],
        [Object.assign(/a/, { tide: 'low' }), '/a/ { tide: "low" }'],
        [nest(13), '[[[[[[[[[[[[[deeper]]]]]]]]]]]]]'],
        [Object.create({ constructor: 7 }) as object, '{}'],
        [new Map<string, unknown>(Object.entries({ a: 'x'.repeat(90), b: 1 })), `Map {\n  "a" → "${'x'.repeat(90)}",\n  "b" → 1,\n}`],
      ],
    ),
  },
  async ({ row, check }) =>
    check.equal(
      (await failures(({ check }) => check.equal({}.constructor === Object ? row.value : 0, Symbol.iterator as never))).said[0],
      `not equal | ${row.text} | Symbol(Symbol.iterator)`,
    ),
);
