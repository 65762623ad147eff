import type { Problem } from '../../problems/problem.ts';
import { throwProblem } from '../../problems/problem-error.ts';
import { compileObjectFactory } from '../object-maker.ts';
import type { Partition } from '../partition.ts';
import type { RowEntry } from '../row.ts';
import type { SharedChunk } from '../source.ts';
import type { RowTyping } from './columns.ts';
import { type CsvFile, type CsvRecord, isChosen, type RecordBatch, type RecordFilterSlot, readCsvRecords } from './csv.ts';
import { type IndexedColumn, readHeadings } from './headings.ts';
import { KeyPartitioner, MIN_RECORDS } from './key-partitioner.ts';
import { compileRowReader, type ReadRow } from './row-reader.ts';
import { buildEntry, buildInvalidEntry, convertRecord, type Layout, settleAll } from './typing.ts';

type Remark = ((problem: Problem) => void) | undefined;

/** Reads CSV or TSV. The first record contains the headings. */
export async function* readDelimited(text: AsyncIterable<string>, file: CsvFile, typed: RowTyping, onWarning: Remark): AsyncGenerator<readonly RowEntry[]> {
  let layout: DelimitedLayout | undefined;
  for await (let { records } of readCsvRecords(text, file)) {
    if (!layout) {
      layout = buildLayout(records[0] as CsvRecord, typed, onWarning);
      records = records.slice(1);
    }
    if (records.length > 0) yield readRecords(records, layout);
  }
  if (!layout) noHeadings(file);
}

/** Reads one partition. Undefined if no column is suitable for partitioning. */
export async function openPartition(
  text: AsyncIterable<string>,
  file: CsvFile,
  typed: RowTyping,
  onWarning: Remark,
  share: Partition,
): Promise<AsyncGenerator<SharedChunk> | undefined> {
  const choosing: RecordFilterSlot = {};
  const source = readCsvRecords(text, file, choosing);
  const first: CsvRecord[] = [];
  while (first.length <= MIN_RECORDS) {
    const { value, done } = await source.next();
    if (done) break;
    first.push(...value.records);
  }
  const [header, ...records] = first;
  const layout = header ? buildLayout(header, typed, onWarning) : noHeadings(file);
  const sharing = typed.schema ? undefined : KeyPartitioner.find(layout.columns, records, share);
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

/** The headings are a record too, but not a row. */
async function buildBatch({ records, read }: RecordBatch, layout: DelimitedLayout): Promise<SharedChunk> {
  return { entries: await readRecords(records, layout), ordinals: records.map(({ number }) => number - 1), rows: read - 1 };
}

const noHeadings = ({ name }: CsvFile): never => throwProblem({ code: 'no-header', at: { file: name, line: 1, column: 1 } });

function buildLayout(header: CsvRecord, { columns: columnTypes, schema, ignore }: RowTyping, onWarning: Remark): DelimitedLayout {
  const columns = readHeadings(header.cells, columnTypes, (index) => header.placeOfCell(index).location, onWarning, ignore);
  const width = Math.max(...columns.map(({ index }) => index)) + 1;
  return {
    columns,
    width,
    headings: header.cells.length,
    needsValues: columns.some(({ reads }) => reads.as === 'cell' && reads.reader.emptyPolicy.kind === 'error'),
    schema,
    readRow: schema ? undefined : compileRowReader(columns),
    makeRow: compileObjectFactory(columns.map(({ property, reads }) => (reads.as === 'mark' ? undefined : property))),
  };
}

const readRecords = (records: readonly CsvRecord[], layout: DelimitedLayout): readonly RowEntry[] | Promise<readonly RowEntry[]> =>
  settleAll(records.map((record) => readRecord(record, layout)));

interface DelimitedLayout extends Layout<IndexedColumn> {
  /** The number of cells up to the last column that is read. */
  readonly width: number;
  readonly headings: number;
  /** Some column does not allow empty cells. */
  readonly needsValues: boolean;
  /** Undefined if a schema validates the whole row. */
  readonly readRow: ReadRow | undefined;
}

function readRecord(record: CsvRecord, layout: DelimitedLayout): RowEntry | Promise<RowEntry> {
  if (record.unclosed) return buildInvalidRecord(record, { code: 'unclosed-quote', at: { ...record.location, column: record.raw.indexOf('"') + 1 } });
  const { cells } = record;
  // Spreadsheets leave blank cells at the end of records.
  const hasWrongFieldCount = cells.length < layout.width || (cells.length > layout.headings && cells.slice(layout.headings).some((cell) => cell.trim() !== ''));
  if (hasWrongFieldCount)
    return buildInvalidRecord(record, { code: 'record-length-mismatch', cells: cells.length, columns: layout.headings, at: record.location });
  const row = layout.readRow?.(cells);
  if (row) return buildEntry(record, row);
  if (layout.needsValues && isEmpty(record)) return buildInvalidRecord(record, { code: 'empty-record', at: record.location });
  return convertRecord(record, layout);
}

/** Whether a record contains only delimiters and no quoted empty text. */
const isEmpty = ({ cells, raw }: CsvRecord): boolean => cells.every((cell) => cell.trim() === '') && !raw.includes('"');

/** Without values, only its line can name it. */
const buildInvalidRecord = (record: CsvRecord, problem: Problem): RowEntry => buildInvalidEntry(`line ${record.line}`, record, problem);
