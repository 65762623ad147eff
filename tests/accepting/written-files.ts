import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import type { Random } from '../../src/cases/random.ts';
import { writeWorkbook } from '../workbook.ts';

/** A row of the generated files. */
export interface Row {
  readonly name: string;
  readonly due?: number | undefined;
  readonly note: string;
  readonly paid: boolean;
  readonly from: Date;
  readonly parts: readonly number[];
}

export const columns = ['name', 'due', 'note', 'paid', 'from', 'parts'] as const;
export type Column = (typeof columns)[number];

const texts = [
  '',
  'plain',
  'two words',
  'a, b',
  'say "mooring"',
  "it's",
  'line\nbreak',
  'tail ',
  ' head',
  '#1',
  '- dash',
  'yes',
  '12',
  'null',
  'ÄÖ ✓ 🚢',
  'a: b',
  '{x}',
  '| pipe',
  'tab\there',
];

export const makeRow = (random: Random): Row => ({
  name: random.pick(texts.slice(1)),
  ...(random.integer(0, 3) > 0 && { due: random.integer(-500, 50_000) / 100 }),
  note: random.pick(texts),
  paid: random.integer(0, 1) === 1,
  from: new Date(Date.UTC(2031, random.integer(0, 11), random.integer(1, 28), random.pick([0, 0, 8]))),
  parts: Array.from({ length: random.integer(1, 3) }, () => random.integer(0, 99)),
});

/** A file as the parts of its text: cells, and the text between them. */
export interface Written {
  readonly name: string;
  readonly parts: readonly (string | { readonly row: number; readonly column: Column; readonly text: string })[];
}

const dateText = (date: Date): string => date.toISOString().replace(/T00:00:00\.000Z$|\.000(?=Z$)/, '');
const cellText = (value: unknown): string =>
  value === undefined ? '' : value instanceof Date ? dateText(value) : Array.isArray(value) ? value.join(';') : String(value);

export function writeDelimited(rows: readonly Row[], random: Random): Written {
  const extension = random.pick(['csv', 'tsv']);
  const delimiter = extension === 'tsv' ? '\t' : ',';
  const end = random.pick(['\n', '\r\n']);
  const between = (): string => random.pick(['', '', '', `# dues, "quoted${end}`, end]);
  const parts: Written['parts'][number][] = [
    random.pick(['', '\uFEFF']) + between() + [...columns].map((one) => random.pick([one, ` ${one} `, `"${one}"`])).join(delimiter),
  ];
  for (const [row, values] of rows.entries()) {
    parts.push(end + between());
    for (const [index, column] of columns.entries()) {
      const text = cellText(values[column]);
      const isQuoted = /["\r\n]|^\s|\s$|^#|^$/.test(text) || text.includes(delimiter) || random.integer(0, 3) === 0;
      const pad = random.pick(['', '', ' ']);
      if (index > 0) parts.push(delimiter);
      parts.push({ row, column, text: values[column] === undefined ? '' : isQuoted ? `"${text.replaceAll('"', '""')}"` : pad + text + pad });
    }
  }
  parts.push(random.pick(['', end, end + end]));
  return { name: `dues.${extension}`, parts };
}

const jsonValue = (value: unknown): unknown => (value instanceof Date ? dateText(value) : value);

export function writeJson(rows: readonly Row[], random: Random): Written {
  const isLines = random.integer(0, 1) === 1;
  const blank = (): string => (isLines ? random.pick(['', ' ']) : random.pick(['', ' ', '\n  ', '\r\n\t']));
  const parts: Written['parts'][number][] = [isLines ? '' : `${random.pick(['', '\uFEFF'])}[${blank()}`];
  for (const [row, values] of rows.entries()) {
    parts.push(row === 0 ? '{' : isLines ? `${random.pick(['\n', '\n\n', '\r\n'])}{` : `,${blank()}{`);
    for (const [index, column] of columns.filter((one) => values[one] !== undefined).entries()) {
      const value = jsonValue(values[column]);
      // Numbers can be written as texts: the cell type reads both.
      const written = column === 'due' && random.integer(0, 3) === 0 ? String(value) : value;
      parts.push(`${index > 0 ? `,${blank()}` : blank()}"${column}"${blank()}:${blank()}`, { row, column, text: JSON.stringify(written) });
    }
    parts.push(`${blank()}}`);
  }
  parts.push(isLines ? '\n' : `${blank()}]\n`);
  return { name: isLines ? 'dues.jsonl' : 'dues.json', parts };
}

function yamlText(value: unknown, random: Random, isFlow: boolean): string {
  const text = jsonValue(value);
  if (typeof text !== 'string') return JSON.stringify(text);
  if (!isFlow && /^\S.*\n.*[^\s]$/s.test(text)) return `|-\n    ${text.replaceAll('\n', '\n    ')}`;
  const isPlain = /^[a-z]+(?: [a-z]+)*$/.test(text) && !['yes', 'null'].includes(text);
  if (isPlain && random.integer(0, 2) > 0) return text;
  return /[\n\t]/.test(text) || random.integer(0, 1) ? JSON.stringify(text) : `'${text.replaceAll("'", "''")}'`;
}

export function writeYaml(rows: readonly Row[], random: Random): Written {
  const parts: Written['parts'][number][] = [random.pick(['', '# dues of the office\n', '---\n'])];
  for (const [row, values] of rows.entries()) {
    const isFlow = random.integer(0, 3) === 0;
    parts.push(isFlow ? '- {' : '-');
    for (const [index, column] of columns.filter((one) => values[one] !== undefined).entries()) {
      if (isFlow) parts.push(`${index > 0 ? ', ' : ''}${column}: `);
      else parts.push(`${index > 0 ? '  ' : ' '}${column}: `);
      const text = yamlText(values[column], random, isFlow);
      parts.push({ row, column, text });
      if (!isFlow) parts.push(text.startsWith('|') ? '\n' : random.pick(['\n', '\n', ' # as agreed\n', '\n\n']));
    }
    if (isFlow) parts.push(random.pick(['}\n', ' } # flow\n']));
  }
  return { name: 'dues.yaml', parts };
}

export const textOf = ({ parts }: Written): string => parts.map((part) => (typeof part === 'string' ? part : part.text)).join('');

/** A workbook as different programs write it: with addresses or without, with a prefix before every name or without. */
export function writeSheet(rows: readonly Row[], random: Random): Uint8Array {
  // A row that starts with # is a comment. Names do not start with it.
  const order = ['name', ...random.shuffle(columns.slice(1))] as const;
  const book = writeWorkbook({
    Dues: [
      ...(random.integer(0, 2) === 0 ? [['# dues of the office', 'since April']] : []),
      [...order],
      ...rows.map((row) => order.map((column) => (column === 'parts' ? row.parts.join(';') : row[column as Exclude<Column, 'parts'>]))),
    ],
    Other: [['name'], ['another']],
  });
  const parts = unzipSync(book);
  const sheet = 'xl/worksheets/sheet1.xml';
  let xml = strFromU8(parts[sheet] as Uint8Array);
  if (random.integer(0, 1)) xml = xml.replace(/<(\/?)(?=[a-z])/gi, '<$1x:');
  // Without an address, a cell follows the previous one: only rows without gaps can be written like that.
  if (random.integer(0, 1) && rows.every(({ due, note, name }) => due !== undefined && note !== '' && name !== '')) xml = xml.replace(/ r="[A-Z]+\d+"/g, '');
  return zipSync({ ...parts, [sheet]: strToU8(xml) }, { level: random.pick([0, 6]) });
}
