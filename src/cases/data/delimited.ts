import { type Problem, refuse } from '../../problems/problem.ts';
import type { Entry } from '../row.ts';
import type { Share } from '../share.ts';
import type { Typed } from './columns.ts';
import { type CsvFile, type CsvRecord, csvRecords } from './csv.ts';
import { type Indexed, readHeadings } from './headings.ts';
import { rowMaker } from './row-maker.ts';
import { enoughRecords, Sharing } from './sharing.ts';
import { type Layout, typeRecord } from './typing.ts';

type Remark = ((problem: Problem) => void) | undefined;

/** Reads CSV or TSV: the first record is the headings. */
export async function* readDelimited(text: AsyncIterable<string>, file: CsvFile, typed: Typed, remark: Remark): AsyncGenerator<readonly Entry[]> {
  let layout: Delimited | undefined;
  for await (let records of csvRecords(text, file)) {
    if (!layout) {
      layout = layoutOf(records[0] as CsvRecord, typed, remark);
      records = records.slice(1);
    }
    const laidOut = layout;
    const entries = records.map((record) => readRecord(record, laidOut));
    if (entries.length) yield settled(entries);
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
): Promise<AsyncGenerator<readonly (Entry | undefined)[]> | undefined> {
  const source = csvRecords(text, file);
  const first: CsvRecord[] = [];
  while (first.length <= enoughRecords) {
    const { value, done } = await source.next();
    if (done) break;
    first.push(...value);
  }
  const [header, ...records] = first;
  const layout = header ? layoutOf(header, typed, remark) : noHeadings(file);
  const sharing = typed.schema ? undefined : Sharing.by(layout.columns, records, share);
  if (!sharing) {
    await source.return(undefined);
    return undefined;
  }
  const own = (some: readonly CsvRecord[]) => settled(some.map((record) => (sharing.has(record) ? readRecord(record, layout) : undefined)));
  return (async function* () {
    yield own(records);
    for await (const some of source) yield own(some);
  })();
}

const noHeadings = ({ name }: CsvFile): never => refuse({ code: 'no-header', at: { file: name, line: 1, column: 1 } });

function layoutOf(header: CsvRecord, { columns: wanted, schema }: Typed, remark: Remark): Delimited {
  const columns = readHeadings(header.cells, wanted, (index) => header.placeOfCell(index).place, remark);
  return { columns, width: Math.max(...columns.map(({ index }) => index)) + 1, schema, makeRow: rowMaker(columns) };
}

/** As they are, where none takes its time. */
const settled = <T extends Entry | undefined>(entries: readonly (T | Promise<T>)[]): readonly T[] | Promise<T[]> =>
  entries.some((entry) => entry instanceof Promise) ? Promise.all(entries) : (entries as readonly T[]);

interface Delimited extends Layout<Indexed> {
  /** Up to the last column that is read. */
  readonly width: number;
}

function readRecord(record: CsvRecord, layout: Delimited): Entry | Promise<Entry> {
  if (record.unclosed) return broken(record, { code: 'unclosed-quote', at: { ...record.place, column: record.raw.indexOf('"') + 1 } });
  const cells = record.cells.length;
  return cells < layout.width ? broken(record, { code: 'record-length', cells, columns: layout.width, at: record.place }) : typeRecord(record, layout);
}

/** Without values, its line is all that names it. */
const broken = ({ place, lines }: CsvRecord, problem: Problem): Entry => ({ row: {}, name: `line ${place.line}`, place, lines, problems: [problem] });
