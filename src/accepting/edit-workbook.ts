import { SaxesParser } from 'saxes';
import { attribute, type DescribedSheet, describeSheet, parseColumnNumber, readWorkbookHeadings, removePrefix } from '../cases/data/workbook.ts';
import { type NumberKind, toSerialDate } from '../cases/data/workbook-numbers.ts';
import { readArchived, replaceArchived } from './archive.ts';
import { type CellChange, type Edited, type MadeChange, type Refusal, refuseChange, type Splice, splice } from './change.ts';

const COMMENT = '#';
/** Characters that XML cannot contain. */
const forbidden = /[^\t\n\r\u0020-\uD7FF\uE000-\uFFFD\u{10000}-\u{10FFFF}]/u;

/** Changes cells of a workbook. Formulas are refused; styles, all other cells and all other parts of the archive stay as they are. */
export async function editWorkbook(bytes: Uint8Array, name: string, changes: readonly CellChange[]): Promise<Edited<Uint8Array>> {
  let content = bytes;
  const made: MadeChange[] = [];
  const refused: Refusal[] = [];
  for (const sheet of new Set(changes.map((change) => change.sheet))) {
    const own = changes.filter((change) => change.sheet === sheet);
    const described = await describeSheet(content, name, sheet);
    const xml = readArchived(content, described.part);
    if (!xml) {
      refused.push(...refuseArchive(own));
      continue;
    }
    const edited = editSheet(new TextDecoder('utf-8', { ignoreBOM: true }).decode(xml), described, own);
    refused.push(...edited.refused);
    if (edited.made.length === 0) continue;
    const replaced = replaceArchived(content, described.part, new TextEncoder().encode(edited.content));
    if (!replaced) refused.push(...refuseArchive(edited.made.map(({ change }) => change)));
    else {
      content = replaced;
      made.push(...edited.made);
    }
  }
  return { content, made, refused };
}

const refuseArchive = (changes: readonly CellChange[]): Refusal[] =>
  changes.map((change) => refuseChange(change, 'the archive is of a kind that cannot be changed'));

function editSheet(xml: string, sheet: DescribedSheet, changes: readonly CellChange[]): Edited {
  const lines = new Set(changes.map(({ line }) => line));
  const rows = findRows(xml, lines);
  const { headings, shown } = readRows(sheet, lines);
  const splices: Splice[] = [];
  const made: MadeChange[] = [];
  const refused: Refusal[] = [];
  for (const change of changes) {
    const index = headings.indexOf(change.heading);
    const row = rows.get(change.line);
    const cell = row?.cells.find(({ column }) => column === index);
    const value = index < 0 || !row ? undefined : formatCell(change, cell && sheet.kinds[cell.style], sheet.from1904);
    const reason =
      index < 0
        ? `no heading "${change.heading}"; the headings are ${headings.filter(Boolean).join(', ')}`
        : !row
          ? 'the sheet has no such row'
          : cell?.hasFormula
            ? 'the cell is a formula'
            : value === undefined
              ? 'the value cannot be written in this cell'
              : undefined;
    if (reason !== undefined || !row || !value) refused.push(refuseChange(change, reason ?? ''));
    else {
      splices.push(writeCell(row, cell, index, change.line, value));
      made.push({ change, before: shown.get(`${change.line}:${index}`) ?? '', after: value.shown });
    }
  }
  return { content: splice(xml, mergeInsertions(splices)), made, refused };
}

/** Merges cells that are added at the same position. */
function mergeInsertions(splices: readonly Splice[]): Splice[] {
  const merged = new Map<string, Splice>();
  for (const one of splices) {
    const key = `${one.start}:${one.end}`;
    const known = merged.get(key);
    merged.set(key, known ? { ...one, text: known.text + one.text } : one);
  }
  return [...merged.values()];
}

/** Reads the headings, and the cells of some rows as texts. */
function readRows(sheet: DescribedSheet, lines: ReadonlySet<number>): { readonly headings: readonly string[]; readonly shown: ReadonlyMap<string, string> } {
  let headings: readonly string[] | undefined;
  const shown = new Map<string, string>();
  for (const batch of sheet.rows()) {
    for (const { number, cells } of batch) {
      const first = cells.get(0);
      if (!headings && !(first && 'value' in first && String(first.value).startsWith(COMMENT)))
        headings = readWorkbookHeadings(cells).map((text) => text.trim());
      if (lines.has(number)) for (const [index, cell] of cells) if ('value' in cell) shown.set(`${number}:${index}`, String(cell.value));
    }
  }
  return { headings: headings ?? [], shown };
}

interface CellInSheet {
  readonly column: number;
  readonly start: number;
  end: number;
  readonly style: number;
  /** The style attribute as written. */
  readonly styleText: string;
  hasFormula: boolean;
}

interface RowInSheet {
  /** The namespace prefix of elements. */
  readonly prefix: string;
  readonly cells: CellInSheet[];
  /** The start of its end tag. */
  end: number;
}

/** Finds some rows and their cells in the text of a sheet. */
function findRows(xml: string, lines: ReadonlySet<number>): ReadonlyMap<number, RowInSheet> {
  const rows = new Map<number, RowInSheet>();
  const parser = new SaxesParser();
  let number = 0;
  let column = -1;
  let row: RowInSheet | undefined;
  let cell: CellInSheet | undefined;
  const findTagStart = (): number => xml.lastIndexOf('<', parser.position - 1);
  parser.on('opentag', (tag) => {
    const name = removePrefix(tag.name);
    if (name === 'row') {
      number = Number(attribute(tag, 'r') ?? number + 1);
      column = -1;
      // A row element without content has no cells, so no case comes from it.
      row = lines.has(number) && !tag.isSelfClosing ? { prefix: tag.name.slice(0, -3), cells: [], end: parser.position } : undefined;
      if (row) rows.set(number, row);
    } else if (name === 'c') {
      const address = attribute(tag, 'r');
      column = address === undefined ? column + 1 : parseColumnNumber(address);
      if (!row) return;
      const style = attribute(tag, 's');
      const styleText = style === undefined ? '' : ` s="${style}"`;
      cell = { column, start: findTagStart(), end: parser.position, style: Number(style ?? 0), styleText, hasFormula: false };
      row.cells.push(cell);
    } else if (name === 'f' && cell) cell.hasFormula = true;
  });
  parser.on('closetag', (tag) => {
    const name = removePrefix(tag.name);
    if (name === 'c' && cell) {
      cell.end = parser.position;
      cell = undefined;
    } else if (name === 'row') {
      if (row) row.end = findTagStart();
      row = undefined;
    }
  });
  parser.write(xml).close();
  return rows;
}

/** A value as the content of a cell. */
interface CellContent {
  readonly type: string;
  readonly content: (prefix: string) => string;
  readonly shown: string;
}

function formatCell({ value, text }: CellChange, kind: NumberKind | undefined, from1904: boolean): CellContent | undefined {
  if (typeof value === 'number') return { type: '', content: (prefix) => `<${prefix}v>${value}</${prefix}v>`, shown: String(value) };
  if (typeof value === 'boolean') return { type: ' t="b"', content: (prefix) => `<${prefix}v>${Number(value)}</${prefix}v>`, shown: String(value) };
  if (text === undefined || forbidden.test(text)) return undefined;
  if (text === '' && value === undefined) return { type: '', content: () => '', shown: '' };
  if (kind === 'time') return undefined;
  const day = kind === 'date' && /^\d{4}-\d\d-\d\d/.test(text) ? Date.parse(text) : Number.NaN;
  if (!Number.isNaN(day)) {
    const serial = toSerialDate(day, from1904);
    return { type: '', content: (prefix) => `<${prefix}v>${serial}</${prefix}v>`, shown: text };
  }
  const escaped = text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('\r', '&#13;');
  return {
    type: ' t="inlineStr"',
    content: (prefix) => `<${prefix}is><${prefix}t xml:space="preserve">${escaped}</${prefix}t></${prefix}is>`,
    shown: text,
  };
}

function writeCell(row: RowInSheet, old: CellInSheet | undefined, index: number, line: number, { type, content }: CellContent): Splice {
  const { prefix } = row;
  const cell = `<${prefix}c r="${formatColumnName(index)}${line}"${old?.styleText ?? ''}${type}>${content(prefix)}</${prefix}c>`;
  if (old) return { start: old.start, end: old.end, text: cell };
  const next = row.cells.find(({ column }) => column > index);
  const at = next?.start ?? row.end;
  return { start: at, end: at, text: cell };
}

/** The name of a column, from 0: `AB` for 27. */
function formatColumnName(index: number): string {
  const letter = String.fromCharCode(65 + (index % 26));
  return index < 26 ? letter : formatColumnName(Math.floor(index / 26) - 1) + letter;
}
