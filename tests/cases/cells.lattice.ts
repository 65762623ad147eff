import { type Cell, cell, dataFile, namedRows, range, table, test } from 'red-lattice';
import type { CellReader } from '../../src/cases/data/cells.ts';
import { createRandom } from '../../src/cases/random.ts';
import { memoryFiles, runInside } from '../inner.ts';

const kinds: Readonly<Record<string, Cell<unknown>>> = {
  text: cell.text,
  number: cell.number,
  integer: cell.integer,
  boolean: cell.boolean,
  date: cell.date,
  json: cell.json,
  season: cell.oneOf('summer', 'winter'),
  hours: cell.list(cell.integer),
  days: cell.list(cell.date),
  cents: cell.from('amount', (text) => {
    if (text === 'free') throw 'write an amount';
    if (!/^\d+\.\d\d$/.test(text)) throw new Error('write two decimals');
    return BigInt(text.replace('.', ''));
  }),
  'number or 5': cell.number.default(5),
};

export const written = test(
  '{value} is written as {text}',
  {
    cases: namedRows<{ cell: Cell<unknown>; value: unknown; text: string | undefined }>({
      'nothing in an optional cell': { cell: cell.number.optional(), value: undefined, text: '' },
      'nothing in a cell that needs a value': { cell: cell.text, value: undefined, text: undefined },
      'nothing in a cell with another default': { cell: cell.number.default(5), value: undefined, text: undefined },
      'the default': { cell: cell.number.default(5), value: 5, text: '' },
      'a value beside the default': { cell: cell.number.default(5), value: 6, text: '6' },
      'a text that is the default': { cell: cell.text.default('N4'), value: 'N4', text: 'N4' },
      'an empty default': { cell: cell.text.default(''), value: '', text: '' },
      'a list': { cell: cell.list(cell.integer, ' | '), value: [6, 12], text: '6 | 12' },
      'a list of texts that have the separator': { cell: cell.list(cell.text), value: ['a;b', 'c'], text: undefined },
      'a list of values of another type': { cell: cell.list(cell.date), value: ['soon'], text: undefined },
      'any JSON': { cell: cell.json, value: { a: [1, 'x'] }, text: '{"a":[1,"x"]}' },
      'a day': { cell: cell.date, value: new Date('2031-04-30'), text: '2031-04-30' },
      'a minute': { cell: cell.date, value: new Date('2031-04-30T08:00Z'), text: '2031-04-30T08:00:00Z' },
      'a value of another type': { cell: cell.date, value: '2031-04-30', text: undefined },
      'an amount': { cell: cell.from('amount', BigInt, (cents) => `${cents} ct`), value: 50n, text: '50 ct' },
    }),
  },
  ({ row, check }) => check.equal((row.cell as Cell<unknown> as CellReader<unknown>).write(row.value), row.text),
);

/** A refused cell: the message besides the cell itself. */
const refused = (hint: string) => ({ refused: hint });

export const cells = test('a cell of {kind} reads {text} as {value}', {
  cases: table(
    ['kind', 'text', 'value'],
    [
      ['text', 'a b', 'a b'],
      ['number', '-12.50', -12.5],
      ['number', '1e3', 1000],
      ['number', '1,234.5', refused('this looks like a thousands separator; write 1234.5')],
      ['number', '3,5', refused('this looks like a decimal comma; write 3.5')],
      ['number', '+3', refused('write 3')],
      ['number', '.5', refused('write 0.5')],
      ['number', '007', refused('numbers have no leading zeros; use cell.text for codes')],
      ['number', 'NaN', refused('')],
      ['number', '0x10', refused('')],
      ['integer', '12', 12],
      ['integer', '12.5', refused('')],
      ['integer', '90071992547409931', refused('too large for an exact number')],
      ['boolean', 'Yes', true],
      ['boolean', '0', false],
      ['boolean', 'oui', refused('write true or false, yes or no, or 1 or 0')],
      ['date', '2031-04-30', new Date('2031-04-30T00:00:00Z')],
      ['date', '2031-04-30T08:30', new Date('2031-04-30T08:30:00Z')],
      ['date', '2031-04-30T08:30+02:00', new Date('2031-04-30T06:30:00Z')],
      ['date', '2031-02-30', refused('this date or time does not exist')],
      ['date', '30.4.2031', refused('write it as 2031-04-30 or 2031-04-30T08:00Z')],
      ['json', '{"a":[1]}', { a: [1] }],
      ['season', 'winter', 'winter'],
      ['season', 'spring', refused('')],
      ['hours', '6; 12;18', [6, 12, 18]],
      ['hours', '6;noon', refused('"noon" is invalid; separate the parts by ";"')],
      ['days', '2031-04-30;soon', refused('"soon" is invalid; write it as 2031-04-30 or 2031-04-30T08:00Z')],
      ['days', '2031-04-30;2031-02-30', refused('"2031-02-30" is invalid; this date or time does not exist')],
      ['date', '2031-04-30T25:00', refused('this date or time does not exist')],
      ['cents', '12.50', 1250n],
      ['cents', '12.5', refused('write two decimals')],
      ['cents', 'free', refused('write an amount')],
      ['number or 5', '', 5],
    ],
  ),
}, async ({ row, check }) => {
  const quoted = row.text === '' ? '' : `"${row.text.replaceAll('"', '""')}"`;
  const files = memoryFiles({ 'cells.csv': `value,end\n${quoted},.\n` });
  const { seen } = await runInside([test('row', { cases: dataFile('cells.csv', { columns: { value: kinds[row.kind] as Cell<unknown> } }) }, () => {})], files);
  const wanted = row.value as { refused?: string };
  if (wanted.refused === undefined) check.equal(seen[0]?.row['value'], row.value);
  else check.matches(seen[0]?.result.failures[0]?.message, new RegExp(`is not (?:an? |one of ).*${wanted.refused.replace(/[.?+]/g, '\\$&')}$`));
});

export const numbers = test('a number has the value that JSON gives it, or is invalid: seed {seed}', { cases: range('seed', 1, 20) }, async ({
  row,
  check,
}) => {
  const random = createRandom(`numbers ${row.seed}`);
  const texts = Array.from({ length: 200 }, () => random.text(random.integer(1, random.pick([3, 8, 20])), random.pick(['0123456789', '0012.', '0159.-eE+'])));
  const files = memoryFiles({ 'numbers.csv': `value\n${texts.join('\n')}\n` }, 1000);
  const { seen } = await runInside([test('row', { cases: dataFile('numbers.csv', { columns: { value: cell.number } }) }, () => {})], files);
  const isNumber = (text: string): boolean => /^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$/.test(text);
  check.equal(
    seen.map(({ row: { value }, status }) => (status === 'passed' ? value : undefined)),
    texts.map((text) => (isNumber(text) ? JSON.parse(text) : undefined)),
  );
});
