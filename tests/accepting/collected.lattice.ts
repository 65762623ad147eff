import { cell, dataFile, type Failure, namedRows, table, test } from 'red-lattice';
import { keepDecimals } from '../../src/accepting/change.ts';
import { collectChanges, type TestedResult } from '../../src/accepting/collect.ts';
import { chooseContents, describeLines, keepLineEndings } from '../../src/accepting/whole-files.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';

type Column = NonNullable<Failure['columns']>[number];

/** A case that fails, of a row in a data file, of a table in a test file, or elsewhere. */
function fail(title: string, columns: readonly Column[], more: object = {}, failure: object = {}): TestedResult {
  const result = { ...EMPTY_OUTCOME, status: 'failed', test: 0, ordinal: 0, id: title, title, row: {}, tags: [], attachments: [], ...more };
  const failures = [{ cause: 'check', message: 'differs from the row', columns, ...failure }];
  return {
    header: { test: 0, id: 'dues', file: 'dues.lattice.ts', path: [], tags: [], columns: [] },
    result: { ...result, failures } as TestedResult['result'],
  };
}

const inData = { location: { file: 'dues.csv', line: 2, column: 1 } };
const inSheet = (sheet: string): object => ({ location: { file: 'dues.xlsx', line: 2, column: 1, sheet } });
const inTable = { location: { file: 'dues.lattice.ts', line: 5, column: 3 } };
const tableRow = { tableRow: { location: { file: 'dues.lattice.ts', line: 9, column: 3 }, index: 1 } };
const due = (value: unknown, text = String(value)): Column => ({ column: 'due', text, value });

export const collected = test('of failed cases, {what} collected', {
  cases: namedRows<{ what: string; results: readonly TestedResult[]; changes?: readonly string[]; refused?: readonly string[] }>({
    one: {
      what: 'the cells of their columns are',
      results: [fail('a', [due(5), { column: 'note', text: 'x', value: 'x' }], inData)],
      changes: ['dues.csv:2:1 due=5 (a)', 'dues.csv:2:1 note=x (a)'],
    },
    twice: {
      what: 'equal values are',
      results: [fail('a', [due(5)], inData), fail('b', [due(5)], inData), fail('a', [due(5)], inData)],
      changes: ['dues.csv:2:1 due=5 (a, b)'],
    },
    'of two sheets': {
      what: 'values in the same cell of two sheets are',
      results: [fail('a', [due(5)], inSheet('summer')), fail('b', [due(6)], inSheet('winter'))],
      changes: ['dues.xlsx:2:1 due=5 (a)', 'dues.xlsx:2:1 due=6 (b)'],
    },
    different: {
      what: 'different values are not',
      results: [fail('a', [due(5)], inData), fail('b', [due(6)], inData), fail('c', [due(7)], inData)],
      refused: ['dues.csv:2 due: tests want different values: 5 and 6 (a, b)'],
    },
    'of another type': {
      what: 'a number and its text are not',
      results: [fail('a', [due(5)], inData), fail('b', [due('5')], inData)],
      refused: ['dues.csv:2 due: tests want different values: 5 and 5 (a, b)'],
    },
    passed: { what: 'nothing of others is', results: [fail('a', [due(5)], { ...inData, status: 'errored' })] },
    'in a table': { what: 'the cells of a table are', results: [fail('a', [due(5)], inTable, tableRow)], changes: ['dues.lattice.ts:9:3#1 due=5 (a)'] },
    nowhere: {
      what: 'a row that is in no file is not',
      results: [fail('a', [due(5)], {}), fail('b', [due(6)], inTable)],
      refused: ['dues.lattice.ts: due: the row is not written in a file (a)', 'dues.lattice.ts: due: the row is not written in a file (b)'],
    },
    reason: {
      what: 'a value that no cell holds is not',
      results: [fail('a', [{ column: 'due', heading: 'Due', reason: 'a function' } as Column], inData)],
      refused: ['dues.csv:2 Due: a function (a)'],
    },
    'without its content': {
      what: 'a file whose content is not recorded is not',
      results: [fail('a', [], inData, { differingFile: { file: 'file:///n5.txt', attachment: 'computed n5.txt' } })],
    },
    unwanted: { what: 'other columns are not', results: [fail('a', [{ column: 'other', text: '5', value: 5 }], inData)] },
  }),
}, ({ row: { results, changes = [], refused = [] }, check }) => {
  const found = collectChanges(results, (column) => column !== 'other');
  const short = (titles: readonly string[]): string => `(${titles.map((title) => title.replace('dues.lattice.ts › ', '')).join(', ')})`;
  check.equal(
    found.changes.map(
      ({ file, line, column, index, heading, text, cases }) =>
        `${file}:${line}:${column}${index === undefined ? '' : `#${index}`} ${heading}=${text} ${short(cases)}`,
    ),
    [...changes],
  );
  check.equal(
    found.refused.map(({ where, reason, cases }) => `${where.file}:${where.line ?? ''} ${where.heading}: ${reason} ${short(cases)}`),
    [...refused],
  );
});

const encode = (text: string): Uint8Array => new TextEncoder().encode(text);

export const contents = test('whole files have one content each', ({ check }) => {
  const stored: Record<string, string> = { a: 'north', same: 'north', b: 'south', longer: 'norths' };
  const change = (file: string, attachment: string, title: string) => ({ file, attachment, isNew: attachment === 'a', cases: [title] });
  const changes = [
    change('n4.txt', 'a', 'one'),
    change('n4.txt', 'same', 'two'),
    change('n5.txt', 'a', 'one'),
    change('n5.txt', 'b', 'two'),
    change('n6.txt', 'a', 'one'),
    change('n6.txt', 'longer', 'two'),
  ];
  const { files, refused } = chooseContents(changes, (name) => encode(stored[name] as string));
  check.equal(files, [{ file: 'n4.txt', content: encode('north'), isNew: true, cases: ['one', 'two'] }]);
  const reason = 'tests want different contents';
  check.equal(
    refused,
    ['n5.txt', 'n6.txt'].map((file) => ({ where: { file }, reason, cases: ['one', 'two'] })),
  );
});

export const endings = test(
  'a new content has the line endings and the mark of the old one: {before} becomes {after}',
  {
    cases: dataFile('line-endings.yaml', { columns: { before: cell.text.optional(), computed: cell.text, after: cell.text } }),
  },
  ({ row: { before, computed, after }, check }) =>
    check.equal(keepLineEndings(before === undefined ? undefined : encode(before), encode(computed)), encode(after)),
);

export const lines = test(
  'the lines that differ between {before} and {after} are shown',
  {
    cases: table(
      ['before', 'after', 'shown'],
      [
        ['a\nb\n', 'a\r\nc\r\n', ['  a', '- b', '+ c', '  ']],
        ['', 'a', ['- ', '+ a']],
        ['a\0b', 'a', undefined],
      ],
    ),
  },
  ({ row: { before, after, shown }, check }) => check.equal(describeLines(encode(before), encode(after)), shown && [...shown]),
);

export const decimals = test(
  '{text} replaces {before} as {written}',
  {
    cases: dataFile('decimals.csv', { columns: { text: cell.text, before: cell.text, written: cell.text } }),
  },
  ({ row: { text, before, written }, check }) => check.equal(keepDecimals(text, before), written),
);
