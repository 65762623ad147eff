import {
  type Child,
  cell,
  dataFile,
  fixture,
  folder,
  formatProblem,
  matrix,
  namedRows,
  type ProblemError,
  rows,
  runSuites,
  suite,
  table,
  test,
  values,
} from 'red-lattice';
import { test as otherTest } from '../../src/index.ts';
import { memoryFiles, refusal, runInside } from '../inner.ts';

const files = memoryFiles({ 'dues.csv': 'loa,nights\n8,1\n', 'twice.csv': 'loa,loa\n1,2\n', 'empty.csv': '', 'dues.xyz': '' });
const body = (): void => {};

export const refusals = test(
  'the plan reports: {says}',
  {
    cases: namedRows<{ says: string; suites: () => readonly Child[] }>({
      'an unknown placeholder': {
        says: 'title "{lao} m": unknown column `lao`; did you mean `loa`?',
        suites: () => [test('{lao} m' as string, { cases: values('loa', [8]) as never }, body)],
      },
      'a placeholder without rows': { says: 'title "{loa} m": unknown column `loa`; there are none', suites: () => [test('{loa} m', body)] },
      'a brace that never closes': {
        says: 'title "{loa m": unclosed brace. Write {{ for a literal brace.',
        suites: () => [test('{loa m', body)],
      },
      'a repeated column': {
        says: 'duplicate column `a` in a table. Rename one of them.',
        suites: () => [test('t', { cases: table(['a', 'a'] as never, [[1, 2]] as never) }, body)],
      },
      'a row of the wrong length': {
        says: 'row 2 has 1 value for 2 columns (a, b)',
        suites: () => [test('t', { cases: table(['a', 'b'], [[1, 2], [3]] as never) }, body)],
      },
      'an empty table': {
        says: '"t" has no cases: a table is empty. Set `allowEmpty: true` if this is intended.',
        suites: () => [test('t', { cases: table(['a'], []) }, body)],
      },
      'a missing file': {
        says: 'no data file dus.csv; did you mean `dues.csv`? Paths are relative to the folder of the test file.',
        suites: () => [test('t', { cases: dataFile('dus.csv') }, body)],
      },
      'an unknown ending': {
        says: 'dues.xyz: unknown file extension; known: .csv, .tsv, .json, .jsonl, .ndjson, .yaml, .yml, .xlsx',
        suites: () => [test('t', { cases: dataFile('dues.xyz') }, body)],
      },
      'a missing heading': {
        says: 'missing column `night`; did you mean `nights`?',
        suites: () => [test('t', { cases: dataFile('dues.csv', { columns: { night: cell.integer } }) }, body)],
      },
      'a heading twice': {
        says: 'duplicate column `loa` in the headings. Rename one of them.',
        suites: () => [test('t', { cases: dataFile('twice.csv') }, body)],
      },
      'a file without headings': { says: 'the file has no header line', suites: () => [test('t', { cases: dataFile('empty.csv') }, body)] },
      'a source that throws': {
        says: 'reading rows from rows threw: Error: no ink',
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
      'nothing to run': { says: 'suites exports no suite and no test (only `suites`). Only exported suites and tests run.', suites: () => [false, null] },
      'of another copy': {
        says: 'suites: another copy of red-lattice created "t". A project needs exactly one copy; `npm ls red-lattice` lists them.',
        suites: () => [otherTest('t', body) as never],
      },
      'within, of another copy': {
        says: 'suite "s": another copy of red-lattice created "t". A project needs exactly one copy; `npm ls red-lattice` lists them.',
        suites: () => [suite('s', [otherTest('t', body) as never])],
      },
      'an invalid fixture': { says: 'test "t": needs.tide is not a fixture', suites: () => [test('t', { needs: { tide: 7 as never } }, body)] },
      'an invalid fixture of a suite': {
        says: 'always of suite "s": 7 is not a fixture',
        suites: () => [suite('s', { always: [7 as never] }, [test('t', body)])],
      },
      'an invalid override': { says: 'overrides of test "t": 7 is not an override', suites: () => [test('t', { overrides: [7 as never] }, body)] },
      'a day that is none': {
        says: 'test "t": until: "spring" is not a date like 2031-04-30',
        suites: () => [test('t', { skip: { reason: 'x', until: 'spring' } }, body)],
      },
      'an unknown setting': {
        says: 'fixture "clock": unknown setting `nwo`; did you mean `now`?',
        suites: () => [test('t', { overrides: [fixture('clock', { settings: { now: 1 }, setup: () => 1 }).with({ nwo: 2 } as never)] }, body)],
      },
      'an unknown setting beside a known one': {
        says: 'fixture "clock": unknown setting `nwo`; did you mean `now`?',
        suites: () => [test('t', { overrides: [fixture('clock', { settings: { now: 1 }, setup: () => 1 }).with({ now: 2, nwo: 2 } as never)] }, body)],
      },
      'a need that lives too short': {
        says: 'fixture "wide" has scope "file" and cannot need "narrow", whose scope "case" is shorter',
        suites: () => [
          test(
            't',
            { needs: { wide: fixture('wide', { scope: 'file', needs: { narrow: fixture('narrow', { setup: () => 1 }) as never }, setup: () => 1 }) } },
            body,
          ),
        ],
      },
      'children that cannot be made': {
        says: 'the function for the children of suite "{n}" threw: RangeError: no berth\ntest "t": needs.tide is not a fixture',
        suites: () => [
          suite('{n}', { cases: values('n', [3]) }, () => {
            throw new RangeError('no berth');
          }),
          suite('{n} again', { cases: values('n', [3]) }, () => [test('t', { needs: { tide: 7 as never } }, body)]),
        ],
      },
      'a suite without rows': {
        says: '"{n}" has no cases: values is empty. Set `allowEmpty: true` if this is intended.',
        suites: () => [suite('{n}', { cases: values('n', []) }, () => [test('t', body)])],
      },
      'an invalid row of a suite': {
        says: 'row 2 is 5; expected an object with columns',
        suites: () => [suite('{n}', { cases: rows([{ n: 1 }, 5 as never]) }, () => [test('t', body)])],
      },
      'rows of a suite that cannot be read': {
        says: 'reading rows from rows threw: no ink',
        suites: () => [
          suite(
            's',
            {
              cases: rows(() => {
                throw 'no ink';
              }),
            },
            () => [test('t', body)],
          ),
        ],
      },
      'overrides of a suite that cannot be made': {
        says: 'the `overrides` function threw for this row: RangeError: no berth',
        suites: () => [
          suite(
            '{n}',
            {
              cases: values('n', [3]),
              overrides: () => {
                throw new RangeError('no berth');
              },
            },
            () => [test('t', body)],
          ),
        ],
      },
      'a number as a child': {
        says: 'suite "3": 42 is not a test or suite',
        suites: () => [suite('{n}', { cases: values('n', [3]) }, () => [42 as never, test('t', body)])],
      },
      'a mark for a title that is not there': {
        says: 'annotations of suite "s": unknown title `inr`; did you mean `inner`?',
        suites: () => [suite('s', { annotations: { inr: { skip: 'x' } } }, [test('inner', body)])],
      },
    }),
  },
  async ({ row, check }) => check.equal(await refusal(row.suites, files), row.says),
);

const cyclic: Record<string, unknown> = {};
cyclic['self'] = cyclic;

export const strange = test(
  'untyped code gets an error for invalid options: {says}',
  {
    cases: table(
      ['says', 'make'],
      [
        ['test "t": unknown option `casses`; did you mean `cases`?', () => test('t', { casses: values('a', [1]) } as never, body)],
        ['suite "s": unknown option `tgs`; did you mean `tags`?', () => suite('s', { tgs: ['quick'] } as never, [])],
        ['suite "s": unknown option `variant`; did you mean `variants`?', () => suite('r', []).adapt('s', { variant: {} } as never)],
        ['perCase of suite "s": unknown option `tearDown`; did you mean `teardown`?', () => suite('s', { perCase: { tearDown: body } as never }, [])],
        ['fixture "f": unknown option `teardwon`; did you mean `teardown`?', () => fixture('f', { setup: body, teardwon: body } as never)],
        ['folder: unknown option `locked`; did you mean `locks`?', () => folder({ locked: ['quay'] } as never)],
        [
          'matrix: unknown option `covr`; known: `strength`, `mixedStrength`, `exclude`, `include`, `locate`, `seed`, `effort`',
          () => test('t', { cases: matrix({ a: [1], b: [1] }, { covr: 2 } as never) }, body),
        ],
        ['dataFile: unknown option `colums`; did you mean `columns`?', () => test('t', { cases: dataFile('dues.csv', { colums: {} } as never) }, body)],
        [
          'dataFile: `columns` is an object; expected an object with a cell type, like cell.number, or a Standard Schema for each column',
          () => test('t', { cases: dataFile('dues.csv', { columns: { loa: Number } } as never) }, body),
        ],
        ['test "t": `skip` is true; expected a reason, as a string', () => test('t', { skip: true } as never, body)],
        ['test "t": `onRequest` is true; expected a reason, as a string', () => test('t', { onRequest: true } as never, body)],
        ['test "t": `cases` is [{"a":1}]; expected a case source such as table(…) or rows(…)', () => test('t', { cases: [{ a: 1 }] } as never, body)],
        [
          'test "t": `timeout` is "5s"; expected a number of milliseconds above 0\ntest "t": `tags` is "quick"; expected an array of strings',
          () => test('t', { timeout: '5s', tags: 'quick' } as never, body),
        ],
        ['test "t": `timeout` is 0; expected a number of milliseconds above 0', () => test('t', { timeout: 0 }, body)],
        ['test "t": `timeout` is a function; expected a number of milliseconds above 0', () => test('t', { timeout: () => 5 } as never, body)],
        [
          `test "t": \`timeout\` is "${'1'.repeat(57)}…"; expected a number of milliseconds above 0`,
          () => test('t', { timeout: '1'.repeat(99) } as never, body),
        ],
        ['test "t": `timeout` is an object; expected a number of milliseconds above 0', () => test('t', { timeout: cyclic } as never, body)],
        ['test "t": `tags` is an array; expected an array of strings', () => test('t', { tags: Array.from({ length: 40 }, () => 7) } as never, body)],
        ['test "t": `tags` is null; expected an array of strings', () => test('t', { tags: null } as never, body)],
        ['rows: `rows` is missing; expected an iterable, or function that returns one', () => test('t', { cases: rows(undefined as never) }, body)],
        ['test "t": `retries` is -1; expected an integer of at least 0', () => test('t', { retries: -1 }, body)],
        ['suite "s": `concurrency` is 0; expected an integer of at least 1', () => suite('s', { concurrency: 0 }, [])],
        [
          'suite "s": `variants` is {"a":{}}; expected an object with an array of overrides for each name',
          () => suite('s', { variants: { a: {} } } as never, []),
        ],
        [
          'annotations of "t" in suite "s": `skip` is true; expected a reason, as a string',
          () => suite('s', { annotations: { t: { skip: true } } } as never, [test('t', body)]),
        ],
        ['fixture "f": `setup` is 5; expected a function', () => fixture('f', { setup: 5 } as never)],
        [
          'matrix: unknown option `except`; known: `strength`, `mixedStrength`, `exclude`, `include`, `locate`, `seed`, `effort`',
          () => test('t', { cases: matrix({ a: [1] }, { except: 'a' } as never) }, body),
        ],
        ['test "t": null is not an object with options', () => test('t', null as never, body)],
        ['fixture "f": null is not an object with options', () => (fixture as (name: string) => unknown)('f')],
        ['fixture name: 5 is not a string', () => fixture(5 as never, { setup: body })],
        ['fixture "f": setup is not a function', () => fixture('f', {} as never)],
        [
          'fixture "f": unknown scope `week`; known: `run`, `lane`, `file`, `suite`, `test`, `case`',
          () => fixture('f', { scope: 'week' as never, setup: body }),
        ],
        ['fixture "f": needs.tide is not a fixture', () => fixture('f', { needs: { tide: 7 as never }, setup: body })],
        ['replaceWith of "f": 7 is not a fixture or function', () => fixture('f', { setup: body }).replaceWith(7 as never)],
        ['suite title: 42 is not a string', () => suite(42 as never, [])],
        ['test title: 42 is not a string', () => test(42 as never, body)],
        ['suite "s": string is not an array of tests and suites', () => suite('s', 'a test' as never)],
        ['suite "s": 42 is not a test or suite', () => suite('s', [42 as never])],
        ['the body of test "t": undefined is not a function', () => test('t', undefined as never)],
        [
          'row 2 is 5; expected an array of cells\nmissing column `loas`; did you mean `loa`?',
          () => test('t', { cases: (table(['loa'], [[1], 5 as never]) as any).rename({ loas: 'length' }) }, body),
        ],
        ['row 2 is 5; expected an array of cells', () => test('t', { cases: table(['a'], [[1], 5 as never]) }, body)],
        ['table: `rows` is 5; expected an array of rows', () => test('t', { cases: table(['a'], 5 as never) }, body)],
        ['rows: `rows` is "a"; expected an iterable, or function that returns one', () => test('t', { cases: rows('a' as never) }, body)],
        ['namedRows: `rows` is [{"a":1}]; expected an object with rows by name', () => test('t', { cases: namedRows([{ a: 1 }] as never) }, body)],
        ['values: `values` is "bc"; expected an array of values', () => test('t', { cases: values('a', 'bc' as never) }, body)],
        ['matrix: `axes` is [1]; expected an object with values for each axis', () => test('t', { cases: matrix([1] as never) }, body)],
        ['nothing refused', () => suite('r', undefined as never, [test('t', body)]).adapt('s', undefined as never)],
        ['nothing refused', () => test('t', { casses: undefined, timeout: 0.5, skip: false, overrides: () => [] } as never, body)],
      ],
    ),
  },
  async ({ row, check }) => check.equal(await refusal(() => [row.make() as Child], files), row.says),
);

export const strangeRows = test('a row with invalid annotations is an errored case', async ({ check }) => {
  const marks = [{ skip: true }, { onRequst: 'takes a day' }, { knownFailure: { reason: 'rounding', until: 'soon' } }, { timeout: 5 }];
  const cases = values('n', [0, 1, 2, 3]).annotate(({ n }) => marks[n] as never);
  const { seen } = await runInside([test('t', { cases }, body)]);
  check.equal(
    seen.map(({ result }) => result.failures[0]?.message ?? result.status),
    [
      'annotate: `skip` is true; expected a reason, as a string',
      'annotate: unknown option `onRequst`; did you mean `onRequest`?',
      'annotate: until: "soon" is not a date like 2031-04-30',
      'passed',
    ],
  );
});

export const twice = test('tests with the same title have ids of their own, and are reported', async ({ check }) => {
  const warned: string[] = [];
  const children = ['t', 't', 'other', 't'].map((title) => test(title as 't', body));
  const ids: string[] = [];
  await runSuites(children, {
    onEvent(event) {
      if (event.type === 'ended') ids.push(event.case.id);
      if (event.type === 'planned') warned.push(...event.warnings.map((problem) => formatProblem(problem)));
    },
  });
  check.equal(ids, ['suites#t', 'suites#t~2', 'suites#other', 'suites#t~3']);
  check.equal(warned, ['two tests have the title "t"; the id of the second is suites#t~2', 'two tests have the title "t"; the id of the second is suites#t~3']);
});

export const several = test('all problems are reported together', async ({ check }) => {
  const said = await refusal(() => [test('{a}', body), test('b', { cases: table(['a'], []) }, body)], files);
  check.equal(said.split('\n').length, 2);
});

export const allowed = test('an empty source is allowed with allowEmpty', async ({ check }) => {
  const { seen, ok } = await runInside([test('t', { cases: table(['a'], []), allowEmpty: true }, body)]);
  check.equal([seen.length, ok], [0, true]);
});

export const marks = test('annotations add up, and inner ones win', async ({ check }) => {
  const { seen } = await runInside([
    suite('outer', { skip: 'all of it', tags: ['a'] }, [
      test('skipped', { tags: ['b'] }, body),
      test('runs', { skip: false }, body),
      test('row', { skip: false, cases: values('n', [1, 2]).annotate(({ n }) => (n === 2 ? { skip: 'the second' } : undefined)) }, body),
    ]),
    suite('{quay}', { cases: values('quay', ['north', 'south']).annotate(({ quay }) => (quay === 'north' ? { skip: 'closed' } : undefined)) }, [
      test('berth', { cases: values('n', [1]) }, body),
      test('crane', { cases: values('n', [1]).annotate(() => ({ skip: 'broken' })) }, body),
    ]),
  ]);
  check.equal(
    seen.map(({ title, result }) => `${title}: ${result.reason ?? 'ran'}`),
    [
      'outer › skipped: all of it',
      'outer › runs: ran',
      'outer › row › n=1: ran',
      'outer › row › n=2: the second',
      'north › berth › n=1: closed',
      'north › crane › n=1: broken',
      'south › berth › n=1: ran',
      'south › crane › n=1: broken',
    ],
  );
});

const quays = values('quay', ['north', 'south']);
const hulls = values('hull', ['mono', 'cat']);
const namedQuays = namedRows({ first: { quay: 'north' }, second: { quay: 'south' } });
const namedHulls = namedRows({ one: { hull: 'mono' }, two: { hull: 'cat' } });

export const nested = test('a suite with rows in a suite with rows has every combination', {
  cases: namedRows({
    'rows without names': { outer: quays, inner: hulls, ids: ['quay=north,hull=mono', 'quay=north,hull=cat', 'quay=south,hull=mono', 'quay=south,hull=cat'] },
    'names outside': { outer: namedQuays, inner: hulls, ids: ['first,-hull=mono', 'first,-hull=cat', 'second,-hull=mono', 'second,-hull=cat'] },
    'names inside': { outer: quays, inner: namedHulls, ids: ['quay=north,-one', 'quay=north,-two', 'quay=south,-one', 'quay=south,-two'] },
    'names in both': { outer: namedQuays, inner: namedHulls, ids: ['first,-one', 'first,-two', 'second,-one', 'second,-two'] },
    'the same column inside': { outer: namedQuays, inner: values('quay', ['own']), ids: ['first,-quay=own', 'second,-quay=own'] },
  }),
}, async ({ row: { outer, inner, ids }, check }) => {
  const { seen, messages } = await runInside([suite('outer', { cases: outer }, [suite('inner', { cases: inner as never }, [test('t', body)])])]);
  check.equal(messages, []);
  check.equal(
    seen.map(({ id }) => id.replace('suites#outer/inner/t/', '').replace(/-[0-9a-f]{8}$/, '')),
    ids,
  );
  check.equal(
    seen.map(({ row }) => Object.values(row).join(' ')),
    seen.length === 2 ? ['own', 'own'] : ['north mono', 'north cat', 'south mono', 'south cat'],
  );
});

export const places = test('a problem has the place of {what}', {
  cases: namedRows<{ what: string; suites: () => Child; place: string }>({
    row: {
      what: 'the row of a suite',
      suites: () =>
        suite('s', { cases: dataFile('dues.csv', { columns: { loa: cell.number, nights: cell.boolean.optional() } }).filter(() => true) }, [test('t', body)]),
      place: 'none',
    },
    cell: {
      what: 'the cell of a suite',
      suites: () => suite('s', { cases: dataFile('stays.csv', { columns: { nights: cell.integer } }) }, [test('t', body)]),
      place: '/memory/stays.csv:3:3',
    },
    suite: { what: 'the suite', suites: () => suite('s', { cases: table(['n'], []) }, [test('t', body)]), place: 'plan.lattice.ts' },
  }),
}, async ({ row: { suites, place }, check }) => {
  const stays = memoryFiles({ 'dues.csv': 'loa,nights\n8,1\n', 'stays.csv': 'x,nights\n1,2\n1,two\n' });
  try {
    await runSuites([suites()], stays);
    check.equal(place, 'none');
  } catch (error) {
    const [problem] = (error as ProblemError).problems;
    const { file = '', line, column } = problem?.at ?? {};
    if (place.includes('csv')) check.equal(`${file.replace('file://', '')}:${line}:${column}`, place);
    else check.includes(file, place);
  }
});
