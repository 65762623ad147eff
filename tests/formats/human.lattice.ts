import { cell, dataFile, namedRows, range, suite, table, test, testWith, values } from 'red-lattice';
import { createRandom } from '../../src/cases/random.ts';
import { diffLines, diffValues, measureDistance } from '../../src/checks/difference.ts';
import { breakLine, measureWidth, padOrTruncate, sliceColumns } from '../../src/formats/columns.ts';
import { renderFailure } from '../../src/formats/human/failure.ts';
import { renderCodeFrame } from '../../src/formats/human/frame.ts';
import { renderLeaks } from '../../src/formats/human/leaks.ts';
import { renderProgress } from '../../src/formats/human/live.ts';
import { renderNarrowed } from '../../src/formats/human/narrow.ts';
import { renderTimeline } from '../../src/formats/human/timeline.ts';
import { renderWhere } from '../../src/formats/human/where.ts';
import { formatCode } from '../../src/formats/markdown-text.ts';
import { findFormat } from '../../src/formats/report-formats.ts';
import { plainStyle } from '../../src/formats/style.ts';
import { type CapturedStack, captureStack, findLocation, parseFrames } from '../../src/problems/source-location.ts';
import type { JournalEntry } from '../../src/results/journal/entries.ts';
import type { Leak } from '../../src/results/leaks.ts';
import { createRunState } from '../../src/results/run-state.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import type { Failure } from '../../src/running/result.ts';
import { runCommand } from '../program.ts';
import { outcomes } from '../results/outcomes-project.ts';

const long = 'berth '.repeat(2000);
const lines = (texts: readonly string[]): string => JSON.stringify(texts.join('\n'));

export const frames = test('a frame of {columns} columns marks the right word: seed {seed}', {
  cases: values('columns', [undefined, 40, 60, 120]).cross(range('seed', 1, 25)),
}, ({ row: { columns, seed }, check }) => {
  const random = createRandom(`frames ${seed}`);
  const lineOf = (words: number): string => Array.from({ length: words }, () => random.text(random.integer(1, 9), 'abc').padEnd(1, 'x')).join(' ');
  const texts = Array.from({ length: 5 }, () => lineOf(random.integer(0, 40)));
  const marked = `${lineOf(random.integer(0, 30))} berth ${lineOf(random.integer(0, 30))}`.trimStart();
  const shown = renderCodeFrame(
    { file: 'a.ts', line: 3, column: marked.indexOf('berth') + 1 },
    { source: () => [...texts.slice(0, 2), marked, ...texts.slice(2)].join('\n'), style: plainStyle, columns },
  );
  check.holds(shown.length === 5 && shown.every((line) => line.length <= (columns ?? 1000) - 4), 'each fits, put in twice');
  const [line = '', mark = ''] = shown.slice(2);
  const at = mark.indexOf('▔');
  check.equal([line.slice(at, mark.length), mark.slice(at)], ['berth', '▔'.repeat(5)]);
  check.equal(
    shown.some((one) => one.includes('…')),
    columns !== undefined && [...texts.slice(0, 3), marked].some((text) => text.length > columns - 10),
  );
});

export const differences = test('shows the difference between {what}', {
  cases: namedRows<{ what: string; actual: string; expected: string; shown: readonly string[] }>({
    numbers: { what: 'numbers', actual: '72', expected: '73', shown: ['actual 72', 'expected 73'] },
    words: {
      what: 'words, within the line',
      actual: '"north quay"',
      expected: '"south quay"',
      shown: ['actual "[n]o[r]th quay"', 'expected "[s]o[u]th quay"'],
    },
    long: {
      what: 'long texts, cut around what differs',
      actual: `"${long}N4 ${long}"`,
      expected: `"${long}S7 ${long}"`,
      shown: [`actual …${long.slice(-40)}[N4]${` ${long}`.slice(0, 40)}…`, `expected …${long.slice(-40)}[S7]${` ${long}`.slice(0, 40)}…`],
    },
    lines: {
      what: 'texts of several lines, line by line',
      actual: lines(['one', 'two', 'three', 'four', 'five', 'six']),
      expected: lines(['one', 'two', 'three', 'four', 'five', 'sixth']),
      shown: ['omitted 2 equal lines', 'both three', 'both four', 'both five', 'expected six[th]', 'actual six'],
    },
    alone: {
      what: 'lines that have no single counterpart, without marks',
      actual: lines(['one', 'two x', 'three', 'four a', 'four b']),
      expected: lines(['one', 'two a', 'two b', 'three', 'four']),
      shown: ['both one', 'expected two a', 'expected two b', 'actual two x', 'both three', 'expected four', 'actual four a', 'actual four b'],
    },
    ends: {
      what: 'texts that are too long to be compared in full, without a common end',
      actual: `${'a'.repeat(4000)}12`,
      expected: `${'a'.repeat(4000)}345`,
      shown: [`actual …${'a'.repeat(40)}[12]`, `expected …${'a'.repeat(40)}[345]`],
    },
    longest: {
      what: 'texts that are too long to be compared in full, between their common ends',
      actual: `${'a'.repeat(4000)}12${'b'.repeat(30)}`,
      expected: `${'a'.repeat(4000)}345${'b'.repeat(30)}`,
      shown: [`actual …${'a'.repeat(40)}[12]${'b'.repeat(30)}`, `expected …${'a'.repeat(40)}[345]${'b'.repeat(30)}`],
    },
    far: {
      what: 'texts that are too long to be compared in full, from the first difference to the last',
      actual: `"${'a'.repeat(1960)}1b2${'c'.repeat(60)}"`,
      expected: `"${'a'.repeat(1960)}3b4${'c'.repeat(60)}"`,
      shown: [`actual …${'a'.repeat(40)}[1b2]${'c'.repeat(40)}…`, `expected …${'a'.repeat(40)}[3b4]${'c'.repeat(40)}…`],
    },
    near: {
      what: 'texts that are just short enough to be compared in full, difference by difference',
      actual: `"${'a'.repeat(1960)}1b2${'c'.repeat(35)}"`,
      expected: `"${'a'.repeat(1960)}3b4${'c'.repeat(35)}"`,
      shown: [`actual …${'a'.repeat(40)}[1]b[2]${'c'.repeat(35)}"`, `expected …${'a'.repeat(40)}[3]b[4]${'c'.repeat(35)}"`],
    },
    other: { what: 'a text of several lines and another value', actual: lines(['one', 'two']), expected: '12', shown: ['actual "one\\ntwo"', 'expected 12'] },
    cut: { what: 'texts that were cut', actual: '"north qu…', expected: '"north po…', shown: ['actual "north [qu]…', 'expected "north [po]…'] },
    structures: {
      what: 'structures',
      actual: '{\n  a: 1,\n  b: 2,\n}',
      expected: '{\n  a: 1,\n  b: 3,\n}',
      shown: ['both {', 'both   a: 1,', 'expected   b: [3],', 'actual   b: [2],', 'both }'],
    },
  }),
}, ({ row, check }) => {
  const shown = diffValues(row.actual, row.expected).map(({ side, text, highlights = [] }) => {
    const isWhole = highlights.length === 1 && highlights[0]?.[0] === 0 && highlights[0][1] === text.length;
    const marked = isWhole ? text : [...highlights].reverse().reduce((at, [from, to]) => `${at.slice(0, from)}[${at.slice(from, to)}]${at.slice(to)}`, text);
    return `${side} ${marked}`;
  });
  check.equal(shown, [...row.shown]);
});

export const distant = test('texts with thousands of other lines are shown one after the other', ({ check }) => {
  const text = (word: string): string => Array.from({ length: 1100 }, (_, i) => `${word} ${i}`).join('\n');
  const shown = diffLines(text('north'), text('south'));
  check.equal(
    [shown.length, shown[0], shown[1100]].map((one) => (typeof one === 'object' ? `${one.side} ${one.text}` : one)),
    [2200, 'expected south 0', 'actual north 0'],
  );
});

const linesOf = (failure: Partial<Failure>): string[] =>
  renderFailure(
    { title: 't', row: {}, status: 'failed', id: 'a#t', output: [], steps: [], failures: [{ cause: 'check', message: 'not equal', ...failure }] },
    1,
    { style: plainStyle, columns: undefined, shown: new Set(), nameFile: (file) => file, source: () => undefined },
  );
const failedWith = (failure: Partial<Failure>): string[] => linesOf(failure).map((line) => line.trim());
const numbered = (count: number, word: string): string[] => Array.from({ length: count }, (_, i) => `${word} ${i + 1}`);

export const longFailures = suite('a failure', [
  test('underlines differences of short texts without colours', ({ check }) => {
    const shown = failedWith({ actual: '"N4 at noon"', expected: '"N12 at 15"' });
    check.equal(shown.slice(shown.indexOf('actual    "N4 at noon"')).slice(0, 4), ['actual    "N4 at noon"', '~    ~~~~', 'expected  "N12 at 15"', '~~    ~~']);
  }),

  test('underlines nothing if all of both texts differs', ({ check }) =>
    check.equal(
      failedWith({ actual: '72', expected: '53' }).filter((line) => /^(?:actual|expected|~)/.test(line)),
      ['actual    72  (+19)', 'expected  53'],
    )),

  test('shows a value of several lines behind its label', ({ check }) =>
    check.equal(linesOf({ actual: '{\n  berth: "N4",\n}' }).slice(-5, -2), ['  actual    {', '              berth: "N4",', '            }'])),

  test('shows a text of several lines behind its label, and a note of several lines behind the message', ({ check }) => {
    check.equal(failedWith({ actual: JSON.stringify('north\nsouth'), expectedKind: 'pattern', expected: '/east/' }).slice(-6, -2), [
      'actual',
      '│ north',
      '│ south',
      'pattern   /east/',
    ]);
    check.equal(linesOf({ message: 'off by 2', note: 'first line\nsecond line' }).slice(2, 5), ['  off by 2', '  │ first line', '  │ second line']);
  }),

  test('with a message of {count} lines shows {shown}', {
    cases: table(
      ['count', 'shown', 'cut'],
      [
        [41, 41, undefined],
        [42, 41, '… 2 more lines …'],
        [1000, 41, '… 960 more lines …'],
      ],
    ),
  }, ({ row, check }) => {
    const shown = failedWith({ message: numbered(row.count, 'line').join('\n') });
    const found = shown.filter((line) => /^line|more lines/.test(line));
    check.equal(found.length, row.shown);
    check.equal([found[0], found[1], found.at(-1)], ['line 1', 'line 2', `line ${row.count}`]);
    check.equal(
      found.find((line) => line.startsWith('…')),
      row.cut,
    );
    // Each line is shown, or counted as left out.
    const left = Number(/\d+/.exec(row.cut ?? '0')?.[0]);
    check.equal(found.filter((line) => line.startsWith('line')).length + left, row.count);
  }),

  test('with a value of more than 12 lines shows the first and the last of them', ({ check }) => {
    const shown = (count: number): string[] => failedWith({ actual: numbered(count, 'line').join('\n') }).filter((line) => line.includes('line'));
    check.equal(shown(12).length, 12);
    check.equal(shown(1013), ['actual    line 1', ...numbered(8, 'line').slice(1), '… 1,002 more lines …', 'line 1011', 'line 1012', 'line 1013']);
  }),

  test(
    'with a value of {length} characters shows {shown}',
    {
      cases: table(
        ['length', 'shown'],
        [
          [240, 'x'.repeat(240)],
          [241, `${'x'.repeat(239)}…`],
        ],
      ),
    },
    ({ row, check }) => check.includes(failedWith({ actual: 'x'.repeat(row.length) }), `actual    ${row.shown}`),
  ),

  test('with a long difference shows the beginning of each side', ({ check }) => {
    const shown = failedWith({ actual: JSON.stringify(numbered(100, 'north').join('\n')), expected: JSON.stringify(numbered(70, 'south').join('\n')) });
    const of = (sign: string): string[] => shown.filter((line) => line.startsWith(`${sign} `) && !/actual|expected/.test(line));
    check.equal(
      of('-'),
      numbered(15, 'south').map((line) => `- ${line}`),
    );
    check.equal(
      of('+'),
      numbered(15, 'north').map((line) => `+ ${line}`),
    );
    check.equal(
      shown.filter((line) => line.includes('more lines')),
      ['… 55 more lines of expected', '… 85 more lines of actual'],
    );
  }),
]);

export const distances = test(
  '{a} is {apart} than {b}',
  {
    cases: table(
      ['a', 'b', 'apart'],
      [
        ['72', '73', '−1'],
        ['0.3', '0.1', '+0.2'],
        ['1', '1', undefined],
        ['"1"', '2', undefined],
        ['1e3', '-5', '+1005'],
      ],
    ),
  },
  ({ row, check }) => check.equal(measureDistance(row.a, row.b), row.apart),
);

export const widths = test('{text} takes {width} columns', {
  cases: namedRows({
    latin: { text: 'Zoë', width: 3 },
    combined: { text: 'Zoe\u0308', width: 3 },
    kana: { text: '港湾', width: 4 },
    emoji: { text: 'a⚓️', width: 3 },
    'check mark': { text: '✅ ok', width: 5 },
    flag: { text: '🇩🇰', width: 2 },
    family: { text: '👩‍🔧!', width: 3 },
    signs: { text: '✗ ▸ │ → ≈', width: 9 },
    none: { text: '', width: 0 },
  }),
}, ({ row, check }) => {
  check.equal(measureWidth(row.text), row.width);
  for (const columns of [2, 3, 5, 8]) check.equal(measureWidth(padOrTruncate(row.text, columns)), columns);
  for (let at = 0; at < row.width; at++)
    check.holds(row.text.includes(sliceColumns(row.text, at, 2)) && measureWidth(sliceColumns(row.text, at, 2)) <= 2, `from column ${at}`);
  check.equal(sliceColumns(row.text, 0, row.width), row.text);
});

export const spans = test('any text is a single code span of Markdown: seed {seed}', { cases: range('seed', 1, 30) }, ({ row, check }) => {
  const text = createRandom(`spans ${row.seed}`).text(row.seed, 'a``<\n \\*_[]()@#|');
  const span = formatCode(text);
  // CommonMark 0.31, 6.1: a run of backticks opens, and the next run of the same length closes; a blank at both ends is removed.
  const [opening = ''] = /^`+/.exec(span) ?? [];
  const runs = [...span.slice(opening.length).matchAll(/`+/g)];
  const closing = runs.find(([run]) => run.length === opening.length);
  check.equal((closing?.index ?? -1) + 2 * opening.length, span.length);
  const content = span.slice(opening.length, -opening.length);
  check.equal(/^ .*[^ ].* $/s.test(content) ? content.slice(1, -1) : content, text.replaceAll('\n', '␊'));
});

export const endings = test(
  'a report in {file} has the format {format}',
  {
    cases: table(
      ['file', 'format'],
      [
        ['r.md', 'markdown'],
        ['r.markdown', 'markdown'],
        ['r.htm', 'html'],
        ['new/R.HTML', 'html'],
        ['r.tap', 'tap'],
        ['r.csv', 'csv'],
        ['r.json', 'json'],
        ['r.jsonl', 'jsonl'],
        ['r.ctrf.json', 'ctrf'],
        ['r.ctrf', undefined],
        ['r.txt', undefined],
        ['md', undefined],
      ],
    ),
  },
  ({ row, check }) => check.equal(findFormat(row.file), row.format as never),
);

export const longSpan = test('a code span of Markdown has up to 300 characters', ({ check }) => {
  check.equal(formatCode('ab'.repeat(150)), `\`${'ab'.repeat(150)}\``);
  check.equal(formatCode('ab'.repeat(151)), `\`${'ab'.repeat(149)}a…\``);
});

export const looks = suite('a record for people', { timeout: 60_000 }, [
  testWith({ outcomes })('is printed as the run printed it', async ({ check }, { outcomes }) => {
    const plain = (text: string): string[] => text.split('\n').filter((line) => !/^[\d.]+ m?s \(/.test(line));
    const { status, output } = await runCommand(['report', 'bad'], outcomes.folder);
    check.equal([status, plain(output)], [0, plain(outcomes.bad.output)]);
  }),
]);

export const longTimelines = test('a lane of {cases} cases has {bars} bars in a timeline', {
  cases: table(
    ['cases', 'bars', 'more'],
    [
      [120, 120, undefined],
      [121, 120, '… and 1 more'],
    ],
  ),
}, ({ row, check }) => {
  const entries = function* (): Generator<JournalEntry> {
    yield { type: 'header', version: 6, lane: 0 };
    yield { type: 'running', at: 0 };
    for (let n = 0; n < row.cases; n++) {
      const name = { test: 0, ordinal: n, id: `case ${n}`, title: `case ${n}`, row: {}, tags: [], attachments: [] };
      yield { type: 'ended', result: { ...EMPTY_OUTCOME, ...name, status: 'passed', start: n, times: { setup: 0, body: 1, teardown: 0 } } };
    }
  };
  const lines = renderTimeline(entries, 80, plainStyle);
  check.equal(lines.filter((line) => line.includes('case ')).length, row.bars);
  check.equal(
    lines.find((line) => line.startsWith('…')),
    row.more,
  );
});

export const narrow = test('a terminal of {width} columns has its lines', { cases: values('width', [0, 1, 10, 24, 25, 26, 40]) }, ({ row, check }) => {
  const activity = { kind: 'body', name: 'a.lattice.ts#berths/a-long-title', limit: 1 } as const;
  const going = { state: createRunState(), lanes: [{ number: 0, activity, since: 2000 }], elapsed: 1, expected: { whole: 2, done: 1 } };
  check.equal(renderProgress(going, row.width, plainStyle).length, 3);
  check.holds(padOrTruncate('berth', row.width).length >= Math.min(5, row.width));
});

interface Shown {
  readonly expected?: { readonly whole: number; readonly done: number };
  readonly elapsed: number;
  readonly lanes: readonly { readonly since: number; readonly machine?: string }[];
  readonly shown: readonly string[];
}

export const shownProgress = test('the progress of a run is shown: {what}', {
  cases: dataFile('progress.yaml'),
}, ({ row, check }) => {
  const { expected, elapsed, lanes, shown } = row as unknown as Shown;
  const activity = { kind: 'body', name: 'berth/1', limit: 1 } as const;
  const named = lanes.map((lane, number) => ({ number, activity, ...lane }));
  check.equal(renderProgress({ state: createRunState(), lanes: named, elapsed, expected }, 80, plainStyle), ['', ...shown]);
});

export const narrowLanes = test('the activity of a lane is shortened to the width of the terminal', ({ check }) => {
  const activity = { kind: 'body', name: 'berth/1 of the north quay in a winter with ice', limit: 1 } as const;
  const lanes = [{ number: 0, machine: 'quay-2', activity, since: 2000 }];
  check.equal(
    renderProgress({ state: createRunState(), lanes, elapsed: 1, expected: undefined }, 60, plainStyle)[2],
    '  lane 0  quay-2  berth/1 of the north quay i…  2.0 s',
  );
});

export const narrowed = test('while a test is narrowed, the likeliest combination is shown', ({ check }) => {
  const likeliest = [
    { kind: 'value', column: 'season', value: 'winter' },
    { kind: 'value', column: 'hull', value: 'cat' },
  ] as const;
  const progress = { state: createRunState(), lanes: [], elapsed: 1500, expected: undefined };
  const narrowing = { path: ['dues', 'a price'], probes: 5, step: { possible: 12, likeliest } };
  check.equal(renderProgress({ ...progress, narrowing }, 80, plainStyle), [
    '',
    'narrowing dues › a price  5 extra cases  1.5 s',
    '  12 combinations possible, likeliest season=winter & hull=cat',
  ]);
  check.equal(renderProgress({ ...progress, narrowing: { ...narrowing, probes: 0, step: undefined } }, 80, plainStyle).length, 2);
});

export const provenCauses = test('a proven cause is shown with its evidence and the smallest failing value', ({ check }) => {
  const cause = { failed: 4, cases: 4, passedWithout: 3, casesWithout: 3, isProven: true, smallest: [{ column: 'note', value: 'ß' }] };
  const conditions = [{ kind: 'value', column: 'note', value: 'Straße' }];
  // The test is defined in another file: no line of its own file selects it.
  const header = { path: ['dues', 'a price'], file: 'a.ts', id: 'a.ts#dues', location: { file: 'b.ts', line: 8, column: 1 } };
  const result = { header, failing: ['one'], cases: 7, causes: [{ ...cause, conditions }], unexplained: [], probes: ['one', 'two'], milliseconds: 12 };
  const formatting = { style: plainStyle, nameFile: (file: string) => file, shown: new Set<string>(), source: () => undefined };
  check.equal(renderNarrowed(result as never, { tags: ['draft'], onRequest: true }, formatting), [
    '',
    '✗ dues › a price',
    '  1 of 7 cases failed  a.ts',
    '  cause  note=Straße  4 of 4 fail; passes without it, 3 of 3; 2 extra cases, 12 ms',
    '    smallest  note=ß',
    "    rerun: npx red-lattice run a.ts --row 'note=Straße' --tag draft --on-request",
  ]);
});

export const unexplained = test('cases without a cause are named, up to five, with the reason and the effort', ({ check }) => {
  const header = { path: ['dues', 'a price'], file: 'a.ts', id: 'a.ts#dues', location: { file: 'a.ts', line: 8, column: 1 } };
  const reasons = ['flaky', 'budget', 'no-columns', 'contradictory', 'flaky', 'flaky', 'flaky'];
  const left = reasons.map((reason, i) => ({ id: `a.ts#dues/nights=${i}`, reason }));
  const result = { header, failing: left, cases: 7, causes: [], unexplained: left, probes: ['one'], milliseconds: 12 };
  const formatting = { style: plainStyle, nameFile: (file: string) => file, shown: new Set<string>(), source: () => undefined };
  check.equal(renderNarrowed(result as never, {}, formatting), [
    '',
    '✗ dues › a price',
    '  7 of 7 cases failed  a.ts',
    '  not explained  nights=0: passed when it ran again',
    '  not explained  nights=1: the budget was used up (--budget)',
    '  not explained  nights=2: no other row to compare it with',
    '  not explained  nights=3: no combination of values explains it: columns may depend on each other (--vary names those to change)',
    '  not explained  nights=4: passed when it ran again',
    '  and 2 more',
    '  1 extra case, 12 ms',
  ]);
});

export const causes = test('causes are shown with their counts', ({ check }) => {
  const cause = (column: string, failing: number, cases: number) => ({ conditions: [{ kind: 'value', column, value: 'cat' }], failing, cases });
  const found = { causes: [cause('hull', 8, 10), cause('kind of hull', 3, 3)], elsewhere: { failing: 1, cases: 20 } };
  check.equal(
    renderWhere(found as never, () => undefined, { style: plainStyle, nameFile: (file) => file }),
    ['  where it fails', '  ✗ hull=cat           8 of 10 fail', '  ✗ kind of hull=cat   3 of  3 fail', '    elsewhere          1 of 20'],
  );
});

export const brokenLines = test(
  'a line is broken between words: {what}',
  {
    cases: dataFile('broken-lines.yaml', { columns: { what: cell.text, line: cell.text, lines: cell.list(cell.text) } }),
  },
  ({ row, check }) => check.equal([...breakLine(row.line, 20)], [...row.lines]),
);

export const brokenRows = test('a long row is broken between values and before its location: {columns} columns', {
  cases: table(
    ['columns', 'lines'],
    [
      [undefined, ['  row  loa=6.5, hull=cat, season=winter, due=32.4  data/dues.csv:7:1']],
      [44, ['  row  loa=6.5, hull=cat, season=winter,', '       due=32.4  data/dues.csv:7:1']],
      [60, ['  row  loa=6.5, hull=cat, season=winter, due=32.4', '       data/dues.csv:7:1']],
    ],
  ),
}, ({ row, check }) => {
  const place = { file: 'data/dues.csv', line: 7, column: 1 };
  const failure = { title: 'a stay', row: { loa: 6.5, hull: 'cat', season: 'winter', due: 32.4 }, location: place, status: 'failed', id: 'a' };
  const formatting = { style: plainStyle, columns: row.columns, nameFile: (file: string) => file, shown: new Set<string>(), source: () => undefined };
  const lines = renderFailure({ ...failure, failures: [], steps: [], output: [] } as never, 1, formatting as never);
  check.equal(lines.slice(1, lines.indexOf('')), [...row.lines]);
});

export const markedWords = test('the mark of a code frame is under the word, behind {before}', {
  cases: namedRows({
    latin: { before: 'nights', columns: 6 },
    wide: { before: '港湾', columns: 4 },
    emoji: { before: '✅', columns: 2 },
    combined: { before: 'Zoe\u0308', columns: 3 },
  }),
}, ({ row, check }) => {
  const line = `f('${row.before}', equal)`;
  const frame = renderCodeFrame({ file: 'a.ts', line: 1, column: line.indexOf('equal') + 1 }, { source: () => line, style: plainStyle });
  check.equal(frame, [`▸ 1 │ ${line}`, `    │ ${' '.repeat(row.columns + 6)}▔▔▔▔▔`]);
});

export const generated = test('a line of more than 400 characters has no frame', ({ check }) => {
  const countLines = (length: number): number =>
    renderCodeFrame({ file: 'a.ts', line: 1, column: 1 }, { source: () => 'x'.repeat(length), style: plainStyle }).length;
  check.equal([countLines(400), countLines(401)], [2, 0]);
});

export const markedSign = test('a sign has a mark of one column', ({ check }) =>
  check.equal(renderCodeFrame({ file: 'a.ts', line: 1, column: 2 }, { source: () => 'f(x)', style: plainStyle }), ['▸ 1 │ f(x)', '    │  ▔']));

export const stacks = test(
  'the frames of a stack are read',
  {
    cases: dataFile('stacks.yaml', { columns: { stack: cell.text, frames: cell.json } }),
  },
  ({ row, check }) =>
    check.equal(
      parseFrames(row.stack).map(({ functionName = null, file, line, column }) => [functionName, file, line, column]),
      row.frames as (string | number | null)[][],
    ),
);

export const limits = test('the place of a call is known whatever the limit of stack traces', ({ check }) => {
  const call = (): CapturedStack => captureStack(call);
  const { stackTraceLimit } = Error;
  Error.stackTraceLimit = 0;
  const captured = call();
  const after = Error.stackTraceLimit;
  Error.stackTraceLimit = stackTraceLimit;
  check.equal([findLocation(captured)?.file, after], [import.meta.url, 0]);
});

export const leaks = test('what is left open is counted by its case, or shown with its place: {what}', {
  cases: namedRows<{ what: string; leaks: readonly Leak[]; lines: readonly string[] }>({
    nothing: { what: 'nothing', leaks: [], lines: [] },
    counts: {
      what: 'counts',
      leaks: [
        { kind: 'child process', after: { id: 'a', title: 'moors' } },
        { kind: 'timer', after: { id: 'a', title: 'moors' } },
        { kind: 'child process', after: { id: 'a', title: 'moors' } },
        { kind: 'child process', after: undefined },
      ],
      lines: [
        '',
        '! 2 child processes left open by moors',
        '! 1 timer left open by moors',
        '! 1 child process left open by concurrent cases',
        '  run with --leaks to see where each was opened',
      ],
    },
    places: {
      what: 'places',
      leaks: [
        { kind: 'timer', after: { id: 'a', title: 'moors' }, location: { file: '/p/a.ts', line: 2, column: 3 } },
        { kind: 'server', after: undefined },
      ],
      lines: ['', '! timer left open by moors', '  a.ts:2:3', '', '! server left open by a case'],
    },
  }),
}, ({ row, check }) => {
  const formatting = { style: plainStyle, nameFile: (file: string) => file.replace('/p/', ''), shown: new Set<string>(), source: () => undefined };
  check.equal(renderLeaks(row.leaks, formatting as never), [...row.lines]);
});
