import type { TableRow } from '../checks/writable.ts';
import type { RecordedResult, TestHeader } from '../results/recorded-result.ts';
import type { CellChange, FileChange, Refusal } from './change.ts';

const testFile = /\.[cm]?[jt]sx?$/;

/** A result with its test. */
export interface TestedResult {
  readonly header: TestHeader;
  readonly result: RecordedResult;
}

/** The changes that failed cases request. */
export interface Collected {
  readonly changes: readonly CellChange[];
  readonly files: readonly FileChange[];
  readonly refused: readonly Refusal[];
}

interface PendingChange extends CellChange {
  readonly cases: string[];
  /** Another case requests another value. */
  conflict?: CellChange | undefined;
}

/**
 * Collects the cells that failed cases would change: each column in which `check.columns` found a difference. Two cases that request
 * different values for one cell are refused.
 */
export function collectChanges(results: Iterable<TestedResult>, isWanted: (column: string) => boolean): Collected {
  const byCell = new Map<string, PendingChange>();
  const refused: Refusal[] = [];
  const files: FileChange[] = [];
  for (const { header, result } of results) {
    if (result.status !== 'failed') continue;
    const title = `${header.file} › ${result.title}`;
    for (const { columns = [], tableRow, differingFile } of result.failures) {
      const attached = differingFile && result.attachments.find(({ name }) => name === differingFile.attachment);
      if (differingFile && attached) files.push({ file: differingFile.file, attachment: attached.file, isNew: differingFile.isNew === true, cases: [title] });
      for (const { column, heading = column, text, value, reason } of columns) {
        if (!isWanted(column)) continue;
        const place = findPlace(result, tableRow);
        const where = { file: place?.file ?? header.file, line: place?.line, heading };
        if (reason !== undefined) refused.push({ where, reason, cases: [title] });
        else if (!place) refused.push({ where, reason: 'the row is not written in a file', cases: [title] });
        else addChange(byCell, { ...place, heading, text, value, cases: [title] });
      }
    }
  }
  const all = [...byCell.values()];
  return {
    changes: all.filter(({ conflict }) => !conflict),
    files,
    refused: [
      ...refused,
      ...all.flatMap(({ conflict, ...change }) =>
        conflict
          ? [
              {
                where: { file: change.file, line: change.line, heading: change.heading },
                reason: `tests want different values: ${describeValue(change)} and ${describeValue(conflict)}`,
                cases: [...change.cases, ...conflict.cases],
              },
            ]
          : [],
      ),
    ],
  };
}

/** The location of a row in its data file, or else in a test file. */
function findPlace({ location }: RecordedResult, tableRow: TableRow | undefined): Pick<CellChange, 'file' | 'line' | 'column' | 'sheet' | 'index'> | undefined {
  const isData = location && !testFile.test(location.file);
  const found = isData ? location : tableRow?.location;
  return found && { file: found.file, line: found.line, column: found.column, sheet: found.sheet, index: isData ? undefined : tableRow?.index };
}

function addChange(byCell: Map<string, PendingChange>, change: CellChange): void {
  const key = [change.file, change.sheet ?? '', change.line, change.column, change.index ?? '', change.heading].join('\n');
  const known = byCell.get(key);
  if (!known) byCell.set(key, { ...change, cases: [...change.cases] });
  else if (known.text === change.text && JSON.stringify(known.value) === JSON.stringify(change.value)) {
    const [title] = change.cases;
    if (title !== undefined && !known.cases.includes(title)) known.cases.push(title);
  } else known.conflict ??= change;
}

const describeValue = ({ text, value }: CellChange): string => text ?? JSON.stringify(value);
