import { ReadPass } from '../results/journal/compact-pass.ts';
import { testsInOrder } from '../results/plan-order.ts';
import { buildRunReport, type FormatPath, type ReadableRecord } from '../results/report.ts';
import { formatCsvLine, formatCsvLines } from './csv.ts';
import { escapeToOneLine } from './style.ts';

/** The number of lines that are written at once. */
const BATCH_RESULTS = 500;

const fixed = [
  '(id)',
  '(status)',
  '(cause)',
  '(reason)',
  '(title)',
  '(file)',
  '(line)',
  '(tags)',
  '(setup)',
  '(body)',
  '(teardown)',
  '(checks)',
  '(failed)',
  '(attempts)',
  '(lane)',
  '(message)',
];

/**
 * Formats a record as CSV: one row per case, and one row with the status `problem` per problem outside the cases. Result columns have
 * headings in parentheses; a column for each column of the data follows. Times are in milliseconds. Texts that a spreadsheet would read as
 * a formula have an apostrophe in front.
 */
export function* reportAsCsv({ info, entries }: ReadableRecord, nameFile: FormatPath): Generator<string> {
  const columns = new Set<string>();
  for (const entry of entries()) {
    if (entry.type === 'test') for (const column of entry.header.columns) columns.add(column);
    // A compact pass has the columns of its test, so that its row need not be read.
    else if (entry.type === 'ended' && !(entry.result instanceof ReadPass)) for (const column of Object.keys(entry.result.row)) columns.add(column);
  }
  yield `${formatCsvLine([...fixed, ...columns])}\n`;
  let lines: unknown[][] = [];
  for (const { header, results } of testsInOrder(entries)) {
    for (const { result, lane } of results()) {
      const { id, status, cause, reason, title, tags, times, checks, attempts, failures, row, location } = result;
      const at = location ?? header.location;
      const fields = [
        id,
        status,
        cause,
        reason,
        title,
        at ? nameFile(at.file) : escapeToOneLine(header.file),
        at?.line,
        tags.join(' '),
        times.setup,
        times.body,
        times.teardown,
      ];
      lines.push([...fields, checks.passed + checks.failed, checks.failed, attempts, lane, failures[0]?.message, ...[...columns].map((column) => row[column])]);
      if (lines.length < BATCH_RESULTS) continue;
      yield `${formatCsvLines(lines)}\n`;
      lines = [];
    }
  }
  // Problems outside the cases: rows without an id, with the status `problem`.
  for (const { severity, message, location, problem } of buildRunReport({ info, entries }, nameFile).problems)
    if (severity === 'error') lines.push(['', 'problem', problem.code, '', '', location?.file, location?.line, ...Array(8).fill(''), message]);
  if (lines.length > 0) yield `${formatCsvLines(lines)}\n`;
}
