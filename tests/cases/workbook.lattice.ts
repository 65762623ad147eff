import { cell, dataFile, namedRows, range, suite, test, values } from 'red-lattice';
import { readWorkbook } from '../../src/cases/data/workbook.ts';
import { classifyBuiltInFormat, classifyNumberFormat, formatSerialDate, toSerialDate } from '../../src/cases/data/workbook-numbers.ts';
import { createRandom } from '../../src/cases/random.ts';
import { formatLocation } from '../../src/problems/source-location.ts';
import { memoryFiles, refusal, runInside } from '../inner.ts';
import { type Cell, writeWorkbook, zip } from '../workbook.ts';

const name = 'prices.xlsx';

/** Reads a workbook. Returns its rows, with the messages of invalid ones in their place. */
async function read(book: Uint8Array, options: Parameters<typeof dataFile>[1] = {}): Promise<unknown[]> {
  const { seen } = await runInside([test('row', { cases: dataFile(name, options), allowEmpty: true }, () => {})], memoryFiles({ [name]: book }, 1000));
  return seen.map(({ row, result }) =>
    result.status === 'errored'
      ? result.failures.map(({ location, message }) => `${location && formatLocation(location).replace(/^.*\//, '')} ${message}`).join('; ')
      : row,
  );
}

const prices: Cell[][] = [
  ['# edited by the office'],
  [],
  ['Season', undefined, 'Price', 'From', 'Power'],
  ['winter', 'a remark', 1.25, new Date('2031-01-01'), true],
  ['# no longer'],
  ['summer <"&', undefined, 2, new Date('2031-04-01T08:30Z'), false],
];
const columns = {
  season: cell.text.heading('Season'),
  price: cell.number.heading('Price'),
  from: cell.date.heading('From'),
  power: cell.boolean.heading('Power'),
};

/** The parts of a workbook around its sheet, `xl/s.xml`. */
const oneSheet = {
  'xl/workbook.xml': '<workbook xmlns:r="y"><sheets><sheet name="S" r:id="r"/></sheets></workbook>',
  'xl/_rels/workbook.xml.rels': '<Relationships><Relationship Id="r" Target="s.xml"/></Relationships>',
};

export const workbooks = suite('a workbook', [
  test('is read from its first sheet, or from one that is named, with typed cells', async ({ check }) => {
    const rows = [
      { season: 'winter', price: 1.25, from: new Date('2031-01-01'), power: true },
      { season: 'summer <"&', price: 2, from: new Date('2031-04-01T08:30Z'), power: false },
    ];
    const book = writeWorkbook({ Prices: prices, 'Old prices': prices.slice(0, 4) });
    check.equal(await read(book, { columns }), rows);
    check.equal(await read(book, { columns, sheet: 'Old prices' }), rows.slice(0, 1));
    check.equal(await read(book), [
      { Season: 'winter', Price: '1.25', From: '2031-01-01', Power: 'true' },
      { Season: 'summer <"&', Price: '2', From: '2031-04-01T08:30:00Z', Power: 'false' },
    ]);
  }),

  test(
    'shows a {kind} with the format {code}',
    {
      cases: dataFile('number-formats.csv', { columns: { code: cell.text, kind: cell.oneOf('number', 'date', 'time') } }),
    },
    ({ row, check }) => check.equal(classifyNumberFormat(row.code), row.kind),
  ),

  test('reports the sheet and the cell of a problem', async ({ check }) => {
    const book = writeWorkbook({
      'Prices 2031': [
        ['Season', 'Price', 'From', 'Power'],
        ['winter', 'two', new Date('2031-01-01'), true],
        ['summer', { error: '#DIV/0!' }, 'soon', true],
        [undefined, 2],
        ['summer', { formula: '1+1' }, new Date('2031-07-01'), true],
        ['summer', { formula: '1&1', result: '11' }, new Date('2031-07-01'), true],
        [{ formula: 'IF(1,"")', result: '' }, 2, new Date('2031-07-01'), true],
      ],
    });
    check.equal(await read(book, { columns }), [
      `'Prices 2031'!B2 price: "two" is not a number`.replace(/^/, 'prices.xlsx:'),
      "prices.xlsx:'Prices 2031'!B3 price: the cell shows #DIV/0!. Fix its formula in the workbook.; prices.xlsx:'Prices 2031'!C3 from: \"soon\" is not a date; write it as 2031-04-30 or 2031-04-30T08:00Z",
      "prices.xlsx:'Prices 2031'!A4 empty cell in column `season`; expected text. Add `.optional()` or `.default(…)` to the column to allow it.; prices.xlsx:'Prices 2031'!C4 empty cell in column `from`; expected a date. Add `.optional()` or `.default(…)` to the column to allow it.; prices.xlsx:'Prices 2031'!D4 empty cell in column `power`; expected a boolean. Add `.optional()` or `.default(…)` to the column to allow it.",
      "prices.xlsx:'Prices 2031'!B5 price: the formula has no stored result. Open the workbook and save it.",
      { season: 'summer', price: 11, from: new Date('2031-07-01'), power: true },
      "prices.xlsx:'Prices 2031'!A7 empty cell in column `season`; expected text. Add `.optional()` or `.default(…)` to the column to allow it.",
    ]);
  }),

  test('has columns that nothing reads', async ({ check }) => {
    const warnings: unknown[] = [];
    const { season, price } = columns;
    async function* bytes(): AsyncGenerator<Uint8Array> {
      yield writeWorkbook({ Prices: prices });
    }
    const options = { sheet: undefined, comment: '#' };
    const typed = { columns: { season, price }, schema: undefined, ignore: ['From'] };
    for await (const _ of readWorkbook(bytes(), 'file:///prices.xlsx', options, typed as never, ({ at, ...problem }) => warnings.push(problem, at)));
    check.equal(warnings, [
      { code: 'unused-columns', columns: ['Power'], known: ['Season', 'Price'] },
      { file: 'file:///prices.xlsx', line: 3, column: 5, sheet: 'Prices' },
    ]);
  }),

  test('of a formula without a stored result, only its own cell has a problem', async ({ check }) => {
    const book = zip({
      ...oneSheet,
      'xl/s.xml': `<worksheet><row>${['a', 'b'].map((heading) => `<c t="str"><v>${heading}</v></c>`).join('')}</row><row><c><f>B2</f></c><c t="inlineStr"><is><t>x</t></is></c></row><row><c t="inlineStr"><is><t>y</t></is></c><c><f>1</f><v>2</v></c></row></worksheet>`,
    });
    const [first, second] = await read(book, { columns: { a: cell.text, b: cell.text } });
    check.equal(first, 'prices.xlsx:S!A2 a: the formula has no stored result. Open the workbook and save it.');
    check.equal(second, { a: 'y', b: '2' });
  }),

  test('can have rows that begin with #, and texts that are too long', async ({ check }) => {
    const long = 'x'.repeat(1_000_001);
    const book = writeWorkbook({
      A: [
        ['a', 'b'],
        ['#1', 'one'],
        [long, 'two'],
        [{ formula: '1', result: long }, 'three'],
      ],
    });
    const tooLong = /^prices.xlsx:A!A\d a: the cell shows a string (?:of more than 1,000,000 characters|that is too long)\./;
    const [first, second, third] = await read(book, { comment: '' });
    check.equal(first, { a: '#1', b: 'one' });
    check.matches(String(second), tooLong);
    check.matches(String(third), tooLong);
  }),

  test('needs no memory for empty cells before a distant one', async ({ check }) => {
    const far = zip({
      ...oneSheet,
      'xl/s.xml': '<worksheet><row><c t="str"><v>a</v></c></row><row r="1048576"><c r="A1048576"><v>1</v></c><c r="XFD1048576"><v>7</v></c></row></worksheet>',
    });
    check.equal(await read(far), [{ a: '1' }]);
  }),

  test('is rejected if {what}', {
    // A hundred megabytes take long on a busy machine.
    timeout: 60_000,
    cases: namedRows<{ what: string; book: () => Uint8Array; options?: { sheet: string }; says: RegExp }>({
      'it is something else': {
        what: 'it is something else',
        book: () => new Uint8Array([1, 2, 3]),
        says: /^cannot read prices.xlsx: this is not an .xlsx workbook/,
      },
      'it is of the old kind': { what: 'it is of the old kind', book: () => new Uint8Array([0xd0, 0xcf, 0x11]), says: /Save it as \.xlsx/ },
      'it has no such sheet': {
        what: 'it has no such sheet',
        book: () => writeWorkbook({ Prices: prices, Notes: [] }),
        options: { sheet: 'Price' },
        says: /^prices.xlsx: unknown sheet `Price`; did you mean `Prices`\?$/,
      },
      'its sheet is empty': { what: 'its sheet is empty', book: () => writeWorkbook({ Prices: [] }), says: /^the file has no header line/ },
      'it has no sheet': { what: 'it has no sheet', book: () => writeWorkbook({}), says: /^cannot read prices.xlsx: the workbook has no sheet$/ },
      'its archive is damaged': {
        what: 'its archive is damaged',
        book: () => writeWorkbook({ Prices: prices }).map((byte, at) => (at > 60 && at < 90 ? 0xff : byte)),
        says: /^cannot read prices.xlsx: /,
      },
      'its sheet is not XML': {
        what: 'its sheet is not XML',
        book: () => zip({ ...oneSheet, 'xl/s.xml': '<worksheet><row></worksheet>' }),
        says: /^cannot read prices.xlsx: xl\/s.xml in the workbook is invalid: /,
      },
      'it inflates to gigabytes': {
        what: 'it inflates to gigabytes',
        book: () => zip({ ...oneSheet, 'xl/s.xml': `<worksheet>${' '.repeat(101_000_000)}</worksheet>` }),
        says: /^cannot read prices.xlsx: its uncompressed size exceeds 100,000,000 bytes$/,
      },
    }),
  }, async ({ row, check }) => {
    check.matches(await refusal(() => [test('t', { cases: dataFile(name, row.options) }, () => {})], memoryFiles({ [name]: row.book() }, 65536)), row.says);
  }),

  test('of random cells is read back as it was: seed {seed}', { cases: range('seed', 1, 30) }, async ({ row, check }) => {
    const random = createRandom(`book ${row.seed}`);
    const headings = Array.from({ length: random.integer(1, 40) }, (_, i) => `c${i}`);
    const made = Array.from({ length: random.integer(0, 20) }, () =>
      headings.map((): Cell => {
        const day = new Date(Date.UTC(random.integer(1950, 2090), random.integer(0, 11), random.integer(1, 28)));
        return random.pick([undefined, `t${random.text(3)}ß`, random.integer(-5, 5) / 8, random.integer(0, 1) === 1, day]);
      }),
    );
    const formatCell = (value: Cell): string => (value === undefined ? '' : value instanceof Date ? value.toISOString().slice(0, 10) : String(value));
    const sheets = random.integer(0, 1) ? { A: [], B: [headings, ...made] } : { B: [headings, ...made] };
    check.equal(
      await read(writeWorkbook(sheets), { sheet: 'B' }),
      made
        .filter((cells) => cells.some((value) => value !== undefined))
        .map((cells) => Object.fromEntries(cells.map((value, i) => [`c${i}`, formatCell(value)]))),
    );
  }),
]);

export const builtInFormats = test('the built-in formats of numbers are those of ISO/IEC 29500-1', ({ check }) => {
  const kinds = Array.from({ length: 60 }, (_, format) => classifyBuiltInFormat(format));
  const ranges = kinds.flatMap((kind, format) => (kind === kinds[format - 1] ? [] : [`${kind} from ${format}`]));
  check.equal(ranges, [
    'number from 0',
    'date from 14',
    'time from 18',
    'date from 22',
    'number from 23',
    'date from 27',
    'number from 37',
    'time from 45',
    'number from 48',
    'date from 50',
    'number from 59',
  ]);
});

export const serials = test(
  'the {kind} {serial} is {text}, counted from {from}',
  {
    cases: dataFile('serials.csv', { columns: { kind: cell.oneOf('date', 'time'), serial: cell.number, from: cell.integer, text: cell.text } }),
  },
  ({ row, check }) => check.equal(formatSerialDate(row.serial, row.kind, row.from === 1904), row.text),
);

export const kinds = test('cells of a workbook have their type: {cell} in a workbook from {from}', {
  cases: dataFile('workbook-cells.csv', { columns: { cell: cell.text, from: cell.text, value: cell.text.default('') } }),
}, async ({ row, check }) => {
  const book = zip({
    'xl/workbook.xml': `<workbook xmlns:r="y"><workbookPr date1904="${row.from}"/><sheets><sheet name="S" r:id="r"/></sheets></workbook>`,
    'xl/_rels/workbook.xml.rels': '<Relationships><Relationship Id="r" Target="s.xml"/></Relationships>',
    'xl/sharedStrings.xml': '<sst><si>\n<r><t>qu</t>\n</r>\n<r><t>ay</t>\n</r></si><si><t> </t></si></sst>',
    'xl/styles.xml': '<styleSheet><cellXfs><xf numFmtId="0"/><xf numFmtId="14"/></cellXfs></styleSheet>',
    'xl/s.xml': `<worksheet><row><c t="str"><v>a</v></c><c t="str"><v>b</v></c></row><row>${row.cell}<c><v>1</v></c></row></worksheet>`,
  });
  const { seen } = await runInside(
    [test('t', { cases: dataFile('a.xlsx', { columns: { a: cell.text.default('') } }) }, () => {})],
    memoryFiles({ 'a.xlsx': book }),
  );
  check.equal(
    seen.map(({ row: { a }, result }) => [a, result.failures.map(({ message }) => message)]),
    [[row.value, []]],
  );
});

export const days = test(
  'the serial number of a day is read as that day: {day} from {from}',
  {
    cases: values('day', ['1900-01-01', '1900-02-28', '1900-03-01', '1904-01-01', '1970-01-01', '2031-04-01', '2031-04-01T06:30:00Z', '9999-12-31'] as const)
      .cross(values('from', [1900, 1904] as const))
      .filter(({ day, from }) => day >= String(from)),
  },
  ({ row: { day, from }, check }) => check.equal(formatSerialDate(toSerialDate(Date.parse(day), from === 1904), 'date', from === 1904), day),
);
