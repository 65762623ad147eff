import { findNearestName } from '../../problems/nearest-name.ts';
import { findInvalidOptions, isText, listOf, literalFalse, type OptionSpecs, oneOfSpecs, recordOf, text } from '../../problems/option-specs.ts';
import { throwProblem } from '../../problems/problem-error.ts';
import { advanceLocation, captureStack, type SourceLocation } from '../../problems/source-location.ts';
import { withOwnBase } from '../ambient-host.ts';
import type { Partition } from '../partition.ts';
import type { ExpansionContext, FileSource, RowBatches } from '../row.ts';
import { type CaseSource, CaseSourceImpl, type SharedChunks } from '../source.ts';
import { CellReader } from './cells.ts';
import { type Columns, describeCells, type RowOf, type StandardSchema } from './columns.ts';

/** Options for reading a data file. */
export interface DataFileOptions {
  /** The prefix of comment lines, which are ignored. Default: '#'. False: no comments. */
  comment?: string | false | undefined;
  /** The separator of cells. Default: ',' in CSV, a tab in TSV. */
  delimiter?: string | undefined;
  /** The sheet of a workbook. Default: the first one. */
  sheet?: string | undefined;
  /** The path to the list of rows in a JSON or YAML document: 'quotes.items'. Default: the document itself. */
  at?: string | undefined;
  /** Headings that nothing needs to read. Without it, `plan` lists unread columns. */
  ignore?: readonly string[] | undefined;
}

type Given = DataFileOptions & { columns?: Columns | undefined; schema?: StandardSchema<any> | undefined };

/** A schema can also be a function. */
function isSchema(value: unknown): boolean {
  return (typeof value === 'object' || typeof value === 'function') && value !== null && '~standard' in value;
}

const optionSpecs: OptionSpecs<Given> = {
  comment: oneOfSpecs('string or false', text, literalFalse),
  delimiter: text,
  sheet: text,
  at: text,
  ignore: listOf('headings', isText),
  columns: recordOf('a cell type, like cell.number, or a Standard Schema for each column', (column) => column instanceof CellReader || isSchema(column)),
  schema: { expected: 'Standard Schema', matches: isSchema },
};

/** Formats by file extension. */
const formats: Readonly<Record<string, 'csv' | 'tsv' | 'json' | 'jsonl' | 'yaml' | 'workbook'>> = {
  '.csv': 'csv',
  '.tsv': 'tsv',
  '.json': 'json',
  '.jsonl': 'jsonl',
  '.ndjson': 'jsonl',
  '.yaml': 'yaml',
  '.yml': 'yaml',
  '.xlsx': 'workbook',
};

// `NoInfer`: the row is that of the columns or of the schema, never of the place where the source is used.
/**
 * Create a case source from a data file: one row per record of a CSV, TSV, JSON, JSON Lines or YAML file, or of a workbook.
 *
 * A relative path starts at the folder of the test file that exports the test; where a body or a fixture reads the source, at the folder of
 * the file that calls `dataFile`. Without a path, the file is
 * `data/<slug of the test's title>.*` in that folder. With `columns`, cells are typed: an invalid cell is reported with file, line and
 * column, and makes only its own case errored. Without `columns`, every heading is a column of text. The
 * columns `(case)`, `(tags)`, `(skip)` and `(known failure)` name and annotate rows.
 *
 * ```ts
 * dataFile('data/dues.csv', { columns: { loa: cell.number, nights: cell.integer, due: cell.number } })
 * ```
 *
 * Plan errors: a missing file, an unknown extension, a missing or duplicate heading.
 */
export function dataFile<
  C extends Columns = {},
  Row extends object = string extends keyof C ? Record<string, string> : keyof C extends never ? Record<string, string> : RowOf<C>,
>(path: string | URL | undefined, options?: DataFileOptions & { columns?: C | undefined; schema?: StandardSchema<Row> | undefined }): CaseSource<NoInfer<Row>> {
  const given: Given = options ?? {};
  const origin = captureStack(dataFile, 1);
  return new CaseSourceImpl<Row>({
    description: path === undefined ? 'its data file' : path instanceof URL ? (path.pathname.split('/').at(-1) ?? path.href) : path,
    columns: given.columns && Object.keys(given.columns),
    cells: given.columns && describeCells(given.columns),
    isReplayable: true,
    problems: findInvalidOptions(given, optionSpecs, 'dataFile'),
    open: (expansion) => readDataFile(path, given, withOwnBase(expansion, origin)),
    openPartition: (expansion, share) => readShare(path, given, expansion, share),
  });
}

async function* readDataFile(path: string | URL | undefined, options: Given, expansion: ExpansionContext): RowBatches {
  const { format, url, open, comment, typed } = await openFile(path, options, expansion);
  // Each reader is loaded when a file of its format is read.
  if (format === 'workbook') {
    const { readWorkbook } = await import('./workbook.ts');
    yield* readWorkbook(open(), url.href, { sheet: options.sheet, comment }, typed, expansion.onWarning);
    return;
  }
  const text = decodeBytes(open, url);
  if (format === 'csv' || format === 'tsv') {
    const { readDelimited } = await import('./delimited.ts');
    yield* readDelimited(text, { name: url.href, delimiter: findDelimiter(format, options), comment }, typed, expansion.onWarning);
  } else if (format === 'jsonl') {
    const { readJsonLines } = await import('./json-lines.ts');
    yield* readJsonLines(text, url.href, comment, typed);
  } else {
    const { readDocument } = await import('./documents.ts');
    yield* readDocument(text, url.href, format, options.at, typed);
  }
}

/** Reads a partition of a file whose cells can be read individually. */
async function readShare(path: string | URL | undefined, options: Given, expansion: ExpansionContext, share: Partition): Promise<SharedChunks | undefined> {
  const { format, url, open, comment, typed } = await openFile(path, options, expansion);
  if (format !== 'csv' && format !== 'tsv') return undefined;
  const { openPartition } = await import('./delimited.ts');
  return openPartition(decodeBytes(open, url), { name: url.href, delimiter: findDelimiter(format, options), comment }, typed, expansion.onWarning, share);
}

async function openFile(path: string | URL | undefined, options: Given, expansion: ExpansionContext) {
  const { url, files } = await findFile(path, expansion);
  const format = formats[findExtension(url.pathname)];
  if (!format) return throwProblem({ code: 'unknown-format', path: formatFileName(url), known: Object.keys(formats) });
  // Every line starts with an empty string, so that it cannot be a prefix.
  const comment = options.comment === undefined ? '#' : options.comment || undefined;
  return { format, url, comment, open: (): Bytes => bytesOf(files, url), typed: { columns: options.columns, schema: options.schema, ignore: options.ignore } };
}

function findDelimiter(format: 'csv' | 'tsv', options: Given): string {
  const delimiter = options.delimiter ?? (format === 'tsv' ? '\t' : ',');
  if (/^$|["\r\n]/.test(delimiter))
    throwProblem({ code: 'invalid-type', expected: 'delimiter', got: JSON.stringify(delimiter), owner: 'the options of dataFile' });
  return delimiter;
}

/** The file's name, for messages. */
const formatFileName = (url: URL): string => decodeURIComponent(url.pathname.split('/').at(-1) ?? '');
const findExtension = (path: string): string => /\.[^./]+$/.exec(path)?.[0].toLowerCase() ?? '';

async function findFile(path: string | URL | undefined, { base, slug, files }: ExpansionContext): Promise<{ url: URL; files: FileSource }> {
  if (!files || !(base || path instanceof URL)) return throwProblem({ code: 'no-file-source', path: path === undefined ? `data/${slug}.*` : String(path) });
  if (path instanceof URL) return { url: path, files };
  // In a file name, `#` and `?` have no special meaning.
  const at = (relative: string): URL => new URL(relative.replaceAll('%', '%25').replaceAll('#', '%23').replaceAll('?', '%3F').replaceAll('\\', '/'), base);
  const url = at(path ?? `data/${slug}`);
  const folder = new URL('.', url);
  const name = formatFileName(url);
  if (!files.list) return path === undefined ? throwProblem({ code: 'no-file-list', path: `data/${slug}.*` }) : { url, files };
  const names = await files.list(folder);
  const fits =
    path === undefined
      ? names.filter((other) => findExtension(other) in formats && other.slice(0, -findExtension(other).length) === name)
      : names.filter((other) => other === name);
  if (fits.length > 1) return throwProblem({ code: 'ambiguous-file', path: `data/${slug}.*`, files: fits });
  if (fits.length) return { url: new URL(encodeURIComponent(fits[0] as string), folder), files };
  const near = findNearestName(name, names);
  return throwProblem({ code: 'missing-file', path: path ?? `data/${slug}.*`, near: near ? [near] : [] });
}

async function* bytesOf(files: FileSource, url: URL): AsyncGenerator<Uint8Array> {
  try {
    yield* files.read(url);
  } catch (error) {
    const isMissing = (error as { code?: unknown }).code === 'ENOENT';
    throwProblem({ code: 'unreadable-file', path: formatFileName(url), reason: isMissing ? `nothing found at ${url.href}` : findReason(error) });
  }
}

/** The reason of a failed request is often only in its cause. */
const findReason = (error: unknown): string => {
  if (!(error instanceof Error)) return String(error);
  return error.cause instanceof Error ? `${error.message}: ${error.cause.message}` : error.message;
};

type Bytes = AsyncIterable<Uint8Array>;

/** Decodes the text of a file: UTF-8, or UTF-16 if it starts with a byte order mark. */
async function* decodeBytes(open: () => Bytes, url: URL): AsyncGenerator<string> {
  let decoder: TextDecoder | undefined;
  try {
    for await (const chunk of open()) {
      decoder ??= new TextDecoder(detectEncoding(chunk), { fatal: true });
      const text = decoder.decode(chunk, { stream: true });
      if (text.includes('\0')) throwProblem({ code: 'unexpected-nul', at: await findPlace('\0', open(), decoder.encoding, url.href) });
      yield text;
    }
    yield decoder?.decode() ?? '';
  } catch (error) {
    if (!decoder || !(error instanceof TypeError)) throw error;
    const { encoding } = decoder;
    throwProblem({ code: 'invalid-encoding', encoding, at: await findPlace('\uFFFD', open(), encoding, url.href) });
  }
}

const detectEncoding = ([first, second]: Uint8Array): string =>
  first === 0xff && second === 0xfe ? 'utf-16le' : first === 0xfe && second === 0xff ? 'utf-16be' : 'utf-8';

/** The location of the first occurrence of a character. U+FFFD represents invalid bytes. */
async function findPlace(sign: string, bytes: Bytes, encoding: string, file: string): Promise<SourceLocation> {
  const decoder = new TextDecoder(encoding);
  let place: SourceLocation = { file, line: 1, column: 1 };
  for await (const chunk of bytes) {
    const text = decoder.decode(chunk, { stream: true });
    const at = text.indexOf(sign);
    place = advanceLocation(place, at < 0 ? text : text.slice(0, at));
    if (at >= 0) break;
  }
  return place;
}
