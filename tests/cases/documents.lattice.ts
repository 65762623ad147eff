import { cell, dataFile, named, suite, test } from 'red-lattice';
import * as valibot from 'valibot';
import { z } from 'zod';
import { memoryFiles, refusal, runInside } from '../inner.ts';

/** Reads a text as a data file; gives its rows, and the messages of bad ones in their place. */
async function read(name: string, text: string, options: Parameters<typeof dataFile>[1] = {}): Promise<unknown[]> {
  const { seen } = await runInside([test('row', { cases: dataFile(name, options), mayBeEmpty: true }, () => {})], memoryFiles({ [name]: text }));
  return seen.map(({ row, result }) =>
    result.status === 'errored' ? result.failures.map(({ place, message }) => `${place?.line}:${place?.column} ${message}`).join('; ') : row,
  );
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
    '{name} gives its rows as they are',
    {
      cases: named({
        json: { name: 'stays.json', text: JSON.stringify(rows), at: undefined },
        'json further in': { name: 'stays.json', text: JSON.stringify({ quotes: { items: rows } }, null, 2), at: 'quotes.items' },
        yaml: { name: 'stays.yaml', text: yaml, at: 'quotes.items' },
        'json lines': { name: 'stays.jsonl', text: `# made up\n${rows.map((row) => JSON.stringify(row)).join('\n\n')}\n`, at: undefined },
      }),
    },
    async ({ row, check }) => check.equal(await read(row.name, row.text, { at: row.at }), rows),
  ),

  test('types its values, and tells where one is wrong', async ({ check }) => {
    const columns = { vessel: cell.text, nights: cell.integer, from: cell.date.optional(), berths: cell.list(cell.text).or(null) };
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
      '5:15 vessel: "{name: Auk}" is not a text',
      '6:3 vessel: empty, and a text is wanted; where it may be empty, say optional() or or(…)',
      '7:3 7 is no row: an object with columns is wanted',
    ]);
    check.equal(
      await read('stays.jsonl', '{"vessel":"Gull","nights":1}\n{"vessel":"Tern","nights":"two"}\n{oops\n', {
        columns: { vessel: cell.text, nights: cell.integer },
      }).then((all) => [all[0], all[1], String(all[2]).slice(0, 4)]),
      [{ vessel: 'Gull', nights: 1 }, '2:18 nights: "two" is not an integer', '3:1 '],
    );
  }),

  test('is refused where {what}', {
    cases: named({
      'it does not parse': { what: 'it does not parse', name: 'a.json', text: '[{"a": 1},\n {"a": }]', says: /^Unexpected token '\}'/ },
      'it is no list': {
        what: 'it is no list',
        name: 'a.json',
        text: '{"rows": []}',
        says: /the document is \{rows: \[\]\}, not a list of rows; where the list stands further in, say at: 'its.path'/,
      },
      'its aliases swell': {
        what: 'its aliases swell',
        name: 'a.yaml',
        text: `a: &a [x, x, x, x, x, x, x, x, x, x]\nb: &b [*a, *a, *a, *a, *a, *a, *a, *a, *a, *a]\nc: &c [*b, *b, *b, *b, *b, *b, *b, *b, *b, *b]\nd: &d [*c, *c, *c, *c, *c, *c, *c, *c, *c, *c]\ne: [*d, *d, *d, *d, *d, *d, *d, *d, *d, *d]\n`,
        says: /cannot be read: Excessive alias count/,
      },
      'a key stands twice': { what: 'a key stands twice', name: 'a.yaml', text: '- a: 1\n  a: 2\n', says: /Map keys must be unique/ },
    }),
  }, async ({ row, check }) => {
    const said = await refusal(() => [test('t', { cases: dataFile(row.name) }, () => {})], memoryFiles({ [row.name]: row.text }));
    check.matches(said, row.says);
    check.differs(said, 'nothing refused');
  }),
]);

export const schemas = suite('a Standard Schema', [
  test('of {vendor} types a cell and a row', {
    cases: named<{ vendor: string; nights: any; row: any }>({
      zod: { vendor: 'zod', nights: z.coerce.number().int(), row: z.object({ vessel: z.string().min(1), nights: z.coerce.number().int() }) },
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
  }),
]);
