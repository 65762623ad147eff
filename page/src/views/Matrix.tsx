import { useMemo, useState } from 'react';
import { escapeControls } from '../../../src/formats/style.ts';
import { buildGrid, findAxes } from '../../../src/results/grid.ts';
import type { WhereItFails } from '../../../src/results/where/causes.ts';
import { formatCondition } from '../../../src/results/where/condition.ts';
import { Axes, type Side } from '../parts/Axes.tsx';
import { GridTable, type ItemCell } from '../parts/GridTable.tsx';
import { Picked } from '../parts/Picked.tsx';
import { SuspectsLine } from '../parts/SuspectsLine.tsx';
import { isFailing, keyOf, type Store, type TestItem } from '../record/store.ts';
import { chooseSides } from '../record/test-grid.ts';
import { go, type Route } from '../route.ts';

/** Larger grids are not drawn. */
const MAX_CELLS = 4000;

const hasGrid = (test: TestItem): boolean => findAxes(test.items.map(({ result }) => result.row)).length >= 2;

/** A test's cases as a grid of chosen columns. Cases that differ in other columns share a cell. */
export function Matrix({ store, route, where }: { readonly store: Store; readonly route: Route; readonly where: ReadonlyMap<number, WhereItFails> }) {
  const tests = useMemo(() => {
    const found = [...store.tests.values()].filter((test) => test.items.length >= 4 && test.header.columns.length >= 2);
    const failing = (test: TestItem): number => test.items.filter(({ result }) => isFailing(result.status)).length;
    return found
      .map((test) => ({ test, failing: failing(test) }))
      .sort((a, b) => Number(b.failing > 0) - Number(a.failing > 0) || a.test.header.test - b.test.header.test);
  }, [store, store.version]);
  const chosen = useMemo(
    () => (tests.find(({ test }) => keyOf(test) === route.test) ?? tests.find(({ test }) => hasGrid(test)) ?? tests[0])?.test,
    [tests, route.test],
  );
  if (!chosen) return <p className="empty">No test of this run has cases with two columns or more.</p>;
  return (
    <div className="matrix">
      <label className="chooser">
        <span className="quiet">test</span>
        <select value={keyOf(chosen)} onChange={(event) => go({ test: event.target.value, down: undefined, across: undefined }, true)}>
          {tests.map(({ test, failing }) => (
            <option key={test.header.test} value={keyOf(test)}>
              {failing > 0 ? '✗ ' : ''}
              {escapeControls(test.header.path.join(' › '))} ({failing > 0 ? `${failing} of ` : ''}
              {test.items.length})
            </option>
          ))}
        </select>
      </label>
      <TestGrid key={chosen.header.test} test={chosen} route={route} where={where.get(chosen.header.test)} version={store.version} />
    </div>
  );
}

function TestGrid({
  test,
  route,
  where,
  version,
}: {
  readonly test: TestItem;
  readonly route: Route;
  readonly where: WhereItFails | undefined;
  readonly version: number;
}) {
  const [byTime, setByTime] = useState(false);
  const [picked, setPicked] = useState<ItemCell>();
  const results = useMemo(() => test.items.map(({ result }) => result), [test, version]);
  const axes = useMemo(() => findAxes(results.map(({ row }) => row)), [results]);
  const { down, across } = useMemo(
    () => chooseSides(axes, where, { ...(route.down && { down: route.down.split(',') }), ...(route.across && { across: route.across.split(',') }) }),
    [axes, where, route.down, route.across],
  );
  const grid = useMemo(() => (down.length > 0 && across.length > 0 ? buildGrid(results, axes, down, across) : undefined), [results, axes, down, across]);
  if (axes.length < 2) return <p className="empty">Its columns have too many values for a grid, or only one. A side needs 2 to 24.</p>;
  const place = (column: string, side: Side): void => {
    if (!axes.some((axis) => axis.column === column)) return;
    setPicked(undefined);
    const without = (all: readonly string[]): string[] => all.filter((one) => one !== column);
    go(
      {
        down: [...without(down), ...(side === 'down' ? [column] : [])].join() || '-',
        across: [...without(across), ...(side === 'across' ? [column] : [])].join() || '-',
        test: keyOf(test),
      },
      true,
    );
  };
  return (
    <>
      <div className="tools">
        <Axes axes={axes} down={down} across={across} onPlace={place} />
        <fieldset className="choice">
          <legend className="unseen">what the colour of a cell shows</legend>
          {[false, true].map((time) => (
            <button type="button" key={String(time)} aria-pressed={byTime === time} onClick={() => setByTime(time)}>
              {time ? 'time' : 'status'}
            </button>
          ))}
        </fieldset>
      </div>
      {where?.suspects && <SuspectsLine suspects={where.suspects} />}
      {where && where.causes.length > 0 && (
        <p className="causes">
          It fails where{' '}
          {where.causes.map(({ conditions, failing, cases }, i) => (
            <span key={conditions.map(formatCondition).join()}>
              {i > 0 && ', or '}
              <strong>{escapeControls(conditions.map(formatCondition).join(' & '))}</strong> ({failing} of {cases})
            </span>
          ))}
          ; elsewhere {where.elsewhere.failing} of {where.elsewhere.cases}.
        </p>
      )}
      {grid ? (
        grid.lines.length * grid.columnHeaders.length > MAX_CELLS ? (
          <p className="empty">That would be {(grid.lines.length * grid.columnHeaders.length).toLocaleString('en')} cells. Fold a column.</p>
        ) : (
          <GridTable grid={grid} where={where} byTime={byTime} picked={picked} onPick={setPicked} />
        )
      ) : (
        <p className="empty">Choose a column to go down and one to go across.</p>
      )}
      {picked && <Picked cell={picked} items={test.items} onClose={() => setPicked(undefined)} />}
    </>
  );
}
