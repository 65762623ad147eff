import { renderGrid } from '../formats/human/grid.ts';
import { escapeToOneLine } from '../formats/style.ts';
import { findNearestName } from '../problems/nearest-name.ts';
import { MAX_AXIS_VALUES } from '../results/grid.ts';
import type { JournalEntry } from '../results/journal/entries.ts';
import { testsInOrder } from '../results/plan-order.ts';
import type { WhereItFails } from '../results/where/causes.ts';
import type { DisplayOptions } from './display-options.ts';
import type { Terminal } from './terminal.ts';

/** A grid with more cases is not readable. */
const MAX_GRID_CASES = 20_000;
const MIN_GRID_CASES = 4;

/** Renders a grid for each test whose rows are suitable; with given sides, for each test that has these columns. */
export function renderGrids(
  entries: () => Iterable<JournalEntry>,
  where: ReadonlyMap<number, WhereItFails>,
  { grid, gridBy }: DisplayOptions,
  { style, width }: Terminal,
): string[] {
  const lines: string[] = [];
  if (!grid && !gridBy) return lines;
  const columns = new Set<string>();
  for (const { header, count, results } of testsInOrder(entries)) {
    for (const column of header.columns) columns.add(column);
    if (count < MIN_GRID_CASES || count > MAX_GRID_CASES) continue;
    const ran = [...results()].map(({ result }) => result).filter(({ status }) => status !== 'not-requested');
    const drawn = ran.length < MIN_GRID_CASES ? [] : renderGrid(ran, where.get(header.test), gridBy, width, style);
    if (drawn.length > 0)
      lines.push('', `${style.bold(escapeToOneLine(header.path.join(' › ')))}  ${style.dim(header.file)}`, ...drawn.map((line) => `  ${line}`));
  }
  return lines.length === 0 && gridBy ? ['', style.yellow(escapeToOneLine(explainNoGrid([...gridBy.down, ...gridBy.across], columns)))] : lines;
}

function explainNoGrid(requested: readonly string[], columns: ReadonlySet<string>): string {
  const unknown = requested.find((column) => !columns.has(column.split('.', 1)[0] as string));
  if (unknown === undefined)
    return `--grid-by: in no test with ${MIN_GRID_CASES} or more results does each of ${requested.join(', ')} have 2 to ${MAX_AXIS_VALUES} values`;
  const near = findNearestName(unknown, columns);
  return `--grid-by: no test has a column "${unknown}"${near === undefined ? '' : `; did you mean "${near}"?`}`;
}
