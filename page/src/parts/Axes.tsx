import { escapeControls } from '../../../src/formats/style.ts';
import type { Axis } from '../../../src/results/grid.ts';

export type Side = 'down' | 'across' | 'folded';
const sides: readonly Side[] = ['down', 'across', 'folded'];

interface AxesProps {
  readonly axes: readonly Axis[];
  readonly down: readonly string[];
  readonly across: readonly string[];
  readonly onPlace: (column: string, side: Side) => void;
}

/** The columns on the sides of the grid. Each can be dragged to another side, or moved with its field. */
export function Axes({ axes, down, across, onPlace }: AxesProps) {
  const sideOf = (column: string): Side => (down.includes(column) ? 'down' : across.includes(column) ? 'across' : 'folded');
  const ordered: Readonly<Record<Side, readonly string[]>> = {
    down,
    across,
    folded: axes.map(({ column }) => column).filter((column) => sideOf(column) === 'folded'),
  };
  return (
    <div className="axes">
      {sides.map((side) => (
        // biome-ignore lint/a11y/noStaticElementInteractions: the field of each column does the same by keyboard
        <div
          key={side}
          className="side"
          onDragOver={(event) => event.preventDefault()}
          onDrop={(event) => {
            event.preventDefault();
            onPlace(event.dataTransfer.getData('text/plain'), side);
          }}
        >
          <span className="quiet">{side}</span>
          {ordered[side].map((column) => (
            <label key={column} draggable onDragStart={(event) => event.dataTransfer.setData('text/plain', column)}>
              {escapeControls(column)}
              <span className="quiet">{axes.find((axis) => axis.column === column)?.values.length}</span>
              <select value={side} aria-label={`side of ${column}`} onChange={(event) => onPlace(column, event.target.value as Side)}>
                {sides.map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </select>
            </label>
          ))}
        </div>
      ))}
    </div>
  );
}
