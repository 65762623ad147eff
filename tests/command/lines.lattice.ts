import { namedRows, suite, table, testWith, values } from 'red-lattice';
import { runCommand } from '../program.ts';
import { projectOf } from '../project.ts';
import { runInTerminal } from '../terminal.ts';

const last = (output: string): string | undefined => output.trimEnd().split('\n').at(-1);

const rowsProject = projectOf({
  'dues.lattice.ts': `import * as lattice from 'red-lattice';
import { namedRows, rows, table as sheet, test, values, suite } from 'red-lattice';

export const dues = test('{loa} owes {due}', {
  cases: sheet(['loa', 'due'], [
    [8, 16],
    [
      12,
      24,
    ],
    [10, 20], [11, 22],
  ]),
}, ({ row, check }) => check.equal(row.loa * 2, row.due));

export const named = test('named', { cases: namedRows({
  small: { n: 1 },
  large: { n: 2 },
}) }, ({ check }) => check.holds(true));

export const crossed = test('crossed', { cases: lattice.values('hull', [
  'mono',
  'cat',
] as const).cross(rows([
  { n: 1 },
  { n: 2 },
])) }, ({ check }) => check.holds(true));

export const outer = suite('outer {x}', { cases: values('x', [
  1,
  2,
]) }, [test('inner', ({ check }) => check.holds(true))]);

const spread = [[1], [2]];
export const computed = test('computed', { cases: sheet(['n'], [
  ...spread,
] as never) }, ({ check }) => check.holds(true));
`,
});

export const rowLines = suite('a line of a test file', { timeout: 60_000 }, [
  testWith({ project: rowsProject })(
    '{what}',
    {
      cases: namedRows<{ what: string; line: number; titles: readonly string[] }>({
        test: { what: 'of a test selects all its rows', line: 4, titles: ['8 owes 16', '12 owes 24', '10 owes 20', '11 owes 22'] },
        row: { what: 'of a row selects this row', line: 6, titles: ['8 owes 16'] },
        inner: { what: 'within a row selects this row', line: 8, titles: ['12 owes 24'] },
        two: { what: 'of two rows selects both', line: 11, titles: ['10 owes 20', '11 owes 22'] },
        body: { what: 'of a body selects all rows of its test', line: 13, titles: ['8 owes 16', '12 owes 24', '10 owes 20', '11 owes 22'] },
        named: { what: 'of a named row selects it', line: 17, titles: ['named › large'] },
        left: { what: 'of a row that is crossed selects its combinations', line: 22, titles: ['crossed › hull=cat, n=1', 'crossed › hull=cat, n=2'] },
        right: { what: 'of a row on the right selects its combinations', line: 24, titles: ['crossed › hull=mono, n=1', 'crossed › hull=cat, n=1'] },
        suite: { what: 'of a row of a suite selects the tests in it', line: 30, titles: ['outer 2 › inner'] },
        spread: { what: 'of rows that are spread in selects their test', line: 35, titles: ['computed › n=1', 'computed › n=2'] },
      }),
    },
    async ({ row, check }, { project }) => {
      const { out } = await runCommand(['run', `dues.lattice.ts:${row.line}`, '--show', 'cases'], project);
      check.equal(
        out.split('\n').flatMap((line) => /^▪ (.+?) {2}[\d.]+ /.exec(line)?.[1] ?? []),
        [...row.titles],
      );
      check.equal(last(out), `${row.titles.length} passed, 0 failed`);
    },
  ),
]);

const moored = projectOf({
  'a.lattice.mjs': `import { test } from 'red-lattice';
export const moors = test('moors', { timeout: 20_000 }, ({ signal }) => new Promise((done) => signal.addEventListener('abort', done)));\n`,
});

const failing = projectOf({
  'a.lattice.ts': `import { fixture, range, suite, test } from 'red-lattice';
const tariff = fixture('a tariff with a long name', { setup: () => 1 });
export const all = suite('a suite with a title that is longer than the terminal is wide', [
  test('berth {n} with a long title', { cases: range('n', 1, 12), needs: { tariff } }, async ({ row, check }) => {
    await new Promise((resolve) => setTimeout(resolve, 40));
    check.equal({ berth: row.n, list: ['north', 'south'] }, { berth: 4, list: ['north', 'east'] });
  }),
]);
`,
});

const two = projectOf({
  'a.lattice.mjs': `import { test } from 'red-lattice'; export const one = test('one', ({ check }) => check.holds(false));`,
  'b.lattice.mjs': `import { test } from 'red-lattice'; export const other = test('other', ({ check }) => check.holds(true));`,
});

export const narrow = suite('a terminal', { timeout: 60_000 }, [
  testWith({ project: failing })(
    'is restored after a watch that the key {key} ends',
    { cases: table(['key'], [['q'], ['\u0003']]) },
    async ({ row, check }, { project }) => {
      const { out } = await runInTerminal('run --watch', project, { typed: [{ after: 'q: quit', keys: row.key }], then: 'stty -a' });
      check.matches(out, /0 passed, 12 failed/);
      check.matches(out, /[; ]icanon/);
      check.matches(out, /[; ]echo /);
    },
  ),

  testWith({ project: two })('runs all, failed or the last cases again in a watch, by keys', async ({ check }, { project }) => {
    const { out } = await runInTerminal('run --watch', project, {
      typed: ['f', '\r', 'a', '\n', 'q'].map((keys) => ({ after: 'q: quit', keys })),
    });
    check.equal(out.match(/\d passed, \d failed/g), [
      '1 passed, 1 failed',
      '0 passed, 1 failed',
      '0 passed, 1 failed',
      '1 passed, 1 failed',
      '1 passed, 1 failed',
    ]);
    check.matches(out, /watching \d files {2}Enter: run again · a: run all · f: run failed · q: quit/);
  }),

  testWith({ project: moored })('shows what a lane runs, and for how long, until a key interrupts it', { timeout: 30_000 }, async ({ check }, { project }) => {
    const { out } = await runInTerminal('run', project, { columns: 100, typed: [{ after: 'a.lattice.mjs#moors', keys: '\u0003' }] });
    check.includes(out, '1 not run: the run was interrupted');
    check.matches(out, / seed \d{1,6} · record /);
    check.matches(last(out), /^0 passed, 0 failed/);
    check.equal(/ {4}at /.test(out), false, 'a stack');
  }),

  testWith({ project: failing })(
    'of {columns} columns shows a whole run, live if it is wide enough',
    { cases: values('columns', [0, 1, 9, 25, 60]) },
    async ({ row, check }, { project }) => {
      const { status, out } = await runInTerminal('run --grid --timeline', project, { columns: row.columns });
      check.equal(status, 1);
      check.equal(last(out)?.trim(), '0 passed, 12 failed');
      check.matches(out, /^ *\u001b\[31m✗\u001b\[39m berth \{n\} with/m, 'the sign of a test is coloured');
      check.holds(!/RangeError|\n {4}at /.test(out), out);
      // Lines that are overwritten start with a cursor movement.
      check.equal(/\u001b\[\d+A|\u001b\[1A/.test(out), row.columns === 0 || row.columns === 60);
    },
  ),
]);

const dataProject = projectOf({
  'berths.csv': 'berth\nN4\nS1\n',
  'stays.csv': 'nights\n1\n\n"2"\n',
  'a.lattice.mjs': `import { dataFile, suite, test, values } from 'red-lattice';
const [berths, stays, hulls] = [dataFile('berths.csv'), dataFile('stays.csv'), values('hull', ['mono', 'cat'])];
export const right = test('right', { cases: hulls.cross(berths) }, () => {});
export const left = test('left', { cases: berths.cross(hulls) }, () => {});
export const both = test('both', { cases: berths.cross(stays) }, () => {});
export const three = test('three', { cases: hulls.cross(berths.cross(stays)) }, () => {});
export const inner = suite('outer', { cases: berths }, [test('inner', { cases: stays }, () => {})]);
`,
});

export const dataLines = testWith({ project: dataProject })(
  'a line of a data file selects the combinations of its row: {line}',
  {
    cases: table(
      ['line', 'counts'],
      [
        ['berths.csv', { right: 4, left: 4, both: 4, three: 8, inner: 4 }],
        ['berths.csv:2', { right: 2, left: 2, both: 2, three: 4, inner: 2 }],
        ['berths.csv:3', { right: 2, left: 2, both: 2, three: 4, inner: 2 }],
        ['stays.csv:4', { both: 2, three: 4, inner: 2 }],
      ],
    ),
    timeout: 60_000,
  },
  async ({ row, check }, { project }) => {
    const { out } = await runCommand(['plan', row.line, '--format', 'json'], project);
    const { tests } = JSON.parse(out) as { tests: readonly { path: readonly string[]; cases: number }[] };
    const counts: Record<string, number> = {};
    for (const { path, cases } of tests) counts[path.at(-1) ?? ''] = (counts[path.at(-1) ?? ''] ?? 0) + cases;
    check.equal(counts, row.counts as Record<string, number>);
  },
);
