import { nearest } from '../problems/nearest.ts';
import { type Problem, ProblemError, refuse } from '../problems/problem.ts';
import { type Cell, type CellReader, cell } from './cells.ts';
import { type CsvRecord, csvRecords, placeOfCell } from './csv.ts';
import type { RowMarks } from './marks.ts';
import type { Chunks, Entry, Expansion, FileReader } from './row.ts';
import { type CaseSource, Cases, type Flat } from './source.ts';

/** The part of the Standard Schema specification that is used: https://standardschema.dev */
export interface StandardSchema<Out> {
  readonly '~standard': {
    readonly version: 1;
    readonly vendor: string;
    validate(value: unknown): unknown;
    readonly types?: { readonly input: any; readonly output: Out } | undefined;
  };
}

export type Columns = Readonly<Record<string, Cell<any> | StandardSchema<any>>>;
type Optional<C> = { [K in keyof C]: C[K] extends { readonly absent: true } ? K : never }[keyof C];
type CellValue<T> = T extends Cell<infer V> ? V : T extends StandardSchema<infer V> ? V : never;
export type RowOf<C> = Flat<{ [K in Exclude<keyof C, Optional<C>>]: CellValue<C[K]> } & { [K in Optional<C>]?: CellValue<C[K]> }>;

export interface DataFileOptions {
  /** Lines that start so are left out; '#' unless said otherwise, false for none. */
  comment?: string | false | undefined;
  delimiter?: string | undefined;
  /** A workbook's sheet; its first unless said otherwise. */
  sheet?: string | undefined;
  /** The path to the list inside a JSON or YAML document: 'quotes.items'. */
  at?: string | undefined;
}

type Given = DataFileOptions & { columns?: Columns | undefined; schema?: StandardSchema<any> | undefined };

/** Formats by the ending of the file's name. */
const delimiters: Readonly<Record<string, string>> = { '.csv': ',', '.tsv': '\t' };

/**
 * A row for each record of a data file.
 *
 * A relative path starts at the folder of the test file that exports the test; without a path, the file is
 * `data/<the test's title as a slug>.*` there. With `columns`, cells are typed: a cell that is not what its column says makes
 * its own case errored, with file, line and column, and the others run. Without, all headings are columns of text. The
 * columns `(case)`, `(tags)`, `(skip)` and `(known)` name and mark rows.
 *
 * Errors of the plan: no such file, an unknown ending, a heading that is missing or stands twice.
 */
export function dataFile<
  C extends Columns = {},
  Row extends object = string extends keyof C ? Record<string, string> : keyof C extends never ? Record<string, string> : RowOf<C>,
>(path: string | URL | undefined, options?: DataFileOptions & { columns?: C | undefined; schema?: StandardSchema<Row> | undefined }): CaseSource<Row> {
  const given: Given = options ?? {};
  const problems: Problem[] = [];
  if (given.schema) problems.push({ code: 'not-yet', what: 'dataFile: schema' });
  for (const [name, column] of Object.entries(given.columns ?? {}))
    if (!('read' in column)) problems.push({ code: 'not-yet', what: `dataFile: a schema for column \`${name}\`` });
  return new Cases<Row>({
    what: path === undefined ? 'its data file' : path instanceof URL ? (path.pathname.split('/').at(-1) ?? path.href) : path,
    columns: given.columns && Object.keys(given.columns),
    problems,
    open: (expansion) => readDataFile(path, given, expansion),
  });
}

async function* readDataFile(path: string | URL | undefined, options: Given, expansion: Expansion): Chunks {
  const { url, files } = await findFile(path, expansion);
  const ending = endingOf(url.pathname);
  const delimiter = options.delimiter ?? delimiters[ending];
  if (!(ending in delimiters) || delimiter === undefined) return refuse({ code: 'unknown-format', path: nameOf(url), known: Object.keys(delimiters) });
  const comment = options.comment === false ? undefined : (options.comment ?? '#');
  let header: Heading[] | undefined;
  for await (let records of csvRecords(decoded(files.read(url), url), { delimiter, comment })) {
    if (!header) {
      header = readHeader(records[0] as CsvRecord, options.columns, url, delimiter);
      records = records.slice(1);
    }
    if (records.length) yield records.map((record) => readRecord(record, header as Heading[], url, delimiter));
  }
  if (!header) refuse({ code: 'no-header', at: { file: url.href, line: 1, column: 1 } });
}

/** The file's own name, for messages. */
const nameOf = (url: URL): string => decodeURIComponent(url.pathname.split('/').at(-1) ?? '');
const endingOf = (path: string): string => /\.[^./]+$/.exec(path)?.[0].toLowerCase() ?? '';

async function findFile(path: string | URL | undefined, { base, slug, files }: Expansion): Promise<{ url: URL; files: FileReader }> {
  if (!files) return refuse({ code: 'no-file-reader', path: path === undefined ? `data/${slug}.*` : String(path) });
  if (path instanceof URL) return { url: path, files };
  const from = base ?? new URL('file:///');
  // A '#' or a '?' in a file's name is a character like any other.
  const at = (relative: string): URL => new URL(relative.replaceAll('%', '%25').replaceAll('#', '%23').replaceAll('?', '%3F').replaceAll('\\', '/'), from);
  const url = at(path ?? `data/${slug}`);
  const folder = new URL('.', url);
  const name = nameOf(url);
  const names = await files.names(folder);
  const fits =
    path === undefined
      ? names.filter((other) => endingOf(other) in delimiters && other.slice(0, -endingOf(other).length) === name)
      : names.filter((other) => other === name);
  if (fits.length) return { url: new URL(encodeURIComponent(fits[0] as string), folder), files };
  const near = nearest(name, names);
  return refuse({ code: 'missing-file', path: path ?? `data/${slug}.*`, near: near ? [near] : [] });
}

/** The text of a file: UTF-8, or UTF-16 where its first bytes say so. */
async function* decoded(bytes: AsyncIterable<Uint8Array>, url: URL): AsyncGenerator<string> {
  let decoder: TextDecoder | undefined;
  const decode = (piece?: Uint8Array): string => {
    try {
      return piece ? (decoder as TextDecoder).decode(piece, { stream: true }) : (decoder?.decode() ?? '');
    } catch {
      return refuse({ code: 'unreadable-file', path: nameOf(url), reason: `it is not a text in ${decoder?.encoding}` });
    }
  };
  try {
    for await (const piece of bytes) {
      decoder ??= new TextDecoder(piece[0] === 0xff && piece[1] === 0xfe ? 'utf-16le' : piece[0] === 0xfe && piece[1] === 0xff ? 'utf-16be' : 'utf-8', {
        fatal: true,
      });
      yield decode(piece);
    }
    yield decode();
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    refuse({ code: 'unreadable-file', path: nameOf(url), reason: error instanceof Error ? error.message : String(error) });
  }
}

type Special = 'name' | 'tags' | 'skip' | 'known';
const specials: Readonly<Record<string, Special>> = { '(case)': 'name', '(tags)': 'tags', '(skip)': 'skip', '(known)': 'known' };

/** What one column of the file is for. */
interface Heading {
  readonly index: number;
  readonly property: string;
  readonly reader: CellReader<unknown>;
  readonly special?: Special | undefined;
}

const plainText = cell.text.or('') as unknown as CellReader<unknown>;

function readHeader(record: CsvRecord, columns: Columns | undefined, url: URL, delimiter: string): Heading[] {
  const headings = record.cells.map((text) => text.trim());
  const at = (index: number) => {
    const { line, column } = placeOfCell(record, index, delimiter);
    return { file: url.href, line, column };
  };
  const problems: Problem[] = [];
  headings.forEach((heading, index) => {
    if (headings.indexOf(heading) !== index) problems.push({ code: 'repeated-column', column: heading, source: 'the headings', at: at(index) });
  });
  const found: Heading[] = [];
  headings.forEach((heading, index) => {
    const special = specials[heading];
    if (special) found.push({ index, property: special, special, reader: plainText });
  });
  const plain = headings.filter((heading) => !Object.hasOwn(specials, heading));
  if (columns) {
    for (const [property, column] of Object.entries(columns)) {
      const reader = column as unknown as CellReader<unknown>;
      const heading = reader.heading ?? property;
      const index = headings.indexOf(heading);
      if (index < 0) problems.push({ code: 'missing-column', column: heading, known: plain, at: at(0) });
      else found.push({ index, property, reader });
    }
  } else {
    for (const heading of plain) found.push({ index: headings.indexOf(heading), property: heading, reader: plainText });
  }
  if (problems.length) throw new ProblemError(problems);
  return found;
}

const edge = /^\s|\s$/;

function readRecord(record: CsvRecord, headings: readonly Heading[], url: URL, delimiter: string): Entry {
  const properties: [string, unknown][] = [];
  const problems: Problem[] = [];
  const marks: RowMarks = {};
  let name: string | undefined;
  const place = (index: number) => placeOfCell(record, index, delimiter);
  const width = Math.max(...headings.map(({ index }) => index)) + 1;
  if (record.unclosed) problems.push({ code: 'unclosed-quote', at: { file: url.href, line: record.line, column: record.raw.indexOf('"') + 1 } });
  else if (record.cells.length < width)
    problems.push({ code: 'record-length', cells: record.cells.length, columns: width, at: { file: url.href, line: record.line, column: 1 } });
  else {
    for (const { index, property, reader, special } of headings) {
      let text = record.cells[index] as string;
      if (edge.test(text) && !place(index).quoted) text = text.trim();
      const { whenEmpty } = reader;
      if (special) {
        if (text === '') continue;
        if (special === 'name') name = text;
        else if (special === 'tags') marks.tags = text.split(/[\s,;]+/).filter(Boolean);
        else if (special === 'skip') marks.skip = text;
        else marks.knownFailure = text;
      } else if (text === '' && whenEmpty.is === 'value') properties.push([property, whenEmpty.value]);
      else if (text === '' && whenEmpty.is === 'absent') continue;
      else if (text === '' && !place(index).quoted)
        problems.push({ code: 'empty-cell', column: property, wanted: reader.kind, at: { file: url.href, ...lineAndColumn(place(index)) } });
      else {
        const reading = reader.read(text);
        if ('value' in reading) properties.push([property, reading.value]);
        else {
          properties.push([property, text]);
          problems.push({
            code: 'bad-cell',
            column: property,
            text,
            wanted: reader.kind,
            hint: reading.hint,
            at: { file: url.href, ...lineAndColumn(place(index)) },
          });
        }
      }
    }
  }
  return {
    row: Object.fromEntries(properties),
    name,
    marks: Object.keys(marks).length ? marks : undefined,
    place: { file: url.href, line: record.line, column: 1 },
    lines: record.raw.includes('\n') ? record.raw.split('\n').length : undefined,
    problems: problems.length ? problems : undefined,
  };
}

const lineAndColumn = ({ line, column }: { line: number; column: number }): { line: number; column: number } => ({ line, column });
