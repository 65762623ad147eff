import { cell, dataFile, namedRows, range, suite, table, test } from 'red-lattice';
import * as valibot from 'valibot';
import { z } from 'zod';
import { readDocument } from '../../src/cases/data/documents.ts';
import { findDuplicateKey, hasDuplicateKeys } from '../../src/cases/data/json-faults.ts';
import { createRandom, type Random } from '../../src/cases/random.ts';
import { memoryFiles, refusalsAt, runInside } from '../inner.ts';

/** Reads a text as a data file. Returns its rows, with the messages of invalid ones in their place. */
async function read(name: string, text: string, options: Parameters<typeof dataFile>[1] = {}): Promise<unknown[]> {
  const { seen } = await runInside([test('row', { cases: dataFile(name, options), allowEmpty: true }, () => {})], memoryFiles({ [name]: text }));
  return seen.map(({ row, result }) =>
    result.status === 'errored' ? result.failures.map(({ location, message }) => `${location?.line}:${location?.column} ${message}`).join('; ') : row,
  );
}

/** Why a file is refused as a whole, and where. */
const refused = (name: string, text: string): Promise<string[]> =>
  refusalsAt(() => [test('row', { cases: dataFile(name) }, () => {})], memoryFiles({ [name]: text }));

/** A JSON document with its rows in any allowed place, and the expected result: each invalid cell with its location. */
function documentOf(random: Random): { text: string; at: string | undefined; expected: unknown[]; lines: number[][] } {
  let text = '';
  const blank = (): void => void (text += random.pick(['', '', ' ', '\n', '\r\n  ', '\t']));
  const put = (token: string): void => {
    blank();
    text += token;
  };
  const place = (): string => {
    blank();
    const lines = text.split('\n');
    return `${lines.length}:${(lines.at(-1) as string).length + 1}`;
  };
  const expected: unknown[] = [];
  /** The line on which each row starts, and the number of its lines. */
  const lines: number[][] = [];
  const lineNow = (): number => text.split('\n').length;
  const list = (): void => {
    put('[');
    for (let row = 0, count = random.integer(1, 5); row < count; row++) {
      if (row > 0) put(',');
      const begin = place();
      const first = lineNow();
      if (random.integer(0, 4) === 0) {
        text += '[{"loa": 1}]';
        expected.push(`${begin} this row is [{loa: 1}]; expected an object with columns`);
        lines.push([first, 1]);
        continue;
      }
      text += '{';
      if (random.integer(0, 1)) put('"crew": [{"loa": 1}, "}", "\\"{"],');
      put('"loa"');
      put(':');
      const at = place();
      const loa = random.pick([7.5, 12, 'x']);
      text += JSON.stringify(loa);
      if (random.integer(0, 1)) put(`, "note": ${JSON.stringify(random.pick(['plain', '[{"', 'ø', { loa: 'x' }, null]))}`);
      put('}');
      lines.push([first, lineNow() - first + 1]);
      expected.push(loa === 'x' ? `${at} loa: "x" is not a number` : { loa });
    }
    put(']');
  };
  const isInside = random.integer(0, 1) === 1;
  if (isInside) put('{"others": {"items": [{"loa": "y"}]}, "quotes": {"items":');
  list();
  if (isInside) put(', "loa": 2}, "more": [1, {"items": [2]}]}');
  blank();
  return { text, at: isInside ? 'quotes.items' : undefined, expected, lines };
}

/** The line on which each row of a document starts, and the number of its lines. */
async function linesIn(text: string, format: 'json' | 'yaml', at: string | undefined): Promise<(number | undefined)[][]> {
  async function* pieces(): AsyncGenerator<string> {
    yield text;
  }
  const lines: (number | undefined)[][] = [];
  for await (const entries of readDocument(pieces(), 'a', format, at, { columns: undefined, schema: undefined }))
    for (const { location, lines: many = 1 } of entries) lines.push([location?.line, many]);
  return lines;
}

const rows = [
  { vessel: 'Gull', loa: 9.5, berths: ['N4', 'S1'] },
  { vessel: 'Tern', loa: 12, berths: [] },
];

const yaml = `# stays
quotes:
  items:
    - vessel: Gull
      loa: 9.5
      berths: [N4, S1]
    - vessel: Tern
      loa: 12
      berths: []
`;

export const documents = suite('a document', [
  test(
    '{name} keeps its values',
    {
      cases: namedRows({
        json: { name: 'stays.json', text: JSON.stringify(rows), at: undefined },
        'json further in': { name: 'stays.json', text: JSON.stringify({ quotes: { items: rows } }, null, 2), at: 'quotes.items' },
        yaml: { name: 'stays.yaml', text: yaml, at: 'quotes.items' },
        'json lines': { name: 'stays.jsonl', text: `# made up\n${rows.map((row) => JSON.stringify(row)).join('\n\n')}\n`, at: undefined },
      }),
    },
    async ({ row, check }) => check.equal(await read(row.name, row.text, { at: row.at }), rows),
  ),

  test('names and annotates rows by its own keys, and keeps all other values', async ({ check }) => {
    const marked = [
      { '(case)': 'one night', stay: { nights: 1 } },
      { '(case)': 'long', stay: [99], '(skip)': 'too long' },
    ];
    const { seen } = await runInside([test('stay', { cases: dataFile('stays.json') }, () => {})], memoryFiles({ 'stays.json': JSON.stringify(marked) }));
    check.equal(
      seen.map(({ title, row, result }) => [title, row, result.reason]),
      [
        ['stay › one night', { stay: { nights: 1 } }, undefined],
        ['stay › long', { stay: [99] }, 'too long'],
      ],
    );
  }),

  test('types its values, and locates invalid ones', async ({ check }) => {
    const columns = { vessel: cell.text, nights: cell.integer, from: cell.date.optional(), berths: cell.list(cell.text).default(null) };
    const json = `[
  { "vessel": "Gull", "nights": 3, "from": "2031-04-10", "berths": ["N4"] },
  { "vessel": "Tern", "nights": "2" },
  { "vessel": "Skua", "nights": 2.5 },
  { "vessel": { "name": "Auk" }, "nights": 1 },
  { "nights": 1 },
  7
]`;
    check.equal(await read('stays.json', json, { columns }), [
      { vessel: 'Gull', nights: 3, from: new Date('2031-04-10'), berths: ['N4'] },
      { vessel: 'Tern', nights: 2, berths: null },
      '4:33 nights: "2.5" is not an integer',
      '5:15 vessel: "{name: Auk}" is not text',
      '6:3 empty cell in column `vessel`; expected text. Add `.optional()` or `.default(…)` to the column to allow it.',
      '7:3 this row is 7; expected an object with columns',
    ]);
    check.equal(await read('stays.yaml', '- vessel: Gull\n  nights: 3\n- vessel: Tern\n  nights: two\n- nights: 1\n- 7\n', { columns }), [
      { vessel: 'Gull', nights: 3, berths: null },
      '4:11 nights: "two" is not an integer',
      '5:3 empty cell in column `vessel`; expected text. Add `.optional()` or `.default(…)` to the column to allow it.',
      '6:3 this row is 7; expected an object with columns',
    ]);
    check.equal(
      await read('stays.jsonl', '{"vessel":"Gull","nights":1}\n{"vessel":"Tern","nights":"two"}\n{oops\n {"nights":1,"nights":2}\n', {
        columns: { vessel: cell.text, nights: cell.integer },
      }).then((all) => all.map((row, i) => (i < 2 ? row : String(row).replace(/(?<=\d:\d+ duplicate).*|(?<=^3:\d+ ).*/, '')))),
      [{ vessel: 'Gull', nights: 1 }, '2:18 nights: "two" is not an integer', '3:2 ', '4:14 duplicate'],
    );
  }),

  test('in JSON has the location of each row and cell: seed {seed}', { cases: range('seed', 1, 40) }, async ({ row, check }) => {
    const { text, at, expected, lines } = documentOf(createRandom(`document ${row.seed}`));
    check.equal(await read('stays.json', text, { at, columns: { loa: cell.number } }), expected, text);
    check.equal(await linesIn(text, 'json', at), lines, text);
  }),

  test('in YAML has the number of lines of each row', async ({ check }) => {
    const text = '# stays\n\nitems:\n  - loa: 7\n    note: |\n      two\n      lines\n  - { loa: 8 }\n\n  - loa:\n      9\n  - 5\n';
    check.equal(await linesIn(text, 'yaml', 'items'), [
      [4, 4],
      [8, 1],
      [10, 2],
      [12, 1],
    ]);
  }),

  test(
    'with invalid JSON is rejected with its location: {text}',
    {
      cases: dataFile('invalid-json.yaml', { columns: { text: cell.text.default(''), said: cell.text } }),
    },
    async ({ row, check }) => check.equal(await refused('a.json', row.text), [row.said]),
  ),

  test('that is nested too deeply is rejected', async ({ check }) => check.equal(await refused('a.json', '['.repeat(100_000)), ['1:1 nested too deeply'])),

  test(
    'with invalid YAML is rejected with its location: {text}',
    {
      cases: table(
        ['text', 'said'],
        [
          ['- a: 1\n  a: 2\n', '2:3 duplicate key `a` in one object. Remove one of them.'],
          ['- a: 1\n---\n- a: 2\n', '2:1 a second YAML document starts here. Put all rows into one list.'],
          ['- a: [1\n', '2:1 Flow sequence in block collection must be sufficiently indented and end with a ]'],
        ],
      ),
    },
    async ({ row, check }) => check.equal(await refused('a.yaml', row.text), [row.said]),
  ),

  test(
    'of JSON lines has comments and a last line without an end: {what}',
    {
      cases: namedRows<{ what: string; text: string; comment?: string; rows: unknown[] }>({
        comments: { what: 'comments', text: '# dues\n{"n":1}\n  # more\n\n{"n":2}', rows: [{ n: 1 }, { n: 2 }] },
        others: { what: 'others', text: '// dues\n{"n":1}', comment: '//', rows: [{ n: 1 }] },
        none: { what: 'none', text: '{"n":1}\n# dues', comment: '', rows: [{ n: 1 }, '2:1 `#` is not valid in JSON'] },
      }),
    },
    async ({ row: { text, comment, rows }, check }) => check.equal(await read('a.jsonl', text, { comment }), rows),
  ),

  test('is rejected if {what}', {
    cases: dataFile('refused-documents.yaml', { columns: { what: cell.text, name: cell.text, text: cell.text, says: cell.text, at: cell.text.optional() } }),
  }, async ({ row, check }) => {
    const said = await refusalsAt(() => [test('t', { cases: dataFile(row.name, { at: row.at }) }, () => {})], memoryFiles({ [row.name]: row.text }));
    check.equal(said.length, 1);
    check.matches(said[0], new RegExp(row.says));
  }),
]);

export const schemas = suite('a Standard Schema', [
  test('of {vendor} types a cell and a row', {
    cases: namedRows<{ vendor: string; nights: any; row: any }>({
      zod: { vendor: 'zod', nights: z.coerce.number().int(), row: z.object({ vessel: z.string().min(1), nights: z.coerce.number().int() }) },
      late: {
        vendor: 'zod (asynchronous)',
        nights: z.coerce.number().refine(async (nights) => Number.isInteger(nights), 'no integer'),
        row: z.object({ vessel: z.string().min(1), nights: z.coerce.number().refine(async (nights) => Number.isInteger(nights), 'no integer') }),
      },
      valibot: {
        vendor: 'valibot',
        nights: valibot.pipe(valibot.string(), valibot.transform(Number), valibot.integer()),
        row: valibot.object({
          vessel: valibot.pipe(valibot.string(), valibot.minLength(1)),
          nights: valibot.pipe(valibot.string(), valibot.transform(Number), valibot.integer()),
        }),
      },
    }),
  }, async ({ row, check }) => {
    const csv = 'vessel,nights\nGull,3\nTern,2.5\n';
    const cells = await read('a.csv', csv, { columns: { vessel: cell.text, nights: row.nights } });
    check.equal(cells[0], { vessel: 'Gull', nights: 3 });
    check.matches(String(cells[1]), /^3:6 nights: .*integer|^3:6 nights: .*int/i);
    const whole = await read('a.csv', `${csv},1\n`, { schema: row.row });
    check.equal(whole[0], { vessel: 'Gull', nights: 3 });
    check.matches(String(whole[1]), /^3:6 nights: /);
    check.matches(String(whole[2]), /^4:1 vessel: /);
    const odd = {
      '~standard': { version: 1, vendor: 'made-up', validate: () => ({ issues: [{ message: 'no berth' }, { message: 'odd', path: [{ key: 'nights' }] }] }) },
    };
    check.equal(await read('a.csv', 'vessel,nights\nGull,3\n', { schema: odd as never }), ['2:1 no berth; 2:6 nights: odd']);
  }),
]);

export const duplicateKeys = test('a key that is twice in an object of JSON is found: seed {seed}', { cases: range('seed', 1, 60) }, async ({
  row: { seed },
  check,
}) => {
  const random = createRandom(`duplicate keys ${seed}`);
  const texts = ['', 'a', 'b', 'a:b', '\\', '"', '\\"', '{', ':', 'é\n'];
  let twice: string | undefined;
  const write = (depth: number): string => {
    if (depth === 0 || random.integer(0, 2) === 0) return JSON.stringify(random.pick([...texts, 5, null, true]));
    const items = Array.from({ length: random.integer(0, 3) }, () => write(depth - 1));
    if (random.integer(0, 2) === 0) return `[${items.join(', ')}]`;
    const keys = random.shuffle(texts).slice(0, items.length);
    if (keys.length > 1 && random.integer(0, 6) === 0) {
      keys[1] = keys[0] as string;
      twice ??= keys[0];
    }
    return `{${keys.map((key, i) => `${JSON.stringify(key)} : ${items[i]}`).join(', ')}}`;
  };
  for (let round = 0; round < 20; round++) {
    twice = undefined;
    const text = write(4);
    check.equal(hasDuplicateKeys(text, JSON.parse(text)), twice !== undefined, text);
    const found = await findDuplicateKey(text);
    check.equal(found === undefined, twice === undefined, text);
    if (found) check.holds(text.slice(found.column - 1).startsWith(JSON.stringify(found.key)), `${text} at ${found.column}`);
  }
});
