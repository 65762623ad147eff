import { useMemo, useState } from 'react';
import { formatValuesName } from '../../../src/cases/ids.ts';
import { duration, escapeControls, formatCount, signs } from '../../../src/formats/style.ts';
import { type Axis, buildGrid, type Cell, findAxes, formatGridValue, type Grid } from '../../../src/results/grid.ts';
import type { RecordedResult } from '../../../src/results/recorded-result.ts';
import type { WhereItFails } from '../../../src/results/where/causes.ts';
import { type Condition, formatCondition } from '../../../src/results/where/condition.ts';
import type { Status } from '../../../src/running/result.ts';
import { Icon } from '../parts/icons.tsx';
import { Sign } from '../parts/Status.tsx';
import { SuspectsLine } from '../parts/SuspectsLine.tsx';
import { type Item, isFailing, keyOf, type Store, type TestItem, timeOf } from '../record/store.ts';
import { chooseSides, isOutlined, outlinedConditions } from '../record/test-grid.ts';
import { go, hrefOf, type Route } from '../route.ts';

type ItemCell = Cell<RecordedResult>;

/** Larger ones are cut: nobody reads them. */
const MAX_CELLS = 4000;
const MAX_LISTED = 60;

const hasGrid = (test: TestItem): boolean => findAxes(test.items.map(({ result }) => result.row)).length >= 2;

/** A test's cases as a grid of chosen columns; those of the others fold into the cells. */
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

type Side = 'down' | 'across' | 'folded';
const sides: readonly Side[] = ['down', 'across', 'folded'];

interface AxesProps {
  readonly axes: readonly Axis[];
  readonly down: readonly string[];
  readonly across: readonly string[];
  readonly onPlace: (column: string, side: Side) => void;
}

/** The columns of the rows on the sides of the grid: dragged to another side, or moved with the field of each. */
function Axes({ axes, down, across, onPlace }: AxesProps) {
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

function GridTable({
  grid,
  where,
  byTime,
  picked,
  onPick,
}: {
  readonly grid: Grid<RecordedResult>;
  readonly where: WhereItFails | undefined;
  readonly byTime: boolean;
  readonly picked: ItemCell | undefined;
  readonly onPick: (cell: ItemCell) => void;
}) {
  const { down, across, columnHeaders: heads, lines } = grid;
  const outlined = outlinedConditions(where);
  const totals = heads.map((_, x) => sumCells(lines.map(({ cells }) => cells[x])));
  const slowest = Math.max(0.001, ...lines.flatMap(({ cells }) => cells.map((cell) => (cell ? cell.milliseconds / cell.results.length : 0))));
  return (
    <div className="grid-holder">
      <table className="grid">
        <thead>
          <tr>
            {down.map((column) => (
              <th key={column} scope="col" className="axis">
                {escapeControls(column)}
              </th>
            ))}
            {heads.map((head) => (
              <th key={JSON.stringify(head)} scope="col">
                {head.map((value, i) => (
                  <span key={across[i]} title={across[i]}>
                    {i > 0 && ' '}
                    {escapeControls(formatGridValue(value))}
                  </span>
                ))}
              </th>
            ))}
            <th scope="col" className="total">
              all
            </th>
          </tr>
        </thead>
        <tbody>
          {lines.map(({ values, cells }, y) => (
            <tr key={JSON.stringify(values)}>
              {values.map((value, i) => {
                const isSame = y > 0 && i < values.length - 1 && values.slice(0, i + 1).every((one, at) => one === lines[y - 1]?.values[at]);
                return (
                  <th key={down[i]} scope="row" className={isSame ? 'same' : undefined}>
                    {isSame ? <span className="unseen">{escapeControls(formatGridValue(value))}</span> : escapeControls(formatGridValue(value))}
                  </th>
                );
              })}
              {cells.map((cell, x) => (
                <td key={JSON.stringify(heads[x])}>
                  {cell && (
                    <CellButton
                      cell={cell}
                      outlined={outlined}
                      byTime={byTime}
                      slowest={slowest}
                      isPicked={cell === picked}
                      onPick={onPick}
                      label={`${values.map(formatGridValue).join(', ')} and ${(heads[x] ?? []).map(formatGridValue).join(', ')}`}
                    />
                  )}
                </td>
              ))}
              <TotalCell total={sumCells(cells)} byTime={byTime} />
            </tr>
          ))}
        </tbody>
        <tfoot>
          <tr>
            <th scope="row" colSpan={down.length} className="total">
              all
            </th>
            {totals.map((total, x) => (
              <TotalCell key={JSON.stringify(heads[x])} total={total} byTime={byTime} />
            ))}
            <TotalCell total={sumTotals(totals)} byTime={byTime} />
          </tr>
        </tfoot>
      </table>
      <p className="quiet">
        across: {across.map((column) => escapeControls(column)).join(', ')}
        {where ? ` · outlined: ${where.causes.length > 0 ? 'where it fails' : 'suspects'}` : ''}
      </p>
    </div>
  );
}

interface CellProps {
  readonly cell: ItemCell;
  readonly outlined: readonly (readonly Condition[])[];
  readonly byTime: boolean;
  readonly slowest: number;
  readonly isPicked: boolean;
  readonly onPick: (cell: ItemCell) => void;
  readonly label: string;
}

function CellButton({ cell, outlined, byTime, slowest, isPicked, onPick, label }: CellProps) {
  const { results, status, failing, milliseconds } = cell;
  const isCause = isOutlined(results, outlined);
  const each = milliseconds / results.length;
  const text = byTime
    ? duration(each)
    : failing > 0 && failing < results.length
      ? `${failing}/${results.length}`
      : results.length > 1
        ? `${results.length}`
        : '';
  const spoken = byTime ? duration(each) : `${signs[status]} ${text}`;
  // Few are slow, many are quick: a logarithmic scale shows all of them.
  const share = Math.round((100 * Math.log1p(each)) / Math.log1p(slowest));
  return (
    <button
      type="button"
      className={`cell ${byTime ? 'timed' : status} ${isCause ? 'cause' : ''} ${!byTime && failing > 0 && failing < results.length ? 'mixed' : ''}`}
      style={{ '--share': `${byTime ? share : Math.round((100 * failing) / results.length)}%` } as React.CSSProperties}
      aria-pressed={isPicked}
      aria-label={`${spoken}: ${label}, ${results.length} cases, ${failing} failing${isCause ? ', where it fails' : ''}, ${duration(each)} each`}
      onClick={() => onPick(cell)}
    >
      {byTime ? text : <Mark status={status} text={text} />}
    </button>
  );
}

/** A status does not depend on its colour alone: a failure has a sign, too. */
const Mark = ({ status, text }: { readonly status: Status; readonly text: string }) => (
  <>
    {status !== 'passed' && <span aria-hidden="true">{signs[status]}</span>}
    {text}
  </>
);

interface Total {
  readonly failing: number;
  readonly cases: number;
  readonly milliseconds: number;
}

const sumCells = (cells: readonly (ItemCell | undefined)[]): Total =>
  sumTotals(cells.map((cell) => ({ failing: cell?.failing ?? 0, cases: cell?.results.length ?? 0, milliseconds: cell?.milliseconds ?? 0 })));

const sumTotals = (totals: readonly Total[]): Total =>
  totals.reduce((sum, one) => ({ failing: sum.failing + one.failing, cases: sum.cases + one.cases, milliseconds: sum.milliseconds + one.milliseconds }), {
    failing: 0,
    cases: 0,
    milliseconds: 0,
  });

/** The cases of a line or a column together: how many fail, or the time of each. */
const TotalCell = ({ total: { failing, cases, milliseconds }, byTime }: { readonly total: Total; readonly byTime: boolean }) => (
  <td className={`total ${!byTime && failing > 0 ? 'failed' : 'quiet'}`}>
    {cases === 0 ? '' : byTime ? duration(milliseconds / cases) : failing > 0 ? `${failing}/${cases}` : cases}
  </td>
);

interface PickedProps {
  readonly cell: ItemCell;
  readonly items: readonly Item[];
  readonly onClose: () => void;
}

function Picked({ cell, items, onClose }: PickedProps) {
  const own = new Set(cell.results);
  const all = items.filter(({ result }) => own.has(result)).sort((a, b) => Number(isFailing(b.result.status)) - Number(isFailing(a.result.status)));
  return (
    <section className="picked card" aria-label="the cases of the cell">
      <header>
        <h3>{formatCount(all.length, 'case')}</h3>
        <button type="button" className="icon" onClick={onClose} aria-label="close the list">
          <Icon name="close" />
        </button>
      </header>
      <ul>
        {all.slice(0, MAX_LISTED).map(({ result }) => (
          <li key={result.id}>
            <Sign status={result.status} /> <a href={hrefOf({ view: 'tests', case: result.id, filter: '' })}>{escapeControls(formatValuesName(result.row))}</a>{' '}
            <span className="quiet">
              {escapeControls(result.failures[0]?.message.split('\n')[0] ?? '')} · {duration(timeOf(result))}
            </span>
          </li>
        ))}
        {all.length > MAX_LISTED && <li className="quiet">… and {all.length - MAX_LISTED} more</li>}
      </ul>
    </section>
  );
}
