import { type Cause, type Condition, dataFile, formatCondition, matrix, namedRows, range, suite, table, test, values, whereItFails } from 'red-lattice';
import { meets, plant } from '../../bench/where/plant.mjs';
import { createRandom } from '../../src/cases/random.ts';
import type { JournalEntry } from '../../src/results/journal/entries.ts';
import { asRowOptions, holds } from '../../src/results/where/condition.ts';
import { whereTestsFail } from '../../src/results/where/tests.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import { matchesCondition, parseCondition, type RowCondition } from '../../src/suites/row-condition.ts';

type Row = Readonly<Record<string, unknown>>;

const hulls = ['mono', 'cat', 'tri'];
const every = (make: (i: number) => Row, count = 96): Row[] => Array.from({ length: count }, (_, i) => make(i));
const stays = every((i) => ({
  hull: hulls[i % 3],
  season: i % 7 < 4 ? 'summer' : 'winter',
  loa: 6 + ((i * 37) % 96) / 8,
  from: new Date(Date.UTC(2031, 0, 1 + ((i * 29) % 200))).toISOString().slice(0, 10),
  guest: ['Ada', 'Ben', 'Stavros', 'Stine', 'Storm', 'Sue', 'Ed', 'Maximiliana'][(i * 5) % 8],
  until: i % 4 === 0 ? '2031-04-10' : ['open', 'option', 'until further notice'][(i * 5) % 3],
  stay: { nights: 1 + (i % 5) },
  ...(i % 6 === 5 ? {} : { note: 'x' }),
  ...(i % 9 === 4 ? { pilot: i % 2 } : {}),
  extras: [[], ['power'], ['power', 'crane'], ['crane'], ['water', 'pilot']][(Math.imul(i, 0x9e3779b1) >>> 24) % 5],
  rates: [{}, { day: 1 }, { day: 2, week: 3 }, { night: 1, month: 4 }, { month: 1, week: 5, day: 3 }][(Math.imul(i, 0x85ebca6b) >>> 24) % 5],
}));
/** Two numbers, two names, and a text of four words in each row. */
const words = ['north', 'south', 'quay', 'urgent', 'late', 'tug', 'pilot', 'basin', 'crane', 'ferry', 'visit', 'repair', 'paint', 'winter'];
const random = createRandom('moves');
const moves = every(
  () => ({
    from: random.integer(1, 30),
    to: random.integer(1, 30),
    home: random.pick([...'ABCDE']),
    berth: random.pick([...'ABCDE']),
    note: Array.from({ length: 4 }, () => random.pick(words)).join(' '),
  }),
  150,
);
const rates = (row: Row): string[] => Object.keys(row['rates'] as Row);
const extras = (row: Row): readonly string[] => row['extras'] as string[];
const loa = ({ loa }: Row): number => loa as number;

const judged = (rows: readonly Row[], fails: (row: Row) => boolean) => whereItFails(rows.map((row) => ({ row, failed: fails(row) })));

const failedBy = (cause: Cause): object => ({ status: cause === 'check' ? 'failed' : 'errored', cause });
const berths = hulls.flatMap((hull) => ['winter', 'summer', 'spring'].map((season) => ({ hull, season })));

export const where = suite('where it fails', [
  test('is found for {what}', {
    cases: namedRows<{ what: string; fails: (row: Row) => boolean; expected: readonly string[] }>({
      value: { what: 'a value', fails: (row) => row['hull'] === 'cat', expected: ['hull=cat'] },
      'all but one': { what: 'all values but one', fails: (row) => row['hull'] !== 'cat', expected: ['hull!=cat'] },
      pair: { what: 'a pair of values', fails: (row) => row['hull'] === 'cat' && row['season'] === 'winter', expected: ['hull=cat & season=winter'] },
      inside: { what: 'a value inside of a column', fails: ({ stay }) => (stay as Row)['nights'] === 3, expected: ['stay.nights=3'] },
      range: { what: 'a range of numbers', fails: (row) => loa(row) >= 12, expected: ['loa>=12'] },
      between: { what: 'a range with two ends', fails: (row) => loa(row) >= 8 && loa(row) <= 10, expected: ['8<=loa<=10'] },
      dates: { what: 'a range of dates', fails: ({ from }) => String(from) < '2031-02-01', expected: ['from<=2031-01-31'] },
      start: { what: 'a start of text', fails: ({ guest }) => String(guest).startsWith('St'), expected: ['guest starts with "St"'] },
      'dates and texts': { what: 'a start of text among dates', fails: ({ until }) => String(until).startsWith('o'), expected: ['until starts with "o"'] },
      length: { what: 'a length of text', fails: ({ guest }) => String(guest).length <= 3, expected: ['length of guest<=3'] },
      missing: { what: 'a missing value', fails: (row) => !('note' in row), expected: ['note is missing'] },
      present: { what: 'a value that others lack', fails: (row) => 'pilot' in row, expected: ['pilot is present'] },
      empty: { what: 'an empty list', fails: (row) => extras(row).length === 0, expected: ['extras is empty'] },
      'not empty': { what: 'all but the empty object', fails: (row) => rates(row).length > 0, expected: ['rates is not empty'] },
      size: { what: 'a size of lists', fails: (row) => extras(row).length >= 2, expected: ['size of extras=2'] },
      member: {
        what: 'what lists contain',
        fails: (row) => extras(row).includes('power') && row['hull'] === 'tri',
        expected: ['hull=tri & extras contains "power"'],
      },
      key: { what: 'a key of objects', fails: (row) => rates(row).includes('week'), expected: ['rates contains "week"'] },
      'no key': { what: 'a missing key of objects', fails: (row) => !rates(row).includes('day'), expected: ['rates.day is missing'] },
      lacks: { what: 'what lists do not contain', fails: (row) => !extras(row).includes('crane'), expected: ['extras does not contain "crane"'] },
      two: {
        what: 'two causes at once',
        fails: (row) => (row['hull'] === 'cat' && row['season'] === 'winter') || loa(row) >= 16,
        expected: ['loa>=16', 'hull=cat & season=winter'],
      },
      all: { what: 'no cause where all fail', fails: () => true, expected: [] },
      none: {
        what: 'no cause where failures are scattered',
        fails: ({ from, loa }) => (Number(String(from).slice(-2)) * 7 + (loa as number) * 8) % 11 === 0,
        expected: [],
      },
      one: { what: 'no cause where one case fails', fails: (row) => row === stays[17], expected: [] },
    }),
  }, ({ row, check }) => {
    const { causes, elsewhere } = judged(stays, row.fails);
    check.equal(
      causes.map(({ conditions }) => conditions.map(formatCondition).join(' & ')),
      [...row.expected],
    );
    // Each reported cause holds for failing cases only, and together they hold for all of them.
    check.equal(
      causes.map(({ failing, cases }) => cases - failing),
      causes.map(() => 0),
    );
    const failing = stays.filter(row.fails).length;
    check.equal([elsewhere.failing, elsewhere.cases], causes.length > 0 ? [0, stays.length - failing] : [failing, stays.length]);
  }),

  test('columns and texts are compared: {what}', {
    cases: namedRows<{ what: string; fails: (row: Row) => boolean; expected: string }>({
      order: { what: 'the order of two numbers', fails: ({ from, to }) => (from as number) > (to as number), expected: 'from > to' },
      'at least': { what: 'the order of two numbers, or their equality', fails: ({ from, to }) => (from as number) >= (to as number), expected: 'from >= to' },
      equal: { what: 'equal texts', fails: ({ home, berth }) => home === berth, expected: 'home = berth' },
      unequal: { what: 'different texts', fails: ({ home, berth }) => home !== berth, expected: 'home != berth' },
      word: { what: 'a word of a text', fails: ({ note }) => String(note).includes('urgent'), expected: 'note contains "urgent"' },
    }),
  }, ({ row, check }) => {
    const { causes } = judged(moves, row.fails);
    check.equal(
      causes.map(({ conditions, failing, cases }) => [conditions.map(formatCondition).join(' & '), failing === cases]),
      [[row.expected, true]],
    );
    check.equal(causes[0]?.failing, moves.filter(row.fails).length);
  }),

  test('is found if three of the rows of a full matrix fail, and not by chance', async ({ check }) => {
    const rows: Row[] = [];
    for await (const row of matrix({ hull: hulls, season: ['summer', 'winter'], crew: [1, 2, 3, 4], power: ['none', 'shore', 'solar'] })) rows.push(row);
    const three = judged(rows, (row) => row['hull'] === 'cat' && row['season'] === 'winter' && row['crew'] === 2);
    check.equal(
      three.causes.map(({ conditions, failing, cases }) => [conditions.map(formatCondition).sort(), failing, cases]),
      [[['crew=2', 'hull=cat', 'season=winter'], 3, 3]],
    );
    // Two rows of 72 share some combination too often.
    const two = judged(rows, (row) => row['hull'] === 'cat' && row['crew'] === 2 && row['power'] === 'shore');
    check.equal([two.causes, two.suspects?.isLikelyCause], [[], true]);
  }),

  test('is found though each of its parts alone fails as often as all others', async ({ check }) => {
    const either = ['yes', 'no'];
    const axes = {
      hull: ['mono', 'cat'],
      season: ['summer', 'winter'],
      loa: [8, 9, 10, 11],
      crane: either,
      power: either,
      paid: either,
      fuel: either,
      flag: either,
      tug: either,
    };
    const rows: Row[] = [];
    for await (const row of matrix(axes)) rows.push(row);
    const { causes, elsewhere } = judged(rows, ({ crane, loa }) => (loa as number) <= 9 === (crane === 'yes'));
    check.equal(
      causes.map(({ conditions, failing, cases }) => [conditions.map(formatCondition).join(' & '), failing, cases]),
      [
        ['loa>=10 & crane=no', 256, 256],
        ['loa<=9 & crane=yes', 256, 256],
      ],
    );
    check.equal(elsewhere.failing, 0);
  }),

  test('a word is found that two failing rows of many have', ({ check }) => {
    const rows = every((i) => ({ note: `${words[i % 14]} ${i === 5 || i === 640 ? 'sunk' : 'calm'} ${hulls[i % 3]}` }), 1000);
    const { causes } = judged(rows, ({ note }) => String(note).includes('sunk'));
    check.equal(
      causes.map(({ conditions }) => conditions.map(formatCondition)),
      [['note contains "sunk"']],
    );
  }),

  test('counts all cases, even if only some of them are examined', ({ check }) => {
    const many = every((i) => ({ nights: i % 50, berth: `N${i % 9}`, loa: i % 31 }), 60_000);
    const found = judged(many, (row) => row['berth'] === 'N4' && (row['nights'] as number) >= 40);
    check.equal(
      found.causes.map(({ conditions }) => conditions.map(formatCondition).sort()),
      [['berth=N4', 'nights>=40']],
    );
    const failing = many.filter((row) => row['berth'] === 'N4' && (row['nights'] as number) >= 40).length;
    check.equal([found.causes[0]?.failing, found.causes[0]?.cases, found.elsewhere.failing], [failing, failing, 0]);
  }),

  test('no condition is shown under which most cases pass: {rate} of 10 fail among {count} cases', {
    cases: table(
      ['count', 'rate', 'expected'],
      [
        [600, 6, ['berth=N4']],
        [600, 4, []],
        // Failing cases are sampled more densely than passing ones.
        [60_000, 6, ['berth=N4']],
        [60_000, 3, []],
      ],
    ),
  }, ({ row, check }) => {
    const rows = every((i) => ({ berth: `N${i % 9}`, night: i % 7 }), row.count);
    const { causes } = whereItFails(rows.map((one, i) => ({ row: one, failed: one['berth'] === 'N4' ? Math.floor(i / 9) % 10 < row.rate : i % 199 === 0 })));
    check.equal(
      causes.map(({ conditions }) => conditions.map(formatCondition).join(' & ')),
      [...row.expected],
    );
  }),

  test(
    'of long texts, conditions show {what}',
    {
      cases: namedRows<{ what: string; value: string; expected: string }>({
        whole: { what: 'the whole', value: `berth ${'north '.repeat(10)}end`, expected: `berth ${'north '.repeat(10)}end` },
        ends: {
          what: 'both ends',
          value: `berth ${'north '.repeat(40)}end`,
          expected: `berth ${'north '.repeat(5)}nor… ${'north '.repeat(6)}end`,
        },
      }),
    },
    ({ row, check }) => check.equal(formatCondition({ kind: 'value', column: 'note', value: row.value }), `note=${row.expected}`),
  ),

  test('a nested value explains, however many other paths the documents have', ({ check }) => {
    const rows = every(
      (i) => ({
        names: Object.fromEntries(Array.from({ length: 8 }, (_, at) => [`n${(i * 31 + at * 7) % 400}`, i])),
        borders: i % 9 === 4 ? [] : [`B${i % 5}`],
      }),
      400,
    );
    check.equal(
      judged(rows, ({ borders }) => (borders as unknown[]).length === 0).causes.map(({ conditions }) => conditions.map(formatCondition)),
      [['borders is empty']],
    );
  }),

  test('{levels} levels of objects are searched: {found}', {
    cases: table(
      ['levels', 'found'],
      [
        [3, ['a.a.a.x=1']],
        [4, []],
      ],
    ),
  }, ({ row, check }) => {
    const nest = (value: unknown, levels: number): unknown => (levels === 0 ? value : { a: nest(value, levels - 1) });
    const rows = every((i) => nest({ x: i % 4, y: i % 3 }, row.levels) as Row, 48);
    const isFailing = (one: Row): boolean => {
      let value: unknown = one;
      for (let i = 0; i < row.levels; i++) value = (value as Row)['a'];
      return (value as Row)['x'] === 1;
    };
    check.equal(
      judged(rows, isFailing).causes.map(({ conditions }) => conditions.map(formatCondition).join(' & ')),
      [...row.found],
    );
  }),

  test('a start of texts does not end within a character', ({ check }) => {
    const rows = every((i) => ({ berth: i % 3 === 0 ? `⚓\u{1f6f3}${i}` : `⚓\u{2070e}${i}` }), 60);
    check.equal(
      judged(rows, ({ berth }) => String(berth).startsWith('⚓\u{1f6f3}')).causes.map(({ conditions }) => conditions.map(formatCondition).join(' & ')),
      ['berth starts with "⚓\u{1f6f3}"'],
    );
  }),

  test('finds the planted cause: seed {seed}', { cases: range('seed', 200, 219) }, ({ row, check }) => {
    const seed = row.seed;
    const { rows, failed, causes, isFlipped } = plant(seed, (['value', 'pair', 'range'] as const)[seed % 3]);
    const found = whereItFails(rows.map((row: Row, i: number) => ({ row, failed: failed[i] as boolean }))).causes;
    const planted = rows.filter((one: Row) => meets(one, causes[0])).length;
    check.holds(found.length > 0);
    if (!isFlipped) check.equal([found[0]?.failing, found[0]?.cases], [planted, planted]);
  }),

  test('of a record is counted over all {count} cases of a test', { cases: values('count', [96, 9600]) }, ({ row: { count }, check }) => {
    const entries = function* (): Generator<JournalEntry> {
      for (let i = 0; i < count; i++) {
        const row = stays[i % 96] as Row;
        const name = { test: 3, ordinal: i, id: `${i}`, title: `${i}`, row, tags: [], attachments: [] };
        const verdict = row['hull'] === 'cat' ? ({ status: 'failed', cause: 'check' } as const) : ({ status: 'passed' } as const);
        yield { type: 'ended', result: { ...EMPTY_OUTCOME, ...name, ...verdict } };
      }
    };
    const found = whereTestsFail(entries, new Set([3])).get(3);
    check.equal(
      found?.causes.map(({ conditions, failing, cases }) => [conditions.map(formatCondition).join(), failing, cases]),
      [['hull=cat', count / 3, count / 3]],
    );
    check.equal(found?.elsewhere, { failing: 0, cases: (count * 2) / 3 });
  }),

  test('is suspected from results that are informative: {what}', {
    cases: namedRows<{ what: string; results: Record<string, object>; suspected: readonly string[] }>({
      plain: { what: 'a failure among cases that passed', results: { 'cat winter': failedBy('check') }, suspected: ['hull=cat & season=winter'] },
      crash: { what: 'a crash', results: { 'cat winter': failedBy('crash') }, suspected: ['hull=cat & season=winter'] },
      flaky: { what: 'a case passed when it was tried again', results: { 'cat winter': failedBy('check'), 'mono summer': { attempts: 2 } }, suspected: [] },
      'failed twice': {
        what: 'a case failed, also when it was tried again',
        results: { 'cat winter': { ...failedBy('check'), attempts: 2 } },
        suspected: ['hull=cat & season=winter'],
      },
      outside: { what: 'a failed setup', results: { 'cat winter': failedBy('setup') }, suspected: [] },
      both: {
        what: 'a failed setup beside a failed check',
        results: { 'cat winter': failedBy('check'), 'tri spring': failedBy('setup') },
        suspected: ['hull=cat & season=winter'],
      },
      skipped: {
        what: 'a skipped case neither fails nor passes',
        results: { 'cat winter': failedBy('check'), 'cat summer': { status: 'skipped' }, 'cat spring': { status: 'skipped' } },
        suspected: ['hull=cat'],
      },
    }),
  }, ({ row: { results, suspected }, check }) => {
    const entries = function* (): Generator<JournalEntry> {
      for (const [ordinal, row] of berths.entries()) {
        const name = { ordinal, id: String(ordinal), title: String(ordinal), row, tags: [], attachments: [] };
        const result = { status: 'passed', ...results[`${row.hull} ${row.season}`] } as const;
        yield { type: 'ended', result: { ...EMPTY_OUTCOME, test: 1, ...name, ...result } };
        yield { type: 'ended', result: { ...EMPTY_OUTCOME, test: 2, ...name, status: 'failed' } };
      }
    };
    const found = whereTestsFail(entries, new Set([1]));
    const named = found.get(1)?.suspects?.combinations.map(({ conditions }) => conditions.map(formatCondition).join(' & ')) ?? [];
    check.equal([named, found.has(2)], [[...suspected], false]);
  }),
]);

/** Rows with cells of several types. */
const cellRows: readonly Row[] = [
  { loa: 8, limit: 9, note: 'calm', stay: { nights: 2 }, parts: ['berth'], arrives: '2031-04-01', leaves: '2031-04-03' },
  { loa: 9, limit: 9, note: '', stay: { nights: 3 }, parts: [], arrives: '2031-05-01', leaves: '2031-04-30' },
  { loa: 12, limit: 9, note: 'calm sea', stay: {}, parts: ['power', 'berth'], arrives: '2031-06-01', leaves: null },
  { loa: null, limit: 'n/a', stay: { nights: 9 }, parts: ['water'], arrives: 5, leaves: '2031-04-03' },
];

interface Shown {
  readonly text: string;
  readonly condition: Condition;
  /** The indices of the rows that meet it. */
  readonly holdsFor: readonly number[];
  /** The values of `--row` that select the same rows, if it can be written so. */
  readonly options?: readonly string[];
}

export const conditions = test('a condition is shown, is selected by options, and holds for rows: {text}', { cases: dataFile('conditions.jsonl') }, ({
  row,
  check,
}) => {
  const { condition, text, options, holdsFor } = row as unknown as Shown;
  check.equal(formatCondition(condition), text);
  check.equal(asRowOptions([condition]), options && [...options]);
  const meeting = (test: (row: Row) => boolean): number[] => cellRows.flatMap((row, i) => (test(row) ? [i] : []));
  check.equal(
    meeting((row) => holds(condition, row)),
    [...holdsFor],
  );
  if (options)
    check.equal(
      meeting((row) => options.every((option) => matchesCondition(row, parseCondition(option) as RowCondition))),
      [...holdsFor],
      'selected by --row',
    );
});
