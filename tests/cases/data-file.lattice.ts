import { cell, dataFile, type FileSource, namedRows, range, suite, table, test, values } from 'red-lattice';
import { createRandom } from '../../src/cases/random.ts';
import { encodeText } from '../encode-text.ts';
import { memoryFiles, refusal, refusalsAt, runInside } from '../inner.ts';

/** Reads a text as a data file. Returns its rows, with the messages of invalid ones in their place. */
async function read(text: string | Uint8Array, options: Parameters<typeof dataFile>[1] = {}, name = 'stays.csv'): Promise<unknown[]> {
  const { seen } = await runInside([test('row', { cases: dataFile(name, options), allowEmpty: true }, () => {})], memoryFiles({ [name]: text }));
  return seen.map(({ row, result }) =>
    result.status === 'errored' ? result.failures.map(({ location, message }) => `${location?.line}:${location?.column} ${message}`).join('; ') : row,
  );
}

/** The same with the rows of invalid ones, and without locations. */
async function readAll(text: string, options: Parameters<typeof dataFile>[1]): Promise<unknown[]> {
  const { seen } = await runInside([test('row', { cases: dataFile('f.csv', options) }, () => {})], memoryFiles({ 'f.csv': text }, 4000));
  return seen.map(({ row, result }) => [row, result.failures.map(({ message }) => message)]);
}

const _utf8 = (text: string): Uint8Array => new TextEncoder().encode(text);
const utf16 = (text: string): Uint8Array => encodeText(text, 'utf-16le');

export const reading = suite('a data file', [
  test(
    'is read as text: {shape}',
    {
      cases: dataFile('delimited.jsonl'),
    },
    async ({ row, check }) => check.equal(await read(row['text'] as string), row['rows'] as unknown as object[]),
  ),

  test('can be called {name}', { cases: values('name', ['due%20s.csv', 'dues #2.csv', 'dues?.csv', '100%.csv', 'a/b+c.csv', 'größe.csv']) }, async ({
    row,
    check,
  }) => {
    const { seen } = await runInside([test('row', { cases: dataFile(row.name) }, () => {})], memoryFiles({ [row.name]: 'n\n1\n' }));
    check.equal(
      seen.map((one) => one.row),
      [{ n: '1' }],
    );
  }),

  test('in UTF-16 is read by its first bytes', async ({ check }) => {
    check.equal(await read(utf16('a,b\nø,2\n')), [{ a: 'ø', b: '2' }]);
  }),

  test('can have tabs as delimiters', async ({ check }) => check.equal(await read('a\tb\n1,5\t2\n', {}, 'stays.tsv'), [{ a: '1,5', b: '2' }])),

  test('locates invalid cells after comments and quoted line breaks', async ({ check }) => {
    const columns = { note: cell.text.heading('Remark'), nights: cell.integer, due: cell.number.optional() };
    const text = '# stays\nRemark,nights,due\n"two\nlines",two,1\nfine,3,\n"a\nb\nc",4,"6,50"\n,5,1\n"never closed,6,1\n';
    check.equal(await read('note,nights\n,two\n', { columns: { note: cell.text.optional(), nights: cell.integer } }), ['2:2 nights: "two" is not an integer']);
    check.equal(await read(text, { columns }), [
      '4:8 nights: "two" is not an integer',
      { note: 'fine', nights: 3 },
      '8:6 due: "6,50" is not a number; this looks like a decimal comma; write 6.50',
      '9:1 empty cell in column `note`; expected text. Add `.optional()` or `.default(…)` to the column to allow it.',
      '10:1 unclosed quote',
    ]);
  }),

  test('an unclosed quote makes only its own row invalid, even in a long file', async ({ check }) => {
    const rows = Array.from({ length: 11_000 }, (_, i) => (i === 4 ? '4,"never closed' : `${i},${'x'.repeat(400)}`));
    const found = await read(`nights,note\n${rows.join('\n')}\n`, { columns: { nights: cell.integer } });
    check.equal(
      found.flatMap((row, i) => (typeof row === 'string' ? [[i, row]] : [])),
      [[4, '6:3 unclosed quote']],
    );
    check.equal([found.length, found[3], found[10_999]], [11_000, { nights: 3 }, { nights: 10_999 }]);
  }),

  test('can have fifty thousand columns', { timeout: 20_000 }, async ({ check }) => {
    const columns = Array.from({ length: 50_000 }, (_, i) => `c${i}`);
    const [row] = await read(`${columns.join()}\n${columns.join()}\n`);
    check.equal(Object.keys(row as object).length, 50_000);
    check.equal((row as Record<string, unknown>)['c49999'], 'c49999');
  }),

  test('keeps the numbers in names if a row is invalid', async ({ check }) => {
    const cases = dataFile('stays.csv', { columns: { nights: cell.integer } }).nameBy((_, index) => `stay ${index}`);
    const { seen } = await runInside([test('t', { cases }, () => {})], memoryFiles({ 'stays.csv': 'nights\n1\ntwo\n3\n' }));
    check.equal(
      seen.map(({ title, status }) => [title, status]),
      [
        ['t › stay 0', 'passed'],
        ['t › nights=two', 'errored/data'],
        ['t › stay 2', 'passed'],
      ],
    );
  }),

  test('a row without a name is an error, and the others run', async ({ check }) => {
    const names = ['quick', undefined, '', null, {}, 5];
    const cases = range('n', 0, 5).nameBy(({ n }) => names[n] as string);
    const { seen } = await runInside([test('t', { cases }, () => {})]);
    check.equal(
      seen.map(({ title, result }) => [title, result.failures[0]?.message]),
      [
        ['t › quick', undefined],
        ['t › n=1', 'nameBy, row 2: undefined is not a name'],
        ['t › n=2', 'nameBy, row 3: "" is not a name'],
        ['t › n=3', 'nameBy, row 4: null is not a name'],
        ['t › n=4', 'nameBy, row 5: {} is not a name'],
        ['t › 5', undefined],
      ],
    );
  }),

  test('names and annotates rows by its own columns', async ({ check }) => {
    const cases = dataFile('stays.csv', { columns: { nights: cell.integer } });
    const text = '(case),nights,(tags),(skip),(known failure)\none night,1,quick money,,\nlong,99,,too long,\nodd,3,,,rounding\n';
    const { seen } = await runInside([test('stay', { cases }, ({ row, check }) => check.notEqual(row.nights, 3))], memoryFiles({ 'stays.csv': text }));
    check.equal(
      seen.map(({ title, status, result }) => [title, status, result.reason]),
      [
        ['stay › one night', 'passed', undefined],
        ['stay › long', 'skipped', 'too long'],
        ['stay › odd', 'known-failure/check', 'rounding'],
      ],
    );
  }),

  test('is rejected if {what}', {
    cases: namedRows({
      'a record never ends': {
        what: 'a record never ends',
        name: 'a.csv',
        text: () => `a,b\n1,2\n"${'x'.repeat(5_000_000)}`,
        says: /^this record has more than 4,000,000 characters; is a quote not closed\?$/,
        at: 3,
      },
      'a line of JSON never ends': {
        what: 'a line of JSON never ends',
        name: 'a.jsonl',
        text: () => `{"a":1}\n{"a":"${'x'.repeat(5_000_000)}`,
        says: /^this record has more than 4,000,000 characters/,
        at: 2,
      },
    }),
  }, async ({ row, check }) => {
    const files = memoryFiles({ [row.name]: row.text() }, 65_536);
    const { seen } = await runInside([test('row', { cases: dataFile(row.name) }, () => {})], files);
    const failure = seen.at(-1)?.result.failures[0];
    check.matches(failure?.message, row.says);
    check.equal([failure?.location?.line, seen.map(({ status }) => status)], [row.at, [...seen.slice(1).map(() => 'passed'), 'errored/data']]);
  }),

  test('is rejected as a whole if {what}', {
    cases: dataFile('refused-files.yaml', {
      columns: { what: cell.text, text: cell.text, encoding: cell.oneOf('latin1', 'utf-16le').optional(), says: cell.list(cell.text) },
    }),
  }, async ({ row, check }) => {
    const cases = dataFile('stays.csv', { columns: row.what === 'a heading is a trap' ? undefined : { nights: cell.integer, due: cell.number } });
    const bytes = row.encoding === 'latin1' ? Buffer.from(row.text, 'latin1') : row.encoding ? utf16(row.text) : row.text;
    check.equal(await refusalsAt(() => [test('t', { cases }, () => {})], memoryFiles({ 'stays.csv': bytes }, 4)), row.says);
  }),

  test('rejects the delimiter {delimiter}', { cases: values('delimiter', ['', '\n', '"']) }, async ({ row, check }) => {
    const files = memoryFiles({ 'stays.csv': 'a,b\n1,2\n' });
    const says = await refusal(() => [test('t', { cases: dataFile('stays.csv', row) }, () => {})], files);
    check.equal(says, `the options of dataFile: ${JSON.stringify(row.delimiter)} is not a delimiter`);
  }),

  test('has a default path under data/, from the title of the test', async ({ check }) => {
    const dues = () => [test('dues by night', { cases: dataFile(undefined) }, () => {})];
    const found = (names: readonly string[]) => memoryFiles(Object.fromEntries(names.map((name) => [`data/${name}`, 'a\n1\n'])));
    check.equal(
      (await runInside(dues(), found(['dues.csv', 'dues-by-night.csv', 'dues-by-night.txt']))).seen.map(({ row }) => row),
      [{ a: '1' }],
    );
    check.matches(await refusal(dues, found(['dues.csv'])), /^no data file data\/dues-by-night\.\*/);
    check.equal(
      await refusal(dues, found(['dues-by-night.csv', 'dues-by-night.tsv'])),
      'several files match data/dues-by-night.*: `dues-by-night.csv`, `dues-by-night.tsv`. Name one of them.',
    );
  }),

  test('reports records whose length differs from the headings', async ({ check }) =>
    check.equal(await read('a,b\n1,2\n3\n4,5,6\n7,8, ,\n'), [
      { a: '1', b: '2' },
      '3:1 1 cell for 2 columns',
      '4:1 3 cells for 2 columns; is a comma not quoted?',
      { a: '7', b: '8' },
    ])),

  test('has records without a value', async ({ check }) => {
    const text = 'a,b\n1,2\n,\n , \n"",""\n,4\n';
    const empty = 'every cell of this record is empty. Remove the line.';
    const missing = 'empty cell in column `a`; expected an integer. Add `.optional()` or `.default(…)` to the column to allow it.';
    check.equal(await read(text, { columns: { a: cell.integer, b: cell.integer.optional() } }), [
      { a: 1, b: 2 },
      `3:1 ${empty}`,
      `4:1 ${empty}`,
      '5:1 a: "" is not an integer',
      `6:1 ${missing}`,
    ]);
    check.equal(await read(text, { columns: { a: cell.integer.optional(), b: cell.integer.default(0) } }), [
      { a: 1, b: 2 },
      { b: 0 },
      { b: 0 },
      { b: 0 },
      { b: 4 },
    ]);
  }),

  test('accepts a delimiter of several characters, and no comments', async ({ check }) =>
    check.equal(await read('a::b\n#1::2\n"x::y"::3\n', { delimiter: '::', comment: '' }), [
      { a: '#1', b: '2' },
      { a: 'x::y', b: '3' },
    ])),

  test('accepts other comments', async ({ check }) =>
    check.equal(await read('// dues\na,b\n#1,2\n//3,4\n/5,6\n', { comment: '//' }), [
      { a: '#1', b: '2' },
      { a: '/5', b: '6' },
    ])),

  test('needs a source of files', async ({ check }) => {
    const refusedWith = (path: string | undefined) => refusal(() => [test('dues of May', { cases: dataFile(path) }, () => {})]);
    check.equal(await refusedWith('dues.csv'), 'cannot read dues.csv: this run has no file source. Pass `files` and `base` to runSuites.');
    check.matches(await refusedWith(undefined), /^cannot look for data\/dues-of-May\.\*: this file source does not list folders/);
  }),

  test('of many rows has each as it would be alone: seed {seed}', { cases: range('seed', 1, 25) }, async ({ row, check }) => {
    const random = createRandom(`alone ${row.seed}`);
    const kinds = [
      { cell: cell.text, good: ['Gull', 'Tern', 'B4'], odd: [' Gull', 'Tern ', '"Skua, old"', '" "', 'Årø', '', '-'] },
      { cell: cell.number, good: ['7.5', '12', '3'], odd: ['-0', '1e3', '"8"', '7,5', '', ' 9', 'x'] },
      { cell: cell.integer.optional(), good: ['1', '28'], odd: ['', '2.5', '"3"'] },
      { cell: cell.boolean.default(false), good: ['yes', 'no'], odd: ['', 'maybe'] },
      { cell: cell.date, good: ['2031-04-01', '2031-04-02'], odd: ['2031-04-31', '2031-04-01T06:30Z'] },
      { cell: cell.list(cell.integer), good: ['1;2', '3'], odd: ['', 'x;1'] },
      { cell: cell.oneOf('mono', 'cat'), good: ['mono', 'cat'], odd: ['raft', ' cat'] },
      { cell: cell.from('berth', (text: string) => (text.startsWith('N') ? { berth: text } : undefined)), good: ['N4', 'N5'], odd: ['Ø'] },
    ];
    // Often several of one type next to another type, so that only the position shows which column a cell belongs to.
    const [first, second] = [random.pick(kinds), random.pick(kinds)];
    const chosen = Array.from({ length: random.integer(1, 3) }, () => random.pick([first, first, second]));
    const columns = Object.fromEntries(chosen.map(({ cell }, i) => [`c${i}`, cell]));
    const text = ({ good, odd }: (typeof kinds)[number]): string => random.pick(random.integer(0, 9) ? good : odd);
    const lines = Array.from({ length: 300 }, () => [first, ...chosen].map(text).join(','));
    const heading = ['other', ...Object.keys(columns)].join(',');
    const read = (some: readonly string[]) => readAll(`${heading}\n${some.map((line) => `${line}\n`).join('')}`, { columns });
    const together = await read(lines);
    const distinct = [...new Set(lines)];
    const alone = new Map(await Promise.all(distinct.map(async (line) => [line, (await read([line]))[0]] as const)));
    check.equal(
      together,
      lines.map((line) => alone.get(line)),
    );
  }),

  test('written from random cells is read back as it was: seed {seed}', { cases: range('seed', 1, 60) }, async ({ row, check, log }) => {
    const random = createRandom(`csv ${row.seed}`);
    const newline = random.pick(['\n', '\r\n']);
    // Long files are read in several batches, and records without quotes are split in another way.
    const isLong = row.seed % 5 === 0;
    const isPlain = row.seed % 3 === 0;
    const alphabet = isPlain ? ['a', 'ß', '😀', ';'] : ['a', 'ß', ',', '"', newline, ' ', '#', '😀', ';'];
    const text = (): string => Array.from({ length: random.integer(isPlain ? 1 : 0, 6) }, () => random.pick(alphabet)).join('');
    const columns = Array.from({ length: random.integer(1, 4) }, (_, i) => `c${i}`);
    const cells = Array.from({ length: isLong ? 1500 : random.integer(0, 12) }, () => columns.map(text));
    const quote = (value: string): string => `"${value.replaceAll('"', '""')}"`;
    // Quotes can be left out if nothing requires them.
    const write = (value: string): string => (/^[aß😀;]+$/u.test(value) && (isPlain || random.integer(0, 1)) ? value : quote(value));
    const file = [columns, ...cells].map((line) => line.map(write).join(',') + newline).join('');
    log(JSON.stringify(file.slice(0, 2000)));
    const seen = await runInside(
      [test('row', { cases: dataFile('f.csv', {}), allowEmpty: true }, () => {})],
      memoryFiles({ 'f.csv': file }, isLong ? random.pick([1000, 100_000]) : random.integer(1, 40)),
    );
    check.equal(
      seen.seen.map((one) => Object.values(one.row)),
      cells,
    );
  }),
]);

/** A source that does not list folders, and some of whose files cannot be read. */
const unlisted: FileSource = {
  async *read({ pathname }) {
    if (pathname === '/locked.csv') throw Object.assign(new Error('no ink'), { code: 'EACCES' });
    if (pathname === '/gone.csv') throw Object.assign(new Error('no entry'), { code: 'ENOENT' });
    if (pathname === '/far.csv') throw new TypeError('fetch failed', { cause: new Error('refused') });
    if (pathname === '/odd.csv') throw 'no paper';
    yield new TextEncoder().encode('a\n1\n');
  },
};

export const unlistedFiles = test('from a source that does not list folders: {path} says {says}', {
  cases: table(
    ['path', 'says'],
    [
      ['dues.csv', 'nothing refused'],
      [new URL('file:///elsewhere/dues.csv'), 'nothing refused'],
      [undefined, "cannot look for data/t.*: this file source does not list folders. Name the file with its extension, as in dataFile('data/dues.csv')."],
      ['dues', 'dues: unknown file extension; known: .csv, .tsv, .json, .jsonl, .ndjson, .yaml, .yml, .xlsx'],
      ['locked.csv', 'cannot read locked.csv: no ink'],
      ['gone.csv', 'cannot read gone.csv: nothing found at file:///gone.csv'],
      ['far.csv', 'cannot read far.csv: fetch failed: refused'],
      ['odd.csv', 'cannot read odd.csv: no paper'],
    ],
  ),
}, async ({ row, check }) => {
  const options = { files: unlisted, base: new URL('file:///a.lattice.ts') };
  check.equal(await refusal(() => [test('t', { cases: dataFile(row.path as string) }, () => {})], options), row.says);
});

/** Files of a size in millions of bytes, which are blanks. */
const largeFiles = (millions: number): FileSource => ({
  async *read() {
    const blanks = new Uint8Array(1_000_000).fill(32);
    for (let i = 0; i < millions; i++) yield blanks;
    if (millions % 1 > 0) yield Uint8Array.of(32);
  },
});

export const large = test('a file of more than {millions} million bytes is refused: {name}', {
  cases: table(
    ['name', 'millions', 'says'],
    [
      ['a.xlsx', 64, /it is larger than 64,000,000 bytes\. Use CSV, which is streamed\./],
      ['a.json', 50, /it is longer than 50,000,000 characters\. Use JSON Lines or CSV, which are streamed\./],
      ['a.txt', 50, /cannot read a\.txt: it is larger than 50,000,000 bytes/],
    ],
  ),
}, async ({ row: { name, millions, says }, check }) => {
  const read = async (size: number): Promise<string> => {
    const options = { files: largeFiles(size), base: new URL('file:///a.lattice.ts') };
    if (name !== 'a.txt') return refusal(() => [test('t', { cases: dataFile(name) }, () => {})], options);
    const { seen } = await runInside([test('t', ({ check }) => check.file(name, 'low'))], options);
    return seen[0]?.result.failures[0]?.message ?? '';
  };
  check.matches(await read(millions + 0.5), says);
  // A document of this size is parsed, which takes too long here.
  if (name !== 'a.json') check.equal(says.test(await read(millions)), false);
});
