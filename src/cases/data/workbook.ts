import type { SaxesParser, SaxesTagPlain } from 'saxes';
import { formatThousands } from '../../problems/format-thousands.ts';
import type { Problem } from '../../problems/problem.ts';
import { throwProblem } from '../../problems/problem-error.ts';
import type { RowEntry } from '../row.ts';
import type { RowTyping } from './columns.ts';
import { type IndexedColumn, readHeadings } from './headings.ts';
import { CellSchemaError, convertRecord, type Layout, type RawRecord, settleAll } from './typing.ts';
import { classifyBuiltInFormat, classifyNumberFormat, formatSerialDate, type NumberKind } from './workbook-numbers.ts';

/** The maximum size of a workbook. Its compressed bytes are held in memory. */
const MAX_FILE_BYTES = 64_000_000;
/** The maximum size of the inflated parts. Larger workbooks are treated as attacks. */
const MAX_INFLATED_BYTES = 100_000_000;
/** The maximum length of a cell's text, in characters. */
const MAX_TEXT_LENGTH = 1_000_000;
/** The number of compressed bytes that are inflated at a time. They inflate to at most a thousand times that. */
const INFLATE_CHUNK_BYTES = 4096;

/** A cell's value in a workbook: text, number, boolean, or the error that it shows. A formula can lack a result. */
type WorkbookCell = { readonly value: string | number | boolean } | { readonly error: string | undefined };

export interface WorkbookRow {
  /** Counted from 1. */
  readonly number: number;
  /** By column number, from 0. */
  readonly cells: ReadonlyMap<number, WorkbookCell>;
}

/** Data that the cells of every sheet refer to. */
interface Shared {
  readonly texts: readonly string[];
  /** What numbers represent, by cell style. */
  readonly kinds: readonly NumberKind[];
  readonly from1904: boolean;
}

/**
 * Reads a sheet of a workbook (ISO/IEC 29500). The first row that is not empty contains the headings.
 *
 * The sheet is inflated and read in chunks, and the inflated bytes are counted. Dates become ISO texts.
 */
export async function* readWorkbook(
  bytes: AsyncIterable<Uint8Array>,
  file: string,
  options: { readonly sheet: string | undefined; readonly comment: string | undefined },
  typed: RowTyping,
  onWarning: ((problem: Problem) => void) | undefined,
): AsyncGenerator<readonly RowEntry[]> {
  const archive = await Archive.open(bytes, file);
  const { sheet, part, from1904 } = findSheet(archive, options.sheet, file);
  const shared: Shared = { texts: readSharedTexts(archive), kinds: readNumberKinds(archive), from1904 };
  const placeOf = (number: number, column: number) => ({ file, line: number, column: column + 1, sheet });
  let layout: Layout<IndexedColumn> | undefined;
  for (const rows of readSheetRows(archive, part, shared)) {
    const entries: (RowEntry | Promise<RowEntry>)[] = [];
    for (const { number, cells } of rows) {
      const first = cells.get(0);
      if (options.comment !== undefined && first && 'value' in first && String(first.value).startsWith(options.comment)) continue;
      if (layout) entries.push(convertRecord(buildRecord(cells, number, placeOf), layout));
      else
        layout = {
          columns: readHeadings(readWorkbookHeadings(cells), typed.columns, (index) => placeOf(number, index), onWarning, typed.ignore),
          schema: typed.schema,
        };
    }
    if (entries.length) yield settleAll(entries);
  }
  if (!layout) throwProblem({ code: 'no-header', at: placeOf(1, 0) });
}

/** A sheet, described for changing its cells: the name of its part, number formats and rows. */
export interface DescribedSheet {
  readonly part: string;
  readonly kinds: readonly NumberKind[];
  readonly from1904: boolean;
  rows(): Iterable<readonly WorkbookRow[]>;
}

/** Finds a sheet in the bytes of a workbook. */
export async function describeSheet(bytes: Uint8Array, file: string, sheetName: string | undefined): Promise<DescribedSheet> {
  const archive = await Archive.open([bytes], file);
  const { part, from1904 } = findSheet(archive, sheetName, file);
  const kinds = readNumberKinds(archive);
  return { part, kinds, from1904, rows: () => readSheetRows(archive, part, { texts: readSharedTexts(archive), kinds, from1904 }) };
}

export function readWorkbookHeadings(cells: WorkbookRow['cells']): string[] {
  const width = Math.max(...cells.keys()) + 1;
  return Array.from({ length: width }, (_, index) => {
    const cell = cells.get(index);
    return cell && 'value' in cell ? String(cell.value) : '';
  });
}

function buildRecord(
  cells: WorkbookRow['cells'],
  number: number,
  placeOf: (number: number, column: number) => NonNullable<RowEntry['location']>,
): RawRecord<IndexedColumn> {
  return {
    location: placeOf(number, 0),
    lines: undefined,
    value({ index }) {
      const cell = cells.get(index);
      if (!cell) return undefined;
      if ('error' in cell) return new CellSchemaError(cell.error);
      return typeof cell.value === 'string' ? cell.value.trim() : cell.value;
    },
    isQuoted: () => false,
    at: (column) => placeOf(number, column?.index ?? 0),
  };
}

/** The parts of a workbook's archive, inflated on demand. */
class Archive {
  readonly #zip: typeof import('fflate');
  readonly #xml: typeof import('saxes');
  readonly #bytes: Uint8Array;
  readonly #file: string;
  #inflated = 0;

  private constructor(zip: typeof import('fflate'), xml: typeof import('saxes'), bytes: Uint8Array, file: string) {
    this.#zip = zip;
    this.#xml = xml;
    this.#bytes = bytes;
    this.#file = file;
  }

  static async open(bytes: AsyncIterable<Uint8Array> | Iterable<Uint8Array>, file: string): Promise<Archive> {
    const chunks: Uint8Array[] = [];
    let size = 0;
    for await (const one of bytes) {
      chunks.push(one);
      size += one.length;
      if (size > MAX_FILE_BYTES) throwProblem(unreadable(file, `it is larger than ${formatThousands(MAX_FILE_BYTES)} bytes. Use CSV, which is streamed.`));
    }
    const whole = new Uint8Array(size);
    let at = 0;
    for (const one of chunks) {
      whole.set(one, at);
      at += one.length;
    }
    if (whole[0] === 0xd0 && whole[1] === 0xcf)
      throwProblem(unreadable(file, 'this is an old-format workbook (.xls) or has a password. Save it as .xlsx without a password.'));
    if (whole[0] !== 0x50 || whole[1] !== 0x4b) throwProblem(unreadable(file, 'this is not an .xlsx workbook'));
    return new Archive(await import('fflate'), await import('saxes'), whole, file);
  }

  /** Reads a part through an XML reader and yields its output after each chunk. Yields nothing if the part does not exist. */
  *read<T>(name: string, reader: (parser: SaxesParser) => () => T): Generator<T> {
    const parser = new this.#xml.SaxesParser();
    const taken = reader(parser);
    parser.on('error', (error) => throwProblem(unreadable(this.#file, `${name} in the workbook is invalid: ${error.message}`)));
    const decoder = new TextDecoder();
    let done = false;
    const unzip = new this.#zip.Unzip((entry) => {
      if (entry.name !== name) return;
      entry.ondata = (error, data, final) => {
        if (error) throw error;
        this.#inflated += data.length;
        if (this.#inflated > MAX_INFLATED_BYTES)
          throwProblem(unreadable(this.#file, `its uncompressed size exceeds ${formatThousands(MAX_INFLATED_BYTES)} bytes`));
        parser.write(decoder.decode(data, { stream: !final }));
        if (!final) return;
        parser.close();
        done = true;
      };
      entry.start();
    });
    unzip.register(this.#zip.UnzipInflate);
    for (let at = 0; at < this.#bytes.length && !done; at += INFLATE_CHUNK_BYTES) {
      try {
        unzip.push(this.#bytes.subarray(at, at + INFLATE_CHUNK_BYTES), at + INFLATE_CHUNK_BYTES >= this.#bytes.length);
      } catch (error) {
        if ((error as Error).name === 'ProblemError') throw error;
        throwProblem(unreadable(this.#file, `the archive is damaged: ${(error as Error).message}`));
      }
      yield taken();
    }
  }

  /** Reads a whole part. */
  whole<T>(name: string, reader: (parser: SaxesParser) => () => T): T | undefined {
    let last: T | undefined;
    for (const taken of this.read(name, reader)) last = taken;
    return last;
  }
}

const unreadable = (file: string, reason: string): Problem => ({
  code: 'unreadable-file',
  path: decodeURIComponent(file.split('/').at(-1) ?? file),
  reason,
});

/** Removes a namespace prefix, which writers can add to every name. */
export const removePrefix = (name: string): string => name.slice(name.indexOf(':') + 1);
export const attribute = (tag: SaxesTagPlain, name: string): string | undefined =>
  Object.entries(tag.attributes as Record<string, string>).find(([key]) => removePrefix(key) === name)?.[1];

function findSheet(archive: Archive, sheetName: string | undefined, file: string): { sheet: string; part: string; from1904: boolean } {
  const book = archive.whole('xl/workbook.xml', (parser) => {
    const found = { sheets: [] as { name: string; relation: string }[], from1904: false };
    parser.on('opentag', (tag) => {
      const name = removePrefix(tag.name);
      if (name === 'sheet') found.sheets.push({ name: attribute(tag, 'name') ?? '', relation: findRelation(tag) });
      else if (name === 'workbookPr') found.from1904 = ['1', 'true'].includes(attribute(tag, 'date1904') ?? '');
    });
    return () => found;
  });
  const targets = archive.whole('xl/_rels/workbook.xml.rels', (parser) => {
    const found = new Map<string, string>();
    parser.on('opentag', (tag) => {
      if (removePrefix(tag.name) === 'Relationship') found.set(attribute(tag, 'Id') ?? '', attribute(tag, 'Target') ?? '');
    });
    return () => found;
  });
  const sheets = book?.sheets ?? [];
  const sheet = sheetName === undefined ? sheets[0] : sheets.find(({ name }) => name === sheetName);
  if (!sheet) {
    if (sheetName === undefined) return throwProblem(unreadable(file, 'the workbook has no sheet'));
    const owner = decodeURIComponent(file.split('/').at(-1) ?? file);
    return throwProblem({ code: 'unknown-sheet', name: sheetName, owner, known: sheets.map(({ name }) => name) });
  }
  const target = targets?.get(sheet.relation) ?? '';
  return { sheet: sheet.name, part: target.startsWith('/') ? target.slice(1) : `xl/${target}`, from1904: book?.from1904 ?? false };
}

/** `r:id`, whatever the prefix: not the sheet's own `sheetId`. */
const findRelation = (tag: SaxesTagPlain): string =>
  Object.entries(tag.attributes as Record<string, string>).find(([key]) => key.includes(':') && removePrefix(key) === 'id')?.[1] ?? '';

/** Collects the text of `t` elements, but not that of phonetic runs. */
function createTextReader(parser: SaxesParser, isText: (name: string) => boolean): { take(): string; opened(name: string): void; closed(name: string): void } {
  let text = '';
  let phonetic = 0;
  let isInside = false;
  parser.on('text', (more) => {
    if (!isInside || phonetic > 0) return;
    text += more;
    if (text.length > MAX_TEXT_LENGTH) text = text.slice(0, MAX_TEXT_LENGTH + 1);
  });
  return {
    opened(name) {
      if (name === 'rPh') phonetic++;
      isInside = isText(name);
    },
    closed(name) {
      if (name === 'rPh') phonetic--;
      isInside = false;
    },
    take() {
      const whole = text;
      text = '';
      return whole;
    },
  };
}

/** The shared strings of a workbook. */
function readSharedTexts(archive: Archive): readonly string[] {
  const read = archive.whole('xl/sharedStrings.xml', (parser) => {
    const texts: string[] = [];
    const text = createTextReader(parser, (name) => name === 't');
    parser.on('opentag', (tag) => text.opened(removePrefix(tag.name)));
    parser.on('closetag', (tag) => {
      text.closed(removePrefix(tag.name));
      if (removePrefix(tag.name) === 'si') texts.push(text.take());
    });
    return () => texts;
  });
  return read ?? [];
}

/** What numbers of each style represent: by number for built-in formats, by letters for the others. */
function readNumberKinds(archive: Archive): readonly NumberKind[] {
  const read = archive.whole('xl/styles.xml', (parser) => {
    const own = new Map<number, NumberKind>();
    const kinds: NumberKind[] = [];
    let inCells = false;
    parser.on('opentag', (tag) => {
      const name = removePrefix(tag.name);
      if (name === 'numFmt') own.set(Number(attribute(tag, 'numFmtId')), classifyNumberFormat(attribute(tag, 'formatCode') ?? ''));
      else if (name === 'cellXfs') inCells = true;
      else if (name === 'xf' && inCells) {
        const format = Number(attribute(tag, 'numFmtId') ?? 0);
        kinds.push(own.get(format) ?? classifyBuiltInFormat(format));
      }
    });
    parser.on('closetag', (tag) => {
      if (removePrefix(tag.name) === 'cellXfs') inCells = false;
    });
    return () => kinds;
  });
  return read ?? [];
}

/** The rows of a sheet that are not empty, in batches. */
function* readSheetRows(archive: Archive, part: string, shared: Shared): Generator<WorkbookRow[]> {
  let ready: WorkbookRow[] = [];
  const taken = archive.read(part, (parser) => {
    let row = 0;
    let column = -1;
    let cells = new Map<number, WorkbookCell>();
    let type: string | undefined;
    let style = 0;
    /** The cell has a formula whose result has not been read yet. */
    let awaitsFormulaResult = false;
    const text = createTextReader(parser, (name) => name === 'v' || name === 't');
    parser.on('opentag', (tag) => {
      const name = removePrefix(tag.name);
      text.opened(name);
      if (name === 'row') {
        row = Number(attribute(tag, 'r') ?? row + 1);
        column = -1;
        cells = new Map();
      } else if (name === 'c') {
        const address = attribute(tag, 'r');
        column = address === undefined ? column + 1 : parseColumnNumber(address);
        type = attribute(tag, 't');
        style = Number(attribute(tag, 's') ?? 0);
        awaitsFormulaResult = false;
        text.take();
      } else if (name === 'f') awaitsFormulaResult = true;
      else if (name === 'v') awaitsFormulaResult = false;
    });
    parser.on('closetag', (tag) => {
      const name = removePrefix(tag.name);
      text.closed(name);
      if (name === 'row' && cells.size > 0) ready.push({ number: row, cells });
      if (name !== 'c') return;
      const cell = awaitsFormulaResult ? { error: undefined } : readCellValue(text.take(), type, style, shared);
      if (cell) cells.set(column, cell);
    });
    return () => undefined;
  });
  for (const _ of taken) {
    if (ready.length) yield ready;
    ready = [];
  }
}

/** The column number of an address, from 0: 27 for `AB12`. */
export function parseColumnNumber(address: string): number {
  let number = 0;
  for (const letter of address.replace(/\d+$/, '')) number = number * 26 + letter.charCodeAt(0) - 64;
  return number - 1;
}

function readCellValue(text: string, type: string | undefined, style: number, { texts, kinds, from1904 }: Shared): WorkbookCell | undefined {
  if (text === '') return undefined;
  if (text.length > MAX_TEXT_LENGTH) return { error: `a string of more than ${formatThousands(MAX_TEXT_LENGTH)} characters` };
  switch (type) {
    case 's': {
      const value = texts[Number(text)];
      return value === undefined || value.trim() === '' ? undefined : value.length > MAX_TEXT_LENGTH ? { error: 'a string that is too long' } : { value };
    }
    case 'e':
      return { error: text };
    case 'b':
      return { value: text === '1' || text === 'true' };
    case 'd':
      return { value: text.replace(/T00:00:00(?:\.0+)?Z?$/, '') };
    case 'str':
    case 'inlineStr':
      return text.trim() === '' ? undefined : { value: text };
    default: {
      const number = Number(text);
      const kind = kinds[style] ?? 'number';
      return { value: kind === 'number' || Number.isNaN(number) ? number : formatSerialDate(number, kind, from1904) };
    }
  }
}
