import { crc32 } from 'node:zlib';
import { unzipSync } from 'fflate';
import { cell, dataFile, namedRows, range, rows as rowsOf, runSuites, suite, table, test, values } from 'red-lattice';
import { collectChanges, type TestedResult } from '../../src/accepting/collect.ts';
import { editFile } from '../../src/accepting/edit-file.ts';
import { createRandom, type Random } from '../../src/cases/random.ts';
import { isEqual } from '../../src/checks/equality.ts';
import { buildCaseName } from '../../src/node/lane/names.ts';
import type { PlannedCaseImpl } from '../../src/suites/planned.ts';
import { encodeText } from '../encode-text.ts';
import { memoryFiles } from '../inner.ts';
import { zip } from '../workbook.ts';
import { type Column, columns, makeRow, type Row, textOf, type Written, writeDelimited, writeJson, writeSheet, writeYaml } from './written-files.ts';

const cells = {
  name: cell.text,
  due: cell.number.optional(),
  note: cell.text.default(''),
  paid: cell.boolean,
  from: cell.date,
  parts: cell.list(cell.integer),
};

/** Runs a test over a file, which computes some values for each row. Returns the rows, whether they failed, and what would be accepted. */
async function compute(name: string, content: Uint8Array, computed: (index: number) => Partial<Row>) {
  let index = 0;
  const rows: Row[] = [];
  const results: TestedResult[] = [];
  const body = test('dues', { cases: dataFile(name, { columns: cells }) }, ({ row, check }) => {
    rows.push(row as Row);
    check.columns(computed(index++) as never);
  });
  await runSuites([body], {
    ...memoryFiles({ [name]: content }),
    onEvent(event) {
      if (event.type !== 'ended') return;
      const result = { ...buildCaseName(event.case as PlannedCaseImpl), ...event.result, attachments: [] };
      results.push({ header: { test: 0, id: 'dues', file: 'dues.lattice.ts', path: [], tags: [], columns: [] }, result });
    },
  });
  return { rows, failed: results.map(({ result }) => result.status === 'failed'), collected: collectChanges(results, () => true) };
}

const encodings = ['utf-8', 'utf-16le', 'utf-16be'] as const;

/** The byte order mark of a written file, if it has one. */
const bomOf = (written: Written): string => (textOf(written).startsWith('\uFEFF') ? '\uFEFF' : '');

/** Chooses some cells, with other values. */
function chooseChanges(rows: readonly Row[], random: Random): Map<string, { row: number; column: Column; value: unknown }> {
  const chosen = new Map<string, { row: number; column: Column; value: unknown }>();
  for (let i = random.integer(1, 6); i > 0; i--) {
    const [row, column] = [random.integer(0, rows.length - 1), random.pick(columns)];
    chosen.set(`${row} ${column}`, { row, column, value: { ...makeRow(random), due: random.integer(1, 9999) / 100 }[column] });
  }
  return chosen;
}

const withChanges = (rows: readonly Row[], chosen: ReturnType<typeof chooseChanges>): Row[] =>
  rows.map((values, row) => ({
    ...values,
    ...Object.fromEntries([...chosen.values()].filter((one) => one.row === row).map(({ column, value }) => [column, value])),
  }));

const escapePattern = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** The text with any text in the chosen cells. A property can be added at the end of its row. */
function patternOf(written: Written, chosen: ReturnType<typeof chooseChanges>): RegExp {
  const parts = written.parts.map((part) => {
    if (typeof part !== 'string') return chosen.has(`${part.row} ${part.column}`) ? '[\\s\\S]*?' : escapePattern(part.text);
    const added = /^\s*\}/.test(part) ? '(?:,\\s*"?due"?\\s*:\\s*[\\d."]+)?' : '';
    return added + (written.name === 'dues.yaml' ? escapePattern(part).replace(/^( # as agreed)?\n/, '$1(?:\n  due: [\\d.]+)?\n') : escapePattern(part));
  });
  return new RegExp(`^${parts.join('')}$`);
}

/** The positions of the two headers of each file of an archive. */
function headersOf(archive: Uint8Array): { view: DataView; entries: { name: string; central: number; local: number }[] } {
  const view = new DataView(archive.buffer, archive.byteOffset, archive.byteLength);
  const entries = [];
  for (let at = 0; at < archive.length - 46; at++) {
    if (view.getUint32(at, true) !== 0x02014b50) continue;
    const name = new TextDecoder().decode(archive.subarray(at + 46, at + 46 + view.getUint16(at + 28, true)));
    entries.push({ name, central: at, local: view.getUint32(at + 42, true) });
  }
  return { view, entries };
}

/** The files of an archive whose headers have a wrong checksum. */
function wrongChecksums(archive: Uint8Array): string[] {
  const content = unzipSync(archive);
  const { view, entries } = headersOf(archive);
  return entries.flatMap(({ name, central, local }) => {
    const stated = [view.getUint32(central + 16, true), view.getUint16(local + 6, true) & 8 ? undefined : view.getUint32(local + 14, true)];
    return stated.some((sum) => sum !== undefined && sum !== crc32(content[name] as Uint8Array)) ? [name] : [];
  });
}

/** The flags of all headers, for example that names are in UTF-8. */
const flagsOf = (archive: Uint8Array): number[] => {
  const { view, entries } = headersOf(archive);
  return entries.flatMap(({ central, local }) => [view.getUint16(central + 8, true), view.getUint16(local + 6, true)]);
};

/** Marks all names of an archive as UTF-8. */
function markNames(archive: Uint8Array): Uint8Array {
  const { view, entries } = headersOf(archive);
  for (const { central, local } of entries) for (const at of [central + 8, local + 6]) view.setUint16(at, view.getUint16(at, true) | UTF8_NAMES, true);
  return archive;
}

const UTF8_NAMES = 0x0800;

interface Wanted {
  readonly name: string;
  readonly text: string;
  /** Line, column, heading and value of each change. The value undefined has an empty text. In a test file, the row comes last. */
  readonly changes: readonly (readonly [number, number, string, unknown, number?])[];
  /** The new text, or the reasons of refusals. */
  readonly becomes: string | readonly string[];
  /** The reasons of refusals if other changes are made. */
  readonly refuses?: readonly string[];
}

const wanted: Readonly<Record<string, Wanted>> = {
  'a line that is not there': { name: 'a.csv', text: 'loa,due\n6,15\n', changes: [[9, 1, 'due', 16]], becomes: ['the file has no such line'] },
  'a line that is too short': { name: 'a.csv', text: 'loa,due\n6\n', changes: [[2, 1, 'due', 16]], becomes: ['the line has no such cell'] },
  'a heading that is not there': {
    name: 'a.csv',
    text: 'loa,due\n6,15\n',
    changes: [[2, 1, 'price', 16]],
    becomes: ['no heading "price"; the headings are loa, due'],
  },
  'a value that no cell holds': {
    name: 'a.csv',
    text: 'loa,due\n6,15\n',
    changes: [[2, 1, 'due', { a: 1 }]],
    becomes: ['the value cannot be the text of a cell'],
  },
  'a quote that is never closed': { name: 'a.csv', text: 'loa,due\n6,"15\n7,16\n', changes: [[2, 1, 'due', '8']], becomes: 'loa,due\n6,"8"\n7,16\n' },
  'an empty cell at the end of a line': { name: 'a.csv', text: 'loa,due\r\n6,\r\n', changes: [[2, 1, 'due', '8']], becomes: 'loa,due\r\n6,8\r\n' },
  'a cell between blanks': {
    name: 'a.csv',
    text: 'loa, due ,note\n6 , 15  ,x\n8 ,  ,y\n',
    changes: [
      [2, 1, 'due', '20'],
      [3, 1, 'due', '7'],
    ],
    becomes: 'loa, due ,note\n6 , 20  ,x\n8 ,7,y\n',
  },
  'a heading with quotes': {
    name: 'a.csv',
    text: 'loa,"due ""in"" euros"\n6,15\n',
    changes: [[2, 1, 'due "in" euros', '8']],
    becomes: 'loa,"due ""in"" euros"\n6,8\n',
  },
  'an empty object': { name: 'a.json', text: '[{}, {}]', changes: [[1, 6, 'due', 8]], becomes: '[{}, {"due": 8}]' },
  'a list over several lines': {
    name: 'a.json',
    text: '[\r\n  {\r\n    "parts": [\r\n      1\r\n    ]\r\n  }\r\n]',
    changes: [[2, 3, 'parts', [2, 3]]],
    becomes: '[\r\n  {\r\n    "parts": [\r\n      2,\r\n      3\r\n    ]\r\n  }\r\n]',
  },
  'a mapping that is not there': { name: 'a.yaml', text: '- due: 1\n', changes: [[7, 3, 'due', 2]], becomes: ['found no mapping at this place'] },
  'a mapping without the key': {
    name: 'a.yaml',
    text: '- loa: 6 # small\r\n- {}\r\n- loa: 8\r\n  note: |\r\n    two\r\n    lines\r\n- loa:',
    changes: [
      [1, 3, 'due', 15],
      [1, 3, 'to', 'N4'],
      [2, 3, 'due', 16],
      [3, 3, 'due', 'on'],
      [7, 3, 'due', 18],
    ],
    becomes: '- loa: 6 # small\r\n  due: 15\r\n  to: N4\r\n- {due: 16}\r\n- due: "on"\r\n  loa: 8\r\n  note: |\r\n    two\r\n    lines\r\n- loa:\r\n  due: 18',
  },
  'a mapping in which one of two values would be read as another': {
    name: 'a.yaml',
    text: '- due: 1\n  note: small\n',
    changes: [
      [1, 3, 'due', Number.NaN],
      [1, 3, 'note', 'large'],
    ],
    becomes: '- due: 1\n  note: large\n',
    refuses: ['the value would be read as another one in this place'],
  },
  'objects in a test file': {
    name: 'a.ts',
    text: `values([{ loa: 6, due: 15 }, { loa: 8, due: 19 }]);`,
    changes: [[1, 1, 'due', 20, 1]],
    becomes: `values([{ loa: 6, due: 15 }, { loa: 8, due: 20 }]);`,
  },
  'named objects in a test file': {
    name: 'a.ts',
    text: `namedRows({ small: { due: 15 }, 'large': { due: undefined } } as const);`,
    changes: [
      [1, 1, 'due', 20, 0],
      [1, 1, 'due', "N'10", 1],
    ],
    becomes: `namedRows({ small: { due: 20 }, 'large': { due: 'N\\'10' } } as const);`,
  },
  'values of one column in a test file': { name: 'a.ts', text: `values('due', [15, 19])`, changes: [[1, 1, 'due', 20, 1]], becomes: `values('due', [15, 20])` },
  'an empty value in a table': {
    name: 'a.ts',
    text: `table(['due'], [[15]])`,
    changes: [[1, 1, 'due', undefined, 0]],
    becomes: `table(['due'], [[undefined]])`,
  },
  'negative numbers, templates, lists and objects in a test file': {
    name: 'a.ts',
    text: 'table(["a", "b", "c", "d"], [[-1, `tide`, [1, \'x\'], { n: null }]] satisfies unknown)',
    changes: [
      [1, 1, 'a', -2, 0],
      [1, 1, 'b', 'a `b` ${c} \\', 0],
      [1, 1, 'c', [2], 0],
      [1, 1, 'd', { n: 1 }, 0],
    ],
    becomes: 'table(["a", "b", "c", "d"], [[-2, `a \\`b\\` \\${c} \\\\`, [2], {"n":1}]] satisfies unknown)',
  },
  'quotes of a test file': {
    name: 'a.ts',
    text: `table(['a', 'b'], [["x", 'y']])`,
    changes: [
      [1, 1, 'a', `say "it's"`, 0],
      [1, 1, 'b', `say "it's"`, 0],
    ],
    becomes: `table(['a', 'b'], [["say \\"it's\\"", 'say "it\\'s"']])`,
  },
  'what a test file computes': {
    name: 'a.tsx',
    text: "const page = <p>due</p>;\ntable(['a', 'b', 'c', 'd', 'e'], [[+1, `${n}`, [n], { n }, n]]);",
    changes: [...'abcde'].map((column) => [2, 1, column, 5, 0] as const),
    becomes: Array(5).fill('the value is not a plain literal; change it by hand') as string[],
  },
  'rows that a test file does not write out': {
    name: 'a.ts',
    text: `rows([...all, { due: 1 }]);\nvalues('due', [1]);\nvalues('loa');\nrows([{ ...all, due: 1 }]);\nrows([{ ['due']: 1 }]);\nrows(all);\ntable(['due'], [[1]]);\nrows([, { due: 1 }]);`,
    changes: [
      [1, 1, 'due', 5, 1],
      [2, 1, 'loa', 5, 0],
      [3, 1, 'loa', 5, 0],
      [4, 1, 'due', 5, 0],
      [5, 1, 'due', 5, 0],
      [6, 1, 'due', 5, 0],
      [7, 1, 'due', 5, 3],
      [7, 1, 'loa', 5, 0],
      [8, 1, 'due', 5, 1],
      [9, 1, 'due', 5, 0],
    ],
    becomes: Array(10).fill('the rows are not written out at this place') as string[],
  },
  'a text for a number that becomes undefined': {
    name: 'a.json',
    text: '[{"due": "1", "to": 2}]',
    changes: [
      [1, 2, 'due', undefined],
      [1, 2, 'to', undefined],
    ],
    becomes: Array(2).fill('the value cannot be written as JSON') as string[],
  },
  'a number in a file that holds it as a text': { name: 'a.json', text: '[{"due": "15.00"}]', changes: [[1, 2, 'due', 16]], becomes: '[{"due": "16.00"}]' },
  'null in a mapping': {
    name: 'a.yaml',
    text: '- due: 2\n',
    changes: [
      [1, 3, 'due', null],
      [1, 3, 'to', null],
    ],
    becomes: '- due: null\n  to: null\n',
  },
  'several new properties': {
    name: 'a.json',
    text: '[\n  {\n    "loa": 6\n  },\n  {}\n]',
    changes: [
      [2, 3, 'due', 1],
      [2, 3, 'to', 'N4'],
      [5, 3, 'due', 1],
      [5, 3, 'to', 'N4'],
    ],
    becomes: '[\n  {\n    "loa": 6,\n    "due": 1,\n    "to": "N4"\n  },\n  {"due": 1, "to": "N4"}\n]',
  },
  'a list with tabs': {
    name: 'a.json',
    text: '[\n\t{\n\t\t"parts": [\n\t\t\t1\n\t\t]\n\t}\n]',
    changes: [[2, 2, 'parts', [2]]],
    becomes: '[\n\t{\n\t\t"parts": [\n\t\t\t2\n\t\t]\n\t}\n]',
  },
  'a place without an object': {
    name: 'a.json',
    text: '[5, {"due": 1}]',
    changes: [
      [1, 2, 'due', 2],
      [1, 3, 'due', 2],
      [9, 1, 'due', 2],
    ],
    becomes: Array(3).fill('found no object at this place') as string[],
  },
  'values of a mapping that must stay': {
    name: 'a.yaml',
    text: '- due: !money 1\n  to: &home N4\n  back: *home\n  parts:\n    - berth\n  stay:\n    nights: 1\n  loa: 6\n',
    changes: [...['due', 'to', 'back', 'parts', 'stay'].map((column) => [1, 3, column, 5] as const), [1, 3, 'loa', undefined], [1, 3, 'none', undefined]],
    becomes: [
      'the value has a tag',
      'the value has an anchor',
      'the value is an alias',
      'the value is a list on several lines; change it by hand',
      'the value is a mapping on several lines; change it by hand',
      'the computed value is undefined',
      'the computed value is undefined',
    ],
  },
  'texts, numbers and keys of a mapping': {
    name: 'a.yaml',
    text: '- due: "15.0"\n  1: 2\n  empty:\n  quoted: \'a\'\n  list: [1, 2]\n  "a: b": 3 # third\n',
    changes: [
      [1, 3, 'due', 16],
      [1, 3, '1', 5],
      [1, 3, 'empty', 'now'],
      [1, 3, 'quoted', "it's"],
      [1, 3, 'list', ['x']],
      [1, 3, 'a: b', 4],
    ],
    becomes: '- due: "16.0"\n  1: 5\n  empty: now\n  quoted: \'it\'\'s\'\n  list: ["x"]\n  "a: b": 4 # third\n',
  },
  'blocks of a mapping': {
    name: 'a.yaml',
    text: '- a: | # kept\r\n    one\r\n  b: |\r\n    one\r\n  c: |\r\n    one\r\n  d: |\r\n    one\r\n  e: >\r\n    one\r\n',
    changes: [
      [1, 3, 'a', 'two\n\nlines\n'],
      [1, 3, 'b', 'two'],
      [1, 3, 'c', 'two\n\n'],
      [1, 3, 'd', ' two'],
      [1, 3, 'e', ''],
    ],
    becomes: '- a: | # kept\r\n    two\r\n\r\n    lines\r\n  b: |-\r\n    two\r\n  c: |+\r\n    two\r\n\r\n  d: " two"\r\n  e: ""\r\n',
  },
  'a file that cannot be changed': { name: 'a.toml', text: 'due = 1', changes: [[1, 1, 'due', 2]], becomes: ['files that end in .toml cannot be changed'] },
};

const writers = { 'CSV and TSV': writeDelimited, 'JSON and JSON Lines': writeJson, YAML: writeYaml };

export const edits = suite('accepted values', { timeout: 60_000 }, [
  test('change nothing else in {format}: seed {seed}', {
    cases: values('format', ['CSV and TSV', 'JSON and JSON Lines', 'YAML']).cross(range('seed', 1, 150)),
  }, async ({ row: { format, seed }, ensure, check }) => {
    const random = createRandom(`accept ${format} ${seed}`);
    const rows = Array.from({ length: random.integer(1, 5) }, () => makeRow(random));
    const written = writers[format](rows, random);
    const chosen = chooseChanges(rows, random);
    const wanted = withChanges(rows, chosen);
    // Tables of texts can be in UTF-16, with a byte order mark.
    const encoding = format === 'CSV and TSV' ? random.pick(encodings) : 'utf-8';
    const before = encodeText(textOf(written), encoding);
    const first = await compute(written.name, before, (index) => wanted[index] as Row);
    ensure.equal(first.rows, rows, 'the file is read as it was written');
    check.equal(
      first.failed,
      rows.map((row, i) => JSON.stringify(row) !== JSON.stringify(wanted[i])),
    );
    const edited = await editFile(before, written.name, first.collected.changes);
    ensure.equal([edited.refused, edited.made.length], [[], first.collected.changes.length]);
    const after = await compute(written.name, edited.content, (index) => wanted[index] as Row);
    check.equal(
      after.rows.map((row) => ({ ...row, due: row.due })),
      wanted.map((row) => ({ ...row, due: row.due })),
      'the new values are read again',
    );
    const text = new TextDecoder(encoding, { ignoreBOM: true }).decode(edited.content);
    check.matches(encoding === 'utf-8' ? text : text.replace(/^\uFEFF/, bomOf(written)), patternOf(written, chosen));
    check.equal(encoding === 'utf-8' || text.startsWith('\uFEFF'), true, 'the byte order mark of UTF-16 stays');
  }),

  test('are written into {what}, or refused with a reason', {
    cases: namedRows(wanted).derive(({ text }) => ({ what: Object.keys(wanted).find((name) => wanted[name]?.text === text) ?? '' })),
  }, async ({ row: { name, text, changes, becomes, refuses = [] }, check }) => {
    const edited = await editFile(
      new TextEncoder().encode(text),
      name,
      changes.map(([line, column, heading, value, index]) => {
        const shown = typeof value === 'object' ? undefined : String(value ?? '');
        return { file: `file:///${name}`, line, column, heading, value, text: shown, index, cases: ['dues'] };
      }),
    );
    if (typeof becomes === 'string') {
      check.equal(
        edited.refused.map(({ reason }) => reason),
        [...refuses],
      );
      check.equal(new TextDecoder().decode(edited.content), becomes);
    } else {
      check.equal(
        edited.refused.map(({ reason }) => reason),
        [...becomes],
      );
      check.equal(new TextDecoder().decode(edited.content), text);
    }
  }),

  test('do not change a file that is not a text', async ({ check }) => {
    const given = Uint8Array.of(0x6e, 0x0a, 0xff, 0x31, 0x0a);
    const change = { file: 'file:///dues.csv', line: 2, column: 1, heading: 'n', value: 2, text: '2', index: 0, cases: ['dues'] };
    const { content, refused } = await editFile(given, 'dues.csv', [change]);
    check.equal(content, given);
    check.equal(refused.length, 1);
  }),

  test('change cells of a workbook: seed {seed}', { cases: range('seed', 1, 60) }, async ({ row: { seed }, ensure, check }) => {
    const random = createRandom(`accept workbook ${seed}`);
    // Blanks around a cell are trimmed, and so is a text of blanks.
    const trimmed = (row: Row): Row => ({ ...row, name: row.name.trim(), note: row.note.trim(), from: new Date(row.from) });
    const isHeld = (row: Row): boolean => !row.name.startsWith('#');
    const rows = Array.from({ length: random.integer(1, 5) }, () => trimmed(makeRow(random))).filter(isHeld);
    if (rows.length === 0) rows.push({ ...trimmed(makeRow(random)), name: 'berth' });
    const chosen = chooseChanges(rows, random);
    const wanted = withChanges(rows, chosen)
      .map(trimmed)
      .map((row) => (isHeld(row) ? row : { ...row, name: 'berth' }));
    const before = markNames(writeSheet(rows, random));
    const first = await compute('dues.xlsx', before, (index) => wanted[index] as Row);
    ensure.equal(first.rows, rows);
    // The content of a file can be part of a larger buffer.
    const given = Buffer.from(before);
    const edited = await editFile(given, 'dues.xlsx', first.collected.changes);
    check.holds(given.equals(before), 'what is given stays as it is');
    check.equal(wrongChecksums(edited.content), []);
    check.holds(
      flagsOf(edited.content).every((flags) => flags === UTF8_NAMES),
      'the flags stay',
    );
    ensure.equal(edited.refused, []);
    check.equal((await compute('dues.xlsx', edited.content, (index) => wanted[index] as Row)).rows, wanted);
    const [old, now] = [unzipSync(before), unzipSync(edited.content)];
    check.equal(
      Object.keys(old).filter((name) => !isEqual(old[name], now[name])),
      first.collected.changes.length > 0 ? ['xl/worksheets/sheet1.xml'] : [],
      'no other part of the archive changes',
    );
    const [addresses, letters] = [/<(?:\w+:)?c r="([A-Z]+)(\d+)"/g, new TextDecoder().decode(now['xl/worksheets/sheet1.xml'])];
    const cells = [...letters.matchAll(addresses)].map(([, column = '', row]) => `${String(row).padStart(4)} ${column.padStart(3)}`);
    check.equal(cells, [...cells].sort(), 'cells stay in the order of their addresses');
    check.holds(!/ s="1" t="inlineStr"/.test(letters), 'dates are not written as texts');
  }),
]);

/** A workbook from 1904. Its second row has a number, a date, a time, a formula and a text; its third row is empty. */
const ownBook = zip({
  'xl/workbook.xml': '<workbook xmlns:r="y"><workbookPr date1904="1"/><sheets><sheet name="S" r:id="r"/></sheets></workbook>',
  'xl/_rels/workbook.xml.rels': '<Relationships><Relationship Id="r" Target="s.xml"/></Relationships>',
  'xl/styles.xml': '<styleSheet><cellXfs><xf numFmtId="0"/><xf numFmtId="14"/><xf numFmtId="20"/></cellXfs></styleSheet>',
  'xl/s.xml': `<worksheet><row>${['due', 'from', 'at', 'sum', 'note'].map((heading) => `<c t="str"><v>${heading}</v></c>`).join('')}</row><row><c><v>1</v></c><c s="1"><v>24107</v></c><c s="2"><v>0.5</v></c><c><f>A2</f><v>1</v></c><c t="str"><v>low</v></c></row><row r="3"/><row r="4"><c><v>3</v></c></row></worksheet>`,
});

export const workbookCells = test('cells of a workbook are written, or refused: {heading} in line {line} becomes {text}', {
  cases: rowsOf<{ line: number; heading: string; value?: unknown; text: string | undefined; becomes: string; refuses?: string }>([
    { line: 2, heading: 'due', value: 2.5, text: '2.5', becomes: '<row><c r="A2"><v>2.5</v></c><c s="1">' },
    { line: 2, heading: 'due', value: true, text: 'true', becomes: '<c r="A2" t="b"><v>1</v></c>' },
    { line: 2, heading: 'due', text: '', becomes: '<row><c r="A2"></c><c s="1">' },
    { line: 2, heading: 'from', text: '1970-01-03', becomes: '<c r="B2" s="1"><v>24109</v></c>' },
    { line: 2, heading: 'from', text: '1970-01-03T12:00:00Z', becomes: '<c r="B2" s="1"><v>24109.5</v></c>' },
    { line: 2, heading: 'from', text: 'soon', becomes: '<is><t xml:space="preserve">soon</t></is>' },
    { line: 2, heading: 'from', text: '2031-13-77', becomes: '<is><t xml:space="preserve">2031-13-77</t></is>' },
    { line: 2, heading: 'note', text: 'a & b <c>\r\n', becomes: '<is><t xml:space="preserve">a &amp; b &lt;c&gt;&#13;\n</t></is>' },
    { line: 3, heading: 'note', text: 'new', becomes: '', refuses: 'the sheet has no such row' },
    { line: 4, heading: 'note', text: 'new', becomes: '<row r="4"><c><v>3</v></c><c r="E4" t="inlineStr"><is><t xml:space="preserve">new</t></is></c></row>' },
    { line: 4, heading: 'due', value: 4, text: '4', becomes: '<row r="4"><c r="A4"><v>4</v></c></row>' },
    { line: 2, heading: 'at', text: '06:00:00', becomes: '', refuses: 'the value cannot be written in this cell' },
    { line: 2, heading: 'note', text: '\u0001', becomes: '', refuses: 'the value cannot be written in this cell' },
    { line: 2, heading: 'note', text: undefined, becomes: '', refuses: 'the value cannot be written in this cell' },
    { line: 2, heading: 'sum', value: 2, text: '2', becomes: '', refuses: 'the cell is a formula' },
    { line: 9, heading: 'due', value: 2, text: '2', becomes: '', refuses: 'the sheet has no such row' },
    { line: 2, heading: 'to', value: 2, text: '2', becomes: '', refuses: 'no heading "to"; the headings are due, from, at, sum, note' },
  ]),
}, async ({ row: { line, heading, value, text, becomes, refuses }, check }) => {
  const change = { file: 'file:///a.xlsx', line, column: 1, heading, value, text, sheet: 'S', index: 0, cases: ['dues'] };
  const { content, refused, made } = await editFile(ownBook, 'a.xlsx', [change]);
  check.equal(
    refused.map(({ reason }) => reason),
    refuses === undefined ? [] : [refuses],
  );
  check.equal(
    made.map(({ after }) => after),
    refuses === undefined ? [text ?? ''] : [],
  );
  if (refuses === undefined) check.includes(new TextDecoder().decode(unzipSync(content)['xl/s.xml']), becomes);
  else check.equal(content, ownBook);
});

export const wideSheets = test('a cell that is added to column {column} has its address', {
  cases: table(
    ['index', 'column'],
    [
      [25, 'Z'],
      [26, 'AA'],
      [51, 'AZ'],
      [52, 'BA'],
      [701, 'ZZ'],
      [702, 'AAA'],
    ],
  ),
}, async ({ row: { index, column }, check }) => {
  const headings = Array.from({ length: 703 }, (_, i) => `<c t="str"><v>h${i}</v></c>`).join('');
  const book = zip({
    ...Object.fromEntries(Object.entries(unzipSync(ownBook)).map(([name, bytes]) => [name, new TextDecoder().decode(bytes)])),
    'xl/s.xml': `<worksheet><row>${headings}</row><row><c><v>1</v></c></row></worksheet>`,
  });
  const change = { file: 'file:///a.xlsx', line: 2, column: 1, heading: `h${index}`, value: 7, text: '7', sheet: 'S', index: 0, cases: ['dues'] };
  const { content } = await editFile(book, 'a.xlsx', [change]);
  check.includes(new TextDecoder().decode(unzipSync(content)['xl/s.xml']), `<row><c><v>1</v></c><c r="${column}2"><v>7</v></c></row>`);
});
