import { type Axis, buildGrid, type Cell, chooseAxes, findAxes, formatGridValue, type Grid, type GridInput } from '../../results/grid.ts';
import type { WhereItFails } from '../../results/where/causes.ts';
import { measureWidth, padOrTruncate } from '../columns.ts';
import { escapeToOneLine, type Style, statusSymbols } from '../style.ts';
import { paintOf } from './run.ts';

/** The columns down the side and across the top, if they are given. */
export interface GridAxes {
  readonly down: readonly string[];
  readonly across: readonly string[];
}

const MAX_VALUE_LENGTH = 16;
const COLUMN_GAP = 2;

const formatHead = (values: Grid['columnHeaders'][number]): string =>
  padOrTruncate(escapeToOneLine(values.map(formatGridValue).join(' ')), MAX_VALUE_LENGTH).trimEnd();

/** Formats a cell: a symbol and, if it contains several cases, the number of failures. */
function formatCell(cell: Cell | undefined): string {
  if (!cell) return '·';
  const { results, failing, status } = cell;
  if (results.length === 1) return statusSymbols[status];
  return `${statusSymbols[status]} ${failing > 0 ? `${failing}/` : ''}${results.length}`;
}

/** Renders the results of a test as a grid. Empty if no two of its columns are suitable. */
export function renderGrid(
  results: readonly GridInput[],
  where: WhereItFails | undefined,
  requested: GridAxes | undefined,
  width: number,
  style: Style,
): string[] {
  const axes = findAxes(results.map(({ row }) => row));
  const telling = new Set(
    [...(where?.causes ?? []), ...(where?.suspects?.combinations ?? [])].flatMap(({ conditions }) => conditions.map(({ column }) => column)),
  );
  const widest = results.length > 99 ? 9 : 7;
  const fits = ({ values }: Axis): boolean =>
    values.reduce((sum: number, value) => sum + COLUMN_GAP + Math.max(widest, Math.min(MAX_VALUE_LENGTH, measureWidth(formatGridValue(value)))), 0) <
    width - 30;
  const has = (column: string): boolean => axes.some((axis) => axis.column === column);
  const sides = requested ? ([...requested.down, ...requested.across].every(has) ? requested : undefined) : chooseAxes(axes, telling, fits);
  if (!sides) return [];
  return drawGrid(buildGrid(results, axes, sides.down, sides.across), width, style);
}

function drawGrid({ down, across, columnHeaders, lines }: Grid, width: number, style: Style): string[] {
  const sides = down.map((column, i) =>
    Math.max(...[escapeToOneLine(column), ...lines.map(({ values }) => formatHead([values[i] as string]))].map(measureWidth)),
  );
  const columns = columnHeaders.map((head, i) => Math.max(...[formatHead(head), ...lines.map(({ cells }) => formatCell(cells[i]))].map(measureWidth)));
  const side = sides.reduce((sum, one) => sum + one + COLUMN_GAP, 0);
  const output: string[] = [];
  // Columns without room next to the others follow below, with the same side.
  for (let from = 0; from < columnHeaders.length; ) {
    let to = from;
    for (let used = side; to < columnHeaders.length && (to === from || used + (columns[to] as number) + COLUMN_GAP <= width); to++)
      used += (columns[to] as number) + COLUMN_GAP;
    const shown = <T>(all: readonly T[]): T[] => all.slice(from, to);
    output.push(...(from > 0 ? [''] : []), `${' '.repeat(side)}${style.dim(escapeToOneLine(across.join(', ')))}`);
    const names = down.map((column, i) => padOrTruncate(escapeToOneLine(column), sides[i] as number)).join(' '.repeat(COLUMN_GAP));
    output.push(
      style.dim(`${names}${' '.repeat(COLUMN_GAP)}`) +
        shown(columnHeaders)
          .map((head, i) => padOrTruncate(formatHead(head), columns[from + i] as number))
          .join(' '.repeat(COLUMN_GAP))
          .trimEnd(),
    );
    let before: readonly unknown[] = [];
    for (const { values, cells } of lines) {
      // A value is not repeated if it equals the value above.
      const isSame = (i: number): boolean => i < values.length - 1 && values.slice(0, i + 1).every((value, at) => value === before[at]);
      const labels = values.map((value, i) => padOrTruncate(isSame(i) ? '' : formatHead([value]), sides[i] as number)).join(' '.repeat(COLUMN_GAP));
      const drawn = shown(cells).map((cell, i) => {
        const text = padOrTruncate(formatCell(cell), columns[from + i] as number);
        return cell ? paintOf(cell.status, style)(text) : style.dim(text);
      });
      output.push(`${labels}${' '.repeat(COLUMN_GAP)}${drawn.join(' '.repeat(COLUMN_GAP))}`.trimEnd());
      before = values;
    }
    from = to;
  }
  return output;
}
