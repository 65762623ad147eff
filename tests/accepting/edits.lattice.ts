import { crc32 } from 'node:zlib';
import { unzipSync } from 'fflate';
import { cell, dataFile, namedRows, range, runSuites, suite, test, values } from 'red-lattice';
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
  readonly changes: readonly { readonly line: number; readonly column: number; readonly heading: string; readonly value?: unknown; readonly index?: number }[];
  readonly becomes: string | readonly string[];
  readonly refuses?: readonly string[];
}

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

  test('are written into {what}, or refused with a reason', { cases: dataFile('edits.yaml') }, async ({ row, check }) => {
    const { name, text, changes, becomes, refuses = [] } = row as unknown as Wanted;
    const edited = await editFile(
      new TextEncoder().encode(text),
      name,
      changes.map(({ value, ...place }) => {
        const shown = typeof value === 'object' ? undefined : String(value ?? '');
        return { ...place, file: `file:///${name}`, value, text: shown, index: place.index, cases: ['dues'] };
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
    check.equal([...edited.content.slice(-22, -18)], [0x50, 0x4b, 5, 6], 'nothing follows the end of the directory');
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

interface WorkbookCell {
  readonly line: number;
  readonly heading: string;
  readonly value?: unknown;
  readonly text?: string;
  readonly becomes: string;
  readonly refuses?: string;
}

export const workbookCells = test('cells of a workbook are written, or refused: {heading} in line {line} becomes {text}', {
  cases: dataFile('workbook-cells.yaml'),
}, async ({ row, check }) => {
  const { line, heading, value, text, becomes, refuses } = row as unknown as WorkbookCell;
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
  cases: values('column', ['Z', 'AA', 'AZ', 'BA', 'ZZ', 'AAA']),
}, async ({ row: { column }, check }) => {
  // Bijective base 26, from 0.
  const index = [...column].reduce((sum, letter) => sum * 26 + letter.charCodeAt(0) - 64, 0) - 1;
  const headings = Array.from({ length: 703 }, (_, i) => `<c t="str"><v>h${i}</v></c>`).join('');
  const book = zip({
    ...Object.fromEntries(Object.entries(unzipSync(ownBook)).map(([name, bytes]) => [name, new TextDecoder().decode(bytes)])),
    'xl/s.xml': `<worksheet><row>${headings}</row><row><c><v>1</v></c></row></worksheet>`,
  });
  const change = { file: 'file:///a.xlsx', line: 2, column: 1, heading: `h${index}`, value: 7, text: '7', sheet: 'S', index: 0, cases: ['dues'] };
  const { content } = await editFile(book, 'a.xlsx', [change]);
  check.includes(new TextDecoder().decode(unzipSync(content)['xl/s.xml']), `<row><c><v>1</v></c><c r="${column}2"><v>7</v></c></row>`);
});

/** The same archive with 64-bit offsets: the end of its directory refers to another one, which has the position. */
function withLargeOffsets(archive: Uint8Array): Uint8Array {
  const end = archive.subarray(-22).slice();
  const [old, large] = [new DataView(end.buffer), new DataView(new ArrayBuffer(76))];
  const [at, size, directory] = [archive.length - 22, old.getUint32(12, true), old.getUint32(16, true)];
  large.setUint32(0, 0x06064b50, true);
  large.setBigUint64(4, 44n, true);
  for (const offset of [24, 32]) large.setBigUint64(offset, BigInt(old.getUint16(10, true)), true);
  large.setBigUint64(40, BigInt(size), true);
  large.setBigUint64(48, BigInt(directory), true);
  large.setUint32(56, 0x07064b50, true);
  large.setBigUint64(64, BigInt(at), true);
  large.setUint32(72, 1, true);
  end.fill(0xff, 8, 20);
  return Uint8Array.of(...archive.subarray(0, at), ...new Uint8Array(large.buffer), ...end);
}

export const unchangeable = test('a workbook {what} is refused, and stays as it is', {
  cases: namedRows({
    large: { what: 'with 64-bit offsets', book: withLargeOffsets(ownBook) },
    cut: { what: 'without a directory', book: ownBook.slice().fill(0xff, ownBook.length - 6, ownBook.length - 2) },
  }),
}, async ({ row: { book }, check }) => {
  const change = { file: 'file:///a.xlsx', line: 2, column: 1, heading: 'due', value: 7, text: '7', sheet: 'S', index: 0, cases: ['dues'] };
  const { content, refused, made } = await editFile(book, 'a.xlsx', [change]);
  check.equal(
    refused.map(({ reason, where }) => [where.heading, reason]),
    [['due', 'the archive is of a kind that cannot be changed']],
  );
  check.equal([made, content], [[], book]);
});
