import type { Problem } from '../../problems/problem.ts';
import { refuse } from '../../problems/problem-error.ts';
import { objectMaker } from '../object-maker.ts';
import type { Entry } from '../row.ts';
import type { Share } from '../share.ts';
import type { SharedChunk } from '../source.ts';
import type { Typed } from './columns.ts';
import { type Choosing, type CsvFile, type CsvRecord, type Cut, csvRecords, isChosen } from './csv.ts';
import { type Indexed, readHeadings } from './headings.ts';
import { type ReadRow, rowReader } from './row-reader.ts';
import { enoughRecords, Sharing } from './sharing.ts';
import { all, brokenEntry, entryOf, type Layout, typeRecord } from './typing.ts';

type Remark = ((problem: Problem) => void) | undefined;

/** Reads CSV or TSV: the first record is the headings. */
export async function* readDelimited(text: AsyncIterable<string>, file: CsvFile, typed: Typed, remark: Remark): AsyncGenerator<readonly Entry[]> {
  let layout: Delimited | undefined;
  for await (let { records } of csvRecords(text, file)) {
    if (!layout) {
      layout = layoutOf(records[0] as CsvRecord, typed, remark);
      records = records.slice(1);
    }
    if (records.length > 0) yield readRecords(records, layout);
  }
  if (!layout) noHeadings(file);
}

/** The same, of one share; none where the values of no column share the rows out. */
export async function openShare(
  text: AsyncIterable<string>,
  file: CsvFile,
  typed: Typed,
  remark: Remark,
  share: Share,
): Promise<AsyncGenerator<SharedChunk> | undefined> {
  const choosing: Choosing = {};
  const source = csvRecords(text, file, choosing);
  const first: CsvRecord[] = [];
  while (first.length <= enoughRecords) {
    const { value, done } = await source.next();
    if (done) break;
    first.push(...value.records);
  }
  const [header, ...records] = first;
  const layout = header ? layoutOf(header, typed, remark) : noHeadings(file);
  const sharing = typed.schema ? undefined : Sharing.by(layout.columns, records, share);
  if (!sharing) {
    await source.return(undefined);
    return undefined;
  }
  choosing.choice = sharing;
  return (async function* () {
    const own = records.filter((record) => isChosen(record, sharing));
    yield chunkOf({ records: own, read: first.length }, layout);
    for await (const cut of source) yield chunkOf(cut, layout);
  })();
}

/** The headings are a record, too, and no row. */
async function chunkOf({ records, read }: Cut, layout: Delimited): Promise<SharedChunk> {
  return { entries: await readRecords(records, layout), ordinals: records.map(({ number }) => number - 1), rows: read - 1 };
}

const noHeadings = ({ name }: CsvFile): never => refuse({ code: 'no-header', at: { file: name, line: 1, column: 1 } });

function layoutOf(header: CsvRecord, { columns: wanted, schema }: Typed, remark: Remark): Delimited {
  const columns = readHeadings(header.cells, wanted, (index) => header.placeOfCell(index).place, remark);
  const width = Math.max(...columns.map(({ index }) => index)) + 1;
  return {
    columns,
    width,
    headings: header.cells.length,
    needsValues: columns.some(({ reads }) => reads.as === 'cell' && reads.reader.whenEmpty.is === 'error'),
    schema,
    readRow: schema ? undefined : rowReader(columns),
    makeRow: objectMaker(columns.map(({ property, reads }) => (reads.as === 'mark' ? undefined : property))),
  };
}

const readRecords = (records: readonly CsvRecord[], layout: Delimited): readonly Entry[] | Promise<readonly Entry[]> =>
  all(records.map((record) => readRecord(record, layout)));

interface Delimited extends Layout<Indexed> {
  /** Up to the last column that is read. */
  readonly width: number;
  readonly headings: number;
  /** Some cell must not be empty. */
  readonly needsValues: boolean;
  /** None where a schema is asked about the whole row. */
  readonly readRow: ReadRow | undefined;
}

function readRecord(record: CsvRecord, layout: Delimited): Entry | Promise<Entry> {
  if (record.unclosed) return broken(record, { code: 'unclosed-quote', at: { ...record.place, column: record.raw.indexOf('"') + 1 } });
  const { cells } = record;
  // Blank cells at the end are what spreadsheets leave behind.
  const isOdd = cells.length < layout.width || (cells.length > layout.headings && cells.slice(layout.headings).some((cell) => cell.trim() !== ''));
  if (isOdd) return broken(record, { code: 'record-length-mismatch', cells: cells.length, columns: layout.headings, at: record.place });
  const row = layout.readRow?.(cells);
  if (row) return entryOf(record, row);
  if (layout.needsValues && isEmpty(record)) return broken(record, { code: 'empty-record', at: record.place });
  return typeRecord(record, layout);
}

/** Nothing but delimiters, and no empty text that somebody meant. */
const isEmpty = ({ cells, raw }: CsvRecord): boolean => cells.every((cell) => cell.trim() === '') && !raw.includes('"');

/** Without values, its line is all that names it. */
const broken = (record: CsvRecord, problem: Problem): Entry => brokenEntry(`line ${record.line}`, record, problem);
