import { cell, dataFile, namedRows, type Problem, suite, table, test } from 'red-lattice';
import { wantsOneProcess } from '../../src/command/choose-process.ts';
import { buildArguments, findProfile, formatUnknownProfile } from '../../src/command/profile.ts';
import { explanationsAsJson } from '../../src/formats/explain.ts';
import { renderExplanation } from '../../src/formats/human/explain.ts';
import { renderCodeFrame } from '../../src/formats/human/frame.ts';
import { renderGrid } from '../../src/formats/human/grid.ts';
import { renderProgress } from '../../src/formats/human/live.ts';
import { renderFailures, renderTest } from '../../src/formats/human/run.ts';
import { narrowedAsJson } from '../../src/formats/narrow.ts';
import { renderUnrun } from '../../src/formats/not-run.ts';
import { planAsCsv } from '../../src/formats/plan.ts';
import { colourStyle, formatDuration, plainStyle } from '../../src/formats/style.ts';
import { formatTriedRows } from '../../src/formats/tried-rows.ts';
import { formatProblem, suggest } from '../../src/problems/format-problem.ts';
import { findNearestName } from '../../src/problems/nearest-name.ts';
import type { NarrowedResult } from '../../src/results/narrowing/session.ts';
import { applyEntry, createRunState, type TestState } from '../../src/results/run-state.ts';
import { StatusStrip } from '../../src/results/status-strip.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import { limitText } from '../../src/running/text-limits.ts';

const withoutColours = (text: string): string => text.replace(/\u001b\[\d+m/g, '');

export const texts = suite('a text', [
  test(
    'of {milliseconds} ms is {text}',
    {
      cases: table(
        ['milliseconds', 'text'],
        [
          [0.44, '0.4 ms'],
          [9.94, '9.9 ms'],
          [9.95, '10 ms'],
          [999.4, '999 ms'],
          [999.5, '1.0 s'],
          [59_900, '59.9 s'],
          [59_950, '1 min 0 s'],
          [125_000, '2 min 5 s'],
        ],
      ),
    },
    ({ row, check }) => check.equal(formatDuration(row.milliseconds), row.text),
  ),

  test(
    'counts cases that did not run: {text}',
    {
      cases: table(
        ['cases', 'isMore', 'text'],
        [
          [6, false, '6 not run: interrupted'],
          [1200, true, '1,200 and more not run: interrupted'],
          [0, true, 'the rest not run: interrupted'],
        ],
      ),
    },
    ({ row: { cases, isMore, text }, check }) => check.equal(renderUnrun({ cases, isMore, reason: 'interrupted' }), text),
  ),

  test(
    'suggests for {name} of {known}: {text}',
    {
      cases: table(
        ['name', 'known', 'text'],
        [
          ['tgs', ['tag', 'tags'], 'did you mean `tags`?'],
          ['berts', ['berth', 'bents'], 'did you mean `berth`?'],
          ['TAGS', ['tag', 'tags'], 'did you mean `tags`?'],
          ['ab', ['cd'], 'known: `cd`'],
          ['quay', [...'abcdefghijklmn'], 'known: `a`, `b`, `c`, `d`, `e`, `f`, `g`, `h`, `i`, `j`, `k`, `l` and 2 more'],
          ['quay', [], 'there are none'],
        ],
      ),
    },
    ({ row, check }) => check.equal(suggest(row.name, row.known), row.text),
  ),

  test(
    'is cut if it is longer than allowed, and says how long it was: {text}',
    {
      cases: table(
        ['text', 'limit', 'shown'],
        [
          ['at noon', 7, 'at noon'],
          ['at noon', 6, 'at noo… (7 characters)'],
          ['x'.repeat(1200), 3, 'xxx… (1,200 characters)'],
        ],
      ),
    },
    ({ row: { text, limit, shown }, check }) => check.equal(limitText(text, limit), shown),
  ),

  test('of several names that are equally near, the first is suggested', ({ check }) =>
    check.equal([findNearestName('bert', ['berth', 'berta']), findNearestName('bert', ['berta', 'berth'])], ['berth', 'berta'])),

  test('of a frame is the same with colours', ({ check }) => {
    const place = { file: 'a.ts', line: 2, column: 9 };
    const frame = (style: typeof plainStyle): string[] =>
      renderCodeFrame(place, { source: () => 'const one = 1;\n  check.equal(one, 2);\nreturn one;', style });
    check.equal(
      frame(colourStyle).map(withoutColours),
      frame(plainStyle).filter((line) => !line.includes('▔')),
    );
    check.includes(frame(colourStyle)[1], colourStyle.markActual('equal'));
  }),

  test('of progress without lanes names refused machines', ({ check }) => {
    const state = createRunState();
    state.warnings.push({ code: 'pool-machine-refused', machine: 'quay-2', reasons: ['runtime v21'] });
    check.equal(renderProgress({ state, lanes: [], elapsed: 1, expected: undefined }, 60, plainStyle).slice(-2), [
      '  waiting for machines to join the pool',
      '  machine quay-2 does not take part: runtime v21. All machi…',
    ]);
  }),

  test('of a test has its strip in the same line, or below: {columns} columns', {
    cases: table(
      ['columns', 'isBelow'],
      [
        [80, false],
        [40, true],
      ],
    ),
  }, ({ row, check }) => {
    const strip = new StatusStrip();
    for (let i = 0; i < 38; i++) strip.set(i, i % 2 ? 'failed' : 'passed');
    const counts = { ...createRunState().counts, passed: 19, failed: 19 };
    const state: TestState = { counts, strip, milliseconds: 12, ended: true, header: { path: ['a price'] } as unknown as TestState['header'] };
    const [line, symbols] = ['✗ a price  19 failed, 19 passed  12 ms', '▪✗'.repeat(19)];
    check.equal(renderTest(state, plainStyle, 0, row.columns), row.isBelow ? [line, `  ${symbols}`] : [`${line}  ${symbols}`]);
  }),

  test('of a grid has columns side by side up to its width: {width} columns', {
    cases: dataFile('grid-widths.yaml', { columns: { width: cell.integer, lines: cell.json } }),
  }, ({ row, check }) => {
    const results = ['mono', 'cat'].flatMap((hull) =>
      (['spring', 'summer', 'winter'] as const).map((season) => ({
        row: { hull, season },
        status: season === 'winter' ? ('failed' as const) : ('passed' as const),
        times: { setup: 0, body: 1, teardown: 0 },
      })),
    );
    check.equal(renderGrid(results, undefined, { down: ['hull'], across: ['season'] }, row.width, plainStyle), row.lines as string[]);
  }),

  test('of a grid has the column with most values across, if it fits: {width} columns', {
    cases: table(
      ['width', 'across'],
      [
        [300, 'berth'],
        [247, 'berth'],
        [246, 'hull'],
        [100, 'hull'],
      ],
    ),
  }, ({ row, check }) => {
    const results = Array.from({ length: 24 }, (_, i) => ({
      row: { berth: `the north quay ${10 + (i % 12)}`, hull: i < 12 ? 'mono' : 'cat' },
      status: 'passed' as const,
      times: { setup: 0, body: 1, teardown: 0 },
    }));
    check.equal(renderGrid(results, undefined, undefined, row.width, plainStyle)[0]?.trim(), row.across);
  }),

  test('of a problem is: {text}', { cases: dataFile('problems.jsonl') }, ({ row, check }) =>
    check.equal(formatProblem(row['problem'] as unknown as Problem), row['text'] as string),
  ),

  test('of an explanation has everything about its fixtures', ({ check }) => {
    const at = { file: '/p/a.ts', line: 3, column: 1 };
    const clock = {
      ...{ name: 'clock', scope: 'file', owner: 'a.ts', shareDescription: 'all cases of file "a.ts"', definedAt: at, needs: ['zone', 'tide (lazy)'] },
      settings: [
        { name: 'hour', value: '9', from: { owner: 'suite "dues"', at } },
        { name: 'zone', value: '"UTC"' },
      ],
      replaced: { owner: 'test "due"', by: 'replaces fixture "sundial"' },
      lazy: false,
    };
    const tide = { ...clock, name: 'tide', needs: [], settings: [], replaced: undefined, definedAt: undefined, lazy: true };
    const name = { test: 0, ordinal: 0, id: 'a.ts#due', title: 'due', location: at, row: { loa: 8, hull: 'a, b' }, tags: [] };
    const formatting = { style: plainStyle, nameFile: (file: string) => file.slice(3), shown: new Set<string>(), source: () => undefined };
    const json = explanationsAsJson([{ name, explanation: { fixtures: [clock, tide] } }], formatting.nameFile);
    check.equal(
      [...json.matchAll(/"(\w+)": \{\s+"file": "(.*)"/g)].map(([, key, file]) => [key, file]),
      [
        ['location', 'a.ts'],
        ['definedAt', 'a.ts'],
        ['at', 'a.ts'],
      ],
    );
    const last = (fixture: string) => (fixture === 'clock' ? { setup: 12, teardown: 3 } : undefined);
    check.equal(renderExplanation(name, { fixtures: [clock, tide] }, last, formatting), [
      'due',
      'a.ts#due',
      'a.ts:3:1',
      'row  loa=8, hull=a, b',
      '',
      'Set up in this order and torn down in reverse:',
      ' 1. clock  a.ts:3:1  last run: setup 12 ms, teardown 3.0 ms',
      '    scope     file, shared by all cases of file "a.ts"',
      '    needs     zone, tide (lazy)',
      '    replaced  replaces fixture "sundial": test "due"',
      '    setting   hour = 9  set by suite "dues", a.ts:3:1',
      '    setting   zone = "UTC"  default',
      '',
      'Set up only on first use:',
      '  · tide',
      '    scope     file, shared by all cases of file "a.ts"',
    ]);
  }),

  test('of {args} requests one process: {isOne}; its profile is {profile}', {
    cases: dataFile('arguments.csv', { columns: { args: cell.text, isOne: cell.boolean, profile: cell.text.optional() } }),
  }, ({ row: { args, isOne, profile }, check }) => {
    check.equal(wantsOneProcess(args.split(' ')), isOne);
    // The last argument has no value.
    check.equal(findProfile(args.split(' ')), args.endsWith('--profile') ? '' : profile);
  }),

  test('of a profile is a list of arguments', ({ check }) => {
    const profile = { stopAfter: 2, strict: true, watch: false, tag: ['quick', 'money'] };
    check.equal(buildArguments(profile), ['--stop-after', '2', '--strict', '--tag', 'quick', '--tag', 'money']);
    check.equal(formatUnknownProfile('qick', { quick: {}, slow: {} }), 'unknown profile "qick"; did you mean "quick"?');
    check.equal(formatUnknownProfile('nightly', { quick: {}, slow: {} }), 'unknown profile "nightly"; known: quick, slow');
    check.equal(formatUnknownProfile('nightly', undefined), 'unknown profile "nightly": red-lattice.config.ts has no profiles');
  }),

  test('of a cause is {comparisons} in JSON', {
    cases: dataFile('comparisons.yaml', { columns: { condition: cell.json, comparisons: cell.json } }),
  }, ({ row, check }) => {
    const cause = { conditions: [row.condition], failed: 1, cases: 1, passedWithout: 1, casesWithout: 1, isProven: true, smallest: [] };
    const result = { header: { id: 'a' }, causes: [cause], unexplained: [], probes: [] } as unknown as NarrowedResult;
    check.equal(JSON.parse(narrowedAsJson([result])).tests[0].causes[0].conditions, row.comparisons);
  }),

  test('of narrowed tests has unexplained cases and the smallest values in JSON', ({ check }) => {
    const cause = { conditions: [], failed: 3, cases: 3, passedWithout: 2, casesWithout: 2, isProven: false, smallest: [{ column: 'loa', value: 9 }] };
    const result = { header: { id: 'a' }, causes: [cause], unexplained: [{ id: 'a/n=1', reason: 'differs', row: {} }], probes: [{}, {}] };
    check.equal(JSON.parse(narrowedAsJson([result as unknown as NarrowedResult])), {
      tests: [
        {
          id: 'a',
          causes: [{ conditions: [], failed: 3, passed: 2, proven: false, smallest: [{ column: 'loa', value: 9 }] }],
          unexplained: [{ id: 'a/n=1', reason: 'differs' }],
          extraCases: 2,
        },
      ],
    });
  }),

  test(
    'of tried rows is a data file: {path}',
    {
      cases: dataFile('tried-rows.yaml', { columns: { path: cell.text, text: cell.text } }),
    },
    async ({ row, check }) =>
      check.equal(
        await formatTriedRows(
          [
            { row: { loa: 9 }, failed: true },
            { row: { hull: 'a,b' }, failed: false },
          ],
          row.path,
        ),
        row.text,
      ),
  ),

  test('of tried rows keeps a column that is called failed', async ({ check }) => {
    check.equal(await formatTriedRows([{ row: { failed: 'no' }, failed: true }], 'a.csv'), 'failed,(failed)\nno,true\n');
  }),

  test('of a plan as CSV has the test, the name and the tags only if they differ: {what}', {
    cases: namedRows<{ what: string; tests: readonly number[]; more: object; lines: readonly string[] }>({
      rows: { what: 'one test', tests: [0, 0], more: {}, lines: ['n', '0', '1'] },
      several: { what: 'two tests', tests: [0, 1], more: {}, lines: ['test,n', 'a.ts#t0,0', 'a.ts#t1,1'] },
      names: { what: 'named rows', tests: [0, 0], more: { name: 'low' }, lines: ['(case),n', 'low,0', 'low,1'] },
      tags: { what: 'tagged rows', tests: [0, 0], more: { tags: ['x', 'y'] }, lines: ['(tags),n', 'x y,0', 'x y,1'] },
      all: { what: 'all of them', tests: [0, 1], more: { name: 'low', tags: ['x'] }, lines: ['test,(case),(tags),n', 'a.ts#t0,low,x,0', 'a.ts#t1,low,x,1'] },
    }),
  }, async ({ row, check }) => {
    const header = (number: number) => ({ test: number, id: `a.ts#t${number}`, file: 'a.ts', path: [`t${number}`], tags: [], columns: [] });
    const entries = [
      ...[0, 1].map((number) => ({ type: 'test', header: header(number) }) as const),
      ...row.tests.map(
        (number, n) =>
          ({ type: 'listed', name: { test: number, ordinal: n, id: `a.ts#t${number}/${n}`, title: '', row: { n }, tags: [], ...row.more } }) as const,
      ),
    ];
    let text = '';
    for await (const chunk of planAsCsv(() => entries as never)) text += chunk;
    check.equal(text.trimEnd().split('\n'), [...row.lines]);
  }),

  test('of many failures has the first fifty whole, the others brief, and at most 250 of them', ({ check }) => {
    const state = createRunState();
    const header = { test: 0, id: 'a.ts#t', file: 'a.ts', path: ['t'], tags: [], columns: [] };
    applyEntry(state, { type: 'test', header });
    // Each has a message of its own, except a pair that is shown and one that is not.
    const words = Array.from({ length: 303 }, (_, i) => [...String(i)].map((digit) => 'abcdefghij'[Number(digit)]).join(''));
    for (const [ordinal, word] of words.entries()) {
      const message = `tide ${{ 52: words[51], 301: words[300] }[ordinal] ?? word}`;
      const own = { test: 0, ordinal, id: `a.ts#t/${word}`, title: `t › ${word}`, row: {}, tags: [], attachments: [], status: 'failed' as const };
      applyEntry(state, { type: 'ended', result: { ...EMPTY_OUTCOME, ...own, failures: [{ cause: 'check', message }] } });
    }
    const formatting = { style: plainStyle, nameFile: (file: string) => file, shown: new Set<string>(), source: () => undefined };
    const lines = renderFailures(state, new Map(), formatting as never);
    const numbered = lines.filter((line) => /^✗ \d+\. /.test(line));
    check.equal(
      [numbered.length, numbered[49], numbered[50], numbered[51]],
      [250, `✗ 50. t › ${words[49]}`, `✗ 51. t › ${words[50]}  tide ${words[50]}`, `✗ 52. t › ${words[51]}  and 1 more case  tide ${words[51]}`],
    );
    check.equal(lines.at(-1), '… and 52 more failures; red-lattice view shows all of them');
  }),
]);
