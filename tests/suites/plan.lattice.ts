import { type Child, cell, dataFile, fixture, here, matrix, named, rows, suite, table, test, values } from 'red-lattice';
import { test as otherTest } from '../../src/index.ts';
import { memoryFiles, refusal, runInside } from '../inner.ts';

const files = memoryFiles({ 'dues.csv': 'loa,nights\n8,1\n', 'twice.csv': 'loa,loa\n1,2\n', 'empty.csv': '', 'dues.xyz': '' });
const body = (): void => {};

export const refusals = test(
  'the plan says: {says}',
  {
    cases: named<{ says: string; suites: () => readonly Child[] }>({
      'an unknown placeholder': {
        says: 'title "{lao} m": no column `lao`; did you mean `loa`?',
        suites: () => [test('{lao} m' as string, { cases: values('loa', [8]) as never }, body)],
      },
      'a placeholder without rows': { says: 'title "{loa} m": no column `loa`; there are: none', suites: () => [test('{loa} m', body)] },
      'a brace that never closes': {
        says: 'title "{loa m": a brace is never closed; write {{ for a brace that stands for itself',
        suites: () => [test('{loa m', body)],
      },
      'a repeated column': {
        says: 'column `a` stands twice in a table; each column needs a name of its own',
        suites: () => [test('t', { cases: table(['a', 'a'] as never, [[1, 2]] as never) }, body)],
      },
      'a row of the wrong length': {
        says: 'row 2 has 1 value for 2 columns (a, b)',
        suites: () => [test('t', { cases: table(['a', 'b'], [[1, 2], [3]] as never) }, body)],
      },
      'an empty table': {
        says: '"t" has no cases: a table is empty; where that may be, say mayBeEmpty: true',
        suites: () => [test('t', { cases: table(['a'], []) }, body)],
      },
      'a missing file': {
        says: 'no data file dus.csv, from the folder of the test file; there is `dues.csv`',
        suites: () => [test('t', { cases: dataFile('dus.csv') }, body)],
      },
      'an unknown ending': {
        says: 'dues.xyz: its ending tells no known format; there are: .csv, .tsv, .json, .jsonl, .ndjson, .yaml, .yml, .xlsx',
        suites: () => [test('t', { cases: dataFile('dues.xyz') }, body)],
      },
      'a missing heading': {
        says: 'no column `night`; did you mean `nights`?',
        suites: () => [test('t', { cases: dataFile('dues.csv', { columns: { night: cell.integer } }) }, body)],
      },
      'a heading twice': {
        says: 'column `loa` stands twice in the headings; each column needs a name of its own',
        suites: () => [test('t', { cases: dataFile('twice.csv') }, body)],
      },
      'a file without headings': { says: 'the file has no line of headings', suites: () => [test('t', { cases: dataFile('empty.csv') }, body)] },
      'a source that throws': {
        says: 'rows threw while its rows were read: Error: no ink',
        suites: () => [
          test(
            't',
            {
              cases: rows(() => {
                throw new Error('no ink');
              }),
            },
            body,
          ),
        ],
      },
      'nothing to run': { says: 'suites exports no suite and no test (only `suites`); only what is exported runs', suites: () => [false, null] },
      'of another copy': {
        says: 'suites: "t" was made by another copy of red-lattice than the one that runs it; a project needs a single one, and `npm ls red-lattice` tells which there are',
        suites: () => [otherTest('t', body) as never],
      },
      'within, of another copy': {
        says: 'suite "s": "t" was made by another copy of red-lattice than the one that runs it; a project needs a single one, and `npm ls red-lattice` tells which there are',
        suites: () => [suite('s', [otherTest('t', body) as never])],
      },
      'what is no fixture': { says: 'test "t": needs.tide is not a fixture', suites: () => [test('t', { needs: { tide: 7 as never } }, body)] },
      'what is no binding': { says: 'bind of test "t": 7 is not a binding', suites: () => [test('t', { bind: [7 as never] }, body)] },
      'a day that is none': {
        says: 'test "t": until: "spring" is not a day like 2031-04-30',
        suites: () => [test('t', { skip: { reason: 'x', until: 'spring' } }, body)],
      },
      'an unknown setting': {
        says: 'fixture "clock": no setting `nwo`; did you mean `now`?',
        suites: () => [test('t', { bind: [fixture('clock', { settings: { now: 1 }, setup: () => 1 }).set({ nwo: 2 } as never)] }, body)],
      },
      'a need that lives too short': {
        says: 'fixture "wide" lives for a file and cannot need "narrow", which lives for a case only',
        suites: () => [
          test(
            't',
            { needs: { wide: fixture('wide', { scope: 'file', needs: { narrow: fixture('narrow', { setup: () => 1 }) as never }, setup: () => 1 }) } },
            body,
          ),
        ],
      },
      'a mark for a title that is not there': {
        says: 'marks of suite "s": no title `inr`; did you mean `inner`?',
        suites: () => [suite('s', { marks: { inr: { skip: 'x' } } }, [test('inner', body)])],
      },
    }),
  },
  async ({ row, check }) => check.equal(await refusal(row.suites, files), row.says),
);

export const strange = test(
  'code without types is told what it says wrong: {says}',
  {
    cases: table(
      ['says', 'make'],
      [
        ['test "t": no option `casses`; did you mean `cases`?', () => test('t', { casses: values('a', [1]) } as never, body)],
        ['suite "s": no option `tgs`; did you mean `tags`?', () => suite('s', { tgs: ['quick'] } as never, [])],
        ['suite "s": no option `variant`; did you mean `variants`?', () => suite('r', []).adapt('s', { variant: {} } as never)],
        ['each of suite "s": no option `tearDown`; did you mean `teardown`?', () => suite('s', { each: { tearDown: body } as never }, [])],
        ['fixture "f": no option `teardwon`; did you mean `teardown`?', () => fixture('f', { setup: body, teardwon: body } as never)],
        ['here: no option `locked`; did you mean `locks`?', () => here({ locked: ['quay'] } as never)],
        ['matrix: no option `covr`; did you mean `cover`?', () => test('t', { cases: matrix({ a: [1], b: [1] }, { covr: 2 } as never) }, body)],
        ['dataFile: no option `colums`; did you mean `columns`?', () => test('t', { cases: dataFile('dues.csv', { colums: {} } as never) }, body)],
        ['test "t": `skip` is not a reason in words', () => test('t', { skip: true } as never, body)],
        ['test "t": `onRequest` is not a reason in words', () => test('t', { onRequest: true } as never, body)],
        ['test "t": `cases` is not a source of cases, such as table(…) or rows(…)', () => test('t', { cases: [{ a: 1 }] } as never, body)],
        [
          'test "t": `timeout` is not a number of milliseconds\ntest "t": `tags` is not a list of texts',
          () => test('t', { timeout: '5s', tags: 'quick' } as never, body),
        ],
        ['test "t": `retries` is not a whole number of at least 0', () => test('t', { retries: -1 }, body)],
        ['suite "s": `concurrency` is not a whole number of at least 1', () => suite('s', { concurrency: 0 }, [])],
        ['suite "s": `variants` is not an object with a list of bindings for each name', () => suite('s', { variants: { a: {} } } as never, [])],
        ['marks of "t" in suite "s": `skip` is not a reason in words', () => suite('s', { marks: { t: { skip: true } } } as never, [test('t', body)])],
        ['fixture "f": `setup` is not a function', () => fixture('f', { setup: 5 } as never)],
        [
          'matrix: `except` is not a list of what cannot occur, or a function that gives one',
          () => test('t', { cases: matrix({ a: [1] }, { except: 'a' } as never) }, body),
        ],
        ['test "t": null is not a set of options', () => test('t', null as never, body)],
        ['fixture "f": null is not a set of options', () => (fixture as (name: string) => unknown)('f')],
        ['the name of a fixture: 5 is not a text', () => fixture(5 as never, { setup: body })],
        ['table: `rows` is not a list of rows', () => test('t', { cases: table(['a'], 5 as never) }, body)],
        ['rows: `rows` is not a list, or a function that gives one', () => test('t', { cases: rows('a' as never) }, body)],
        ['named: `rows` is not an object with rows by their names', () => test('t', { cases: named([{ a: 1 }] as never) }, body)],
        ['values: `values` is not a list of values', () => test('t', { cases: values('a', 'bc' as never) }, body)],
        ['matrix: `axes` is not an object with values for each axis', () => test('t', { cases: matrix([1] as never) }, body)],
        ['nothing refused', () => suite('r', undefined as never, []).adapt('s', undefined as never)],
        ['nothing refused', () => test('t', { casses: undefined, timeout: 0.5, skip: false, bind: () => [] } as never, body)],
      ],
    ),
  },
  async ({ row, check }) => check.equal(await refusal(() => [row.make() as Child], files), row.says),
);

export const strangeRows = test('a row whose marks are not what they should be is an errored case', async ({ check }) => {
  const marks = [{ skip: true }, { onRequst: 'takes a day' }, { knownFailure: { reason: 'rounding', until: 'soon' } }, { timeout: 5 }];
  const cases = values('n', [0, 1, 2, 3]).mark(({ n }) => marks[n] as never);
  const { seen } = await runInside([test('t', { cases }, body)]);
  check.equal(
    seen.map(({ result }) => result.failures[0]?.message ?? result.status),
    [
      'mark: `skip` is not a reason in words',
      'mark: no option `onRequst`; did you mean `onRequest`?',
      'mark: until: "soon" is not a day like 2031-04-30',
      'passed',
    ],
  );
});

export const several = test('all that is wrong is told together', async ({ check }) => {
  const said = await refusal(() => [test('{a}', body), test('b', { cases: table(['a'], []) }, body)], files);
  check.equal(said.split('\n').length, 2);
});

export const allowed = test('an empty source is no error where it may be empty', async ({ check }) => {
  const { seen, ok } = await runInside([test('t', { cases: table(['a'], []), mayBeEmpty: true }, body)]);
  check.equal([seen.length, ok], [0, true]);
});

export const marks = test('marks add up and the inner one wins', async ({ check }) => {
  const { seen } = await runInside([
    suite('outer', { skip: 'all of it', tags: ['a'] }, [
      test('skipped', { tags: ['b'] }, body),
      test('runs', { skip: false }, body),
      test('row', { skip: false, cases: values('n', [1, 2]).mark(({ n }) => (n === 2 ? { skip: 'the second' } : undefined)) }, body),
    ]),
  ]);
  check.equal(
    seen.map(({ title, result }) => `${title}: ${result.reason ?? 'ran'}`),
    ['outer › skipped: all of it', 'outer › runs: ran', 'outer › row › n=1: ran', 'outer › row › n=2: the second'],
  );
});
