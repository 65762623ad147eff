import { type Axis, axesOf, type Cell, type Celled, chooseSides, formatGridValue, type Grid, gridOf } from '../../results/grid.ts';
import type { WhereItFails } from '../../results/where/causes.ts';
import { fitted, oneLine, type Style, signs, widthOf } from '../style.ts';
import { paintOf } from './run.ts';

/** Which columns stand down the side and across the head, where somebody said. */
export interface Sides {
  readonly down: readonly string[];
  readonly across: readonly string[];
}

const mostOfAValue = 16;
const gap = 2;

const headOf = (values: Grid['heads'][number]): string => fitted(oneLine(values.map(formatGridValue).join(' ')), mostOfAValue).trimEnd();

/** What one cell says: a sign, and where it holds several cases, how many of them fail. */
function textOf(cell: Cell | undefined): string {
  if (!cell) return '·';
  const { results, failing, status } = cell;
  if (results.length === 1) return signs[status];
  return `${signs[status]} ${failing > 0 ? `${failing}/` : ''}${results.length}`;
}

/** The results of a test as a grid; nothing where no two of its columns make one. */
export function renderGrid(results: readonly Celled[], where: WhereItFails | undefined, asked: Sides | undefined, width: number, style: Style): string[] {
  const axes = axesOf(results.map(({ row }) => row));
  const telling = new Set(
    [...(where?.causes ?? []), ...(where?.suspects?.combinations ?? [])].flatMap(({ conditions }) => conditions.map(({ column }) => column)),
  );
  const widest = results.length > 99 ? 9 : 7;
  const fits = ({ values }: Axis): boolean =>
    values.reduce((sum: number, value) => sum + gap + Math.max(widest, Math.min(mostOfAValue, widthOf(formatGridValue(value)))), 0) < width - 30;
  const has = (column: string): boolean => axes.some((axis) => axis.column === column);
  const sides = asked ? ([...asked.down, ...asked.across].every(has) ? asked : undefined) : chooseSides(axes, telling, fits);
  if (!sides) return [];
  return drawGrid(gridOf(results, axes, sides.down, sides.across), width, style);
}

function drawGrid({ down, across, heads, lines }: Grid, width: number, style: Style): string[] {
  const sides = down.map((column, i) => Math.max(...[oneLine(column), ...lines.map(({ values }) => headOf([values[i] as string]))].map(widthOf)));
  const columns = heads.map((head, i) => Math.max(...[headOf(head), ...lines.map(({ cells }) => textOf(cells[i]))].map(widthOf)));
  const side = sides.reduce((sum, one) => sum + one + gap, 0);
  const told: string[] = [];
  // What has no room beside the others stands below them, under the same side.
  for (let from = 0; from < heads.length; ) {
    let to = from;
    for (let used = side; to < heads.length && (to === from || used + (columns[to] as number) + gap <= width); to++) used += (columns[to] as number) + gap;
    const shown = <T>(all: readonly T[]): T[] => all.slice(from, to);
    told.push(...(from > 0 ? [''] : []), `${' '.repeat(side)}${style.dim(oneLine(across.join(', ')))}`);
    const names = down.map((column, i) => fitted(oneLine(column), sides[i] as number)).join(' '.repeat(gap));
    told.push(
      style.dim(`${names}${' '.repeat(gap)}`) +
        shown(heads)
          .map((head, i) => fitted(headOf(head), columns[from + i] as number))
          .join(' '.repeat(gap))
          .trimEnd(),
    );
    let before: readonly unknown[] = [];
    for (const { values, cells } of lines) {
      // A value that is that of the line above is not said again.
      const isSame = (i: number): boolean => i < values.length - 1 && values.slice(0, i + 1).every((value, at) => value === before[at]);
      const labels = values.map((value, i) => fitted(isSame(i) ? '' : headOf([value]), sides[i] as number)).join(' '.repeat(gap));
      const drawn = shown(cells).map((cell, i) => {
        const text = fitted(textOf(cell), columns[from + i] as number);
        return cell ? paintOf(cell.status, style)(text) : style.dim(text);
      });
      told.push(`${labels}${' '.repeat(gap)}${drawn.join(' '.repeat(gap))}`.trimEnd());
      before = values;
    }
    from = to;
  }
  return told;
}
