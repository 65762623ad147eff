import { useMemo, useState } from 'react';
import { escapeControls, formatCount } from '../../../src/formats/style.ts';
import type { WhereItFails } from '../../../src/results/where/causes.ts';
import { keyOf, type TestItem } from '../record/store.ts';
import { buildTestGrid, isOutlined, outlinedConditions } from '../record/test-grid.ts';
import { hrefOf } from '../route.ts';
import { useSeen } from './hooks.ts';

/** Tests with more cases have no small grid: its cells would be invisible. */
const MAX_CASES = 20_000;
const MAX_CELLS = 600;
/** In CSS pixels. */
const MAX_WIDTH = 280;
const MAX_HEIGHT = 150;
const MAX_STEP = 16;
const GAP = 2;

interface SmallGridProps {
  readonly test: TestItem;
  readonly where: WhereItFails | undefined;
  readonly version: number;
}

/** A small grid of a test, as a picture that links to the matrix. It is drawn when it becomes visible: a page can have hundreds. */
export function SmallGrid(props: SmallGridProps) {
  const [frame, setFrame] = useState<HTMLDivElement | null>(null);
  const isSeen = useSeen(frame);
  return <div ref={setFrame}>{isSeen && <Picture {...props} />}</div>;
}

function Picture({ test, where, version }: SmallGridProps) {
  const grid = useMemo(
    () =>
      test.items.length <= MAX_CASES
        ? buildTestGrid(
            test.items.map(({ result }) => result),
            where,
          )
        : undefined,
    [test, where, version],
  );
  if (!grid) return null;
  const { lines, columnHeaders, down, across } = grid;
  if (lines.length < 2 || lines.length * columnHeaders.length > MAX_CELLS) return null;
  const step = Math.min(MAX_STEP, MAX_WIDTH / columnHeaders.length, MAX_HEIGHT / lines.length);
  const size = Math.max(1, step - GAP);
  const outlined = outlinedConditions(where);
  const label = `${escapeControls(across.join(', '))} across, ${escapeControls(down.join(', '))} down`;
  return (
    <a className="small-grid" href={hrefOf({ view: 'matrix', test: keyOf(test), down: undefined, across: undefined })} aria-label={`matrix: ${label}`}>
      <svg width={columnHeaders.length * step} height={lines.length * step} aria-hidden="true">
        {lines.flatMap(({ values, cells }, y) =>
          cells.map((cell, x) => {
            if (!cell) return null;
            const share = cell.failing / cell.results.length;
            const isCause = share > 0 && isOutlined(cell.results, outlined);
            const kind = share === 1 ? 'failed' : share > 0 ? 'mixed' : cell.status === 'passed' ? 'passed' : 'other';
            return (
              <rect
                // biome-ignore lint/suspicious/noArrayIndexKey: the cells do not move
                key={`${y} ${x}`}
                className={`${kind}${isCause ? ' cause' : ''}`}
                x={x * step + 1}
                y={y * step + 1}
                width={size}
                height={size}
              >
                <title>{`${values.join(', ')} · ${columnHeaders[x]?.join(', ')}: ${cell.failing} of ${formatCount(cell.results.length, 'case')} failed`}</title>
              </rect>
            );
          }),
        )}
      </svg>
      <span className="quiet">{label}</span>
    </a>
  );
}
