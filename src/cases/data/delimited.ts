import type { Problem } from '../../problems/problem.ts';
import { refuse } from '../../problems/problem-error.ts';
import { compileObjectFactory } from '../object-maker.ts';
import type { Partition } from '../partition.ts';
import type { RowEntry } from '../row.ts';
import type { SharedChunk } from '../source.ts';
import type { RowTyping } from './columns.ts';
import { type CsvFile, type CsvRecord, csvRecords, isChosen, type RecordBatch, type RecordFilterSlot } from './csv.ts';
import { type IndexedColumn, readHeadings } from './headings.ts';
import { KeyPartitioner, MIN_RECORDS } from './key-partitioner.ts';
import { compileRowReader, type ReadRow } from './row-reader.ts';
import { brokenEntry, buildEntry, type Layout, settleAll, typeRecord } from './typing.ts';

type Remark = ((problem: Problem) => void) | undefined;

/** Reads CSV or TSV: the first record is the headings. */
export async function* readDelimited(text: AsyncIterable<string>, file: CsvFile, typed: RowTyping, remark: Remark): AsyncGenerator<readonly RowEntry[]> {
  let layout: DelimitedLayout | undefined;
  for await (let { records } of csvRecords(text, file)) {
    if (!layout) {
      layout = buildLayout(records[0] as CsvRecord, typed, remark);
      records = records.slice(1);
    }
    if (records.length > 0) yield readRecords(records, layout);
  }
  if (!layout) noHeadings(file);
}

/** The same, of one share; none where the values of no column share the rows out. */
export async function openPartition(
  text: AsyncIterable<string>,
  file: CsvFile,
  typed: RowTyping,
  remark: Remark,
  share: Partition,
): Promise<AsyncGenerator<SharedChunk> | undefined> {
  const choosing: RecordFilterSlot = {};
  const source = csvRecords(text, file, choosing);
  const first: CsvRecord[] = [];
  while (first.length <= MIN_RECORDS) {
    const { value, done } = await source.next();
    if (done) break;
    first.push(...value.records);
  }
  const [header, ...records] = first;
  const layout = header ? buildLayout(header, typed, remark) : noHeadings(file);
  const sharing = typed.schema ? undefined : KeyPartitioner.by(layout.columns, records, share);
  if (!sharing) {
    await source.return(undefined);
    return undefined;
  }
  choosing.choice = sharing;
  return (async function* () {
    const own = records.filter((record) => isChosen(record, sharing));
    yield buildBatch({ records: own, read: first.length }, layout);
    for await (const cut of source) yield buildBatch(cut, layout);
  })();
}

/** The headings are a record, too, and no row. */
async function buildBatch({ records, read }: RecordBatch, layout: DelimitedLayout): Promise<SharedChunk> {
  return { entries: await readRecords(records, layout), ordinals: records.map(({ number }) => number - 1), rows: read - 1 };
}

const noHeadings = ({ name }: CsvFile): never => refuse({ code: 'no-header', at: { file: name, line: 1, column: 1 } });

function buildLayout(header: CsvRecord, { columns: wanted, schema, ignore }: RowTyping, remark: Remark): DelimitedLayout {
  const columns = readHeadings(header.cells, wanted, (index) => header.placeOfCell(index).place, remark, ignore);
  const width = Math.max(...columns.map(({ index }) => index)) + 1;
  return {
    columns,
    width,
    headings: header.cells.length,
    needsValues: columns.some(({ reads }) => reads.as === 'cell' && reads.reader.emptyPolicy.is === 'error'),
    schema,
    readRow: schema ? undefined : compileRowReader(columns),
    makeRow: compileObjectFactory(columns.map(({ property, reads }) => (reads.as === 'mark' ? undefined : property))),
  };
}

const readRecords = (records: readonly CsvRecord[], layout: DelimitedLayout): readonly RowEntry[] | Promise<readonly RowEntry[]> =>
  settleAll(records.map((record) => readRecord(record, layout)));

interface DelimitedLayout extends Layout<IndexedColumn> {
  /** Up to the last column that is read. */
  readonly width: number;
  readonly headings: number;
  /** Some cell must not be empty. */
  readonly needsValues: boolean;
  /** None where a schema is asked about the whole row. */
  readonly readRow: ReadRow | undefined;
}

function readRecord(record: CsvRecord, layout: DelimitedLayout): RowEntry | Promise<RowEntry> {
  if (record.unclosed) return invalidRecord(record, { code: 'unclosed-quote', at: { ...record.place, column: record.raw.indexOf('"') + 1 } });
  const { cells } = record;
  // Blank cells at the end are what spreadsheets leave behind.
  const hasWrongFieldCount = cells.length < layout.width || (cells.length > layout.headings && cells.slice(layout.headings).some((cell) => cell.trim() !== ''));
  if (hasWrongFieldCount) return invalidRecord(record, { code: 'record-length-mismatch', cells: cells.length, columns: layout.headings, at: record.place });
  const row = layout.readRow?.(cells);
  if (row) return buildEntry(record, row);
  if (layout.needsValues && isEmpty(record)) return invalidRecord(record, { code: 'empty-record', at: record.place });
  return typeRecord(record, layout);
}

/** Nothing but delimiters, and no empty text that somebody meant. */
const isEmpty = ({ cells, raw }: CsvRecord): boolean => cells.every((cell) => cell.trim() === '') && !raw.includes('"');

/** Without values, its line is all that names it. */
const invalidRecord = (record: CsvRecord, problem: Problem): RowEntry => brokenEntry(`line ${record.line}`, record, problem);
