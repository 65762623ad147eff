import { useMemo, useState } from 'react';
import { formatValuesName } from '../../../src/cases/ids.ts';
import { duration, escapeControls, signs } from '../../../src/formats/style.ts';
import { buildGrid, type Cell, chooseAxes, findAxes, formatGridValue, type Grid } from '../../../src/results/grid.ts';
import type { RecordedResult } from '../../../src/results/recorded-result.ts';
import type { WhereItFails } from '../../../src/results/where/causes.ts';
import { type Condition, formatCondition, holdAll } from '../../../src/results/where/condition.ts';
import { Sign } from '../parts/Status.tsx';
import { SuspectsLine } from '../parts/SuspectsLine.tsx';
import { type Item, isFailing, keyOf, type Store, type TestItem, timeOf } from '../record/store.ts';
import { go, hrefOf, type Route } from '../route.ts';

type ItemCell = Cell<RecordedResult>;

/** Larger ones are cut: nobody reads them. */
const mostCells = 4000;
const mostListed = 60;
/** Suspects that the grid outlines. */
const MAX_OUTLINED = 5;

/** A test's cases as a grid of chosen columns; those of the others fold into the cells. */
export function Matrix({ store, route, where }: { readonly store: Store; readonly route: Route; readonly where: ReadonlyMap<number, WhereItFails> }) {
  const tests = useMemo(() => {
    const found = [...store.tests.values()].filter((test) => test.items.length >= 4 && test.header.columns.length >= 2);
    const failing = (test: TestItem): number => test.items.filter(({ result }) => isFailing(result.status)).length;
    return found
      .map((test) => ({ test, failing: failing(test) }))
      .sort((a, b) => Number(b.failing > 0) - Number(a.failing > 0) || a.test.header.test - b.test.header.test);
  }, [store, store.version]);
  const chosen = (tests.find(({ test }) => keyOf(test) === route.test) ?? tests[0])?.test;
  if (!chosen) return <p className="empty">No test of this run has cases with two columns or more.</p>;
  return (
    <div className="matrix">
      <p className="tools">
        <label>
          test{' '}
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
      </p>
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
  const telling = useMemo(() => new Set(conditionsOf(where).flatMap((conditions) => conditions.map(({ column }) => column))), [where]);
  const unasked = useMemo(() => chooseAxes(axes, telling, ({ values }) => values.length <= 24), [axes, telling]);
  const has = (column: string): boolean => axes.some((axis) => axis.column === column);
  const down = (route.down?.split(',').filter(has) ?? unasked?.down ?? []).slice(0, 3);
  const across = (route.across?.split(',').filter(has) ?? unasked?.across ?? []).filter((column) => !down.includes(column)).slice(0, 2);
  const sides = `${down.join()}/${across.join()}`;
  const grid = useMemo(() => (down.length > 0 && across.length > 0 ? buildGrid(results, axes, down, across) : undefined), [results, axes, sides]);
  if (axes.length < 2) return <p className="empty">Its columns have too many values for a grid, or only one. A side needs 2 to 24.</p>;
  const place = (column: string, side: 'down' | 'across' | 'folded'): void => {
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
      <fieldset className="axes">
        <legend className="unseen">position of each column</legend>
        {axes.map((axis) => (
          <label key={axis.column}>
            {escapeControls(axis.column)} <span className="quiet">{axis.values.length}</span>{' '}
            <select
              value={down.includes(axis.column) ? 'down' : across.includes(axis.column) ? 'across' : 'folded'}
              onChange={(event) => place(axis.column, event.target.value as 'down')}
            >
              <option>down</option>
              <option>across</option>
              <option>folded</option>
            </select>
          </label>
        ))}
        <label>
          colour by{' '}
          <select value={byTime ? 'time' : 'status'} onChange={(event) => setByTime(event.target.value === 'time')}>
            <option>status</option>
            <option>time</option>
          </select>
        </label>
      </fieldset>
      {where?.suspects && <SuspectsLine suspects={where.suspects} />}
      {where && where.causes.length > 0 && (
        <p className="causes">
          it fails where{' '}
          {where.causes.map(({ conditions, failing, cases }, i) => (
            <span key={conditions.map(formatCondition).join()}>
              {i > 0 && ', or '}
              <strong>{escapeControls(conditions.map(formatCondition).join(' & '))}</strong> ({failing} of {cases})
            </span>
          ))}
          ; elsewhere {where.elsewhere.failing} of {where.elsewhere.cases}
        </p>
      )}
      {grid ? (
        grid.lines.length * grid.columnHeaders.length > mostCells ? (
          <p className="empty">That would be {(grid.lines.length * grid.columnHeaders.length).toLocaleString('en')} cells. Fold a column.</p>
        ) : (
          <GridTable grid={grid} where={where} byTime={byTime} picked={picked} onPick={setPicked} />
        )
      ) : (
        <p className="empty">Choose a column to go down and one to go across.</p>
      )}
      {picked && <Picked cell={picked} items={test.items} />}
    </>
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
                      where={where}
                      byTime={byTime}
                      slowest={slowest}
                      isPicked={cell === picked}
                      onPick={onPick}
                      label={`${values.map(formatGridValue).join(', ')} and ${(heads[x] ?? []).map(formatGridValue).join(', ')}`}
                    />
                  )}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
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
  readonly where: WhereItFails | undefined;
  readonly byTime: boolean;
  readonly slowest: number;
  readonly isPicked: boolean;
  readonly onPick: (cell: ItemCell) => void;
  readonly label: string;
}

/** The conditions that the grid outlines: causes, or else suspects. */
const conditionsOf = (where: WhereItFails | undefined): readonly (readonly Condition[])[] =>
  [...(where?.causes ?? []), ...(where?.suspects?.combinations.slice(0, MAX_OUTLINED) ?? [])].map(({ conditions }) => conditions);

function CellButton({ cell, where, byTime, slowest, isPicked, onPick, label }: CellProps) {
  const { results, status, failing, milliseconds } = cell;
  const isCause = conditionsOf(where).some((conditions) => results.every(({ row }) => holdAll(conditions, row)));
  const each = milliseconds / results.length;
  const told = byTime ? duration(each) : results.length === 1 ? signs[status] : `${signs[status]} ${failing > 0 ? `${failing}/` : ''}${results.length}`;
  // Few are slow, many are quick: a logarithmic scale shows all of them.
  const share = Math.round((100 * Math.log1p(each)) / Math.log1p(slowest));
  return (
    <button
      type="button"
      className={`cell ${byTime ? 'timed' : status} ${isCause ? 'cause' : ''} ${!byTime && failing > 0 && failing < results.length ? 'mixed' : ''}`}
      style={byTime ? ({ '--share': `${share}%` } as React.CSSProperties) : undefined}
      aria-pressed={isPicked}
      aria-label={`${told}: ${label}, ${results.length} cases, ${failing} failing${isCause ? ', where it fails' : ''}, ${duration(each)} each`}
      onClick={() => onPick(cell)}
    >
      {told}
    </button>
  );
}

function Picked({ cell, items }: { readonly cell: ItemCell; readonly items: readonly Item[] }) {
  const own = new Set(cell.results);
  const all = items.filter(({ result }) => own.has(result)).sort((a, b) => Number(isFailing(b.result.status)) - Number(isFailing(a.result.status)));
  return (
    <section className="picked" aria-label="the cases of the cell">
      <h3>{all.length === 1 ? '1 case' : `${all.length} cases`}</h3>
      <ul>
        {all.slice(0, mostListed).map(({ result }) => (
          <li key={result.id}>
            <Sign status={result.status} /> <a href={hrefOf({ view: 'tests', case: result.id, filter: '' })}>{escapeControls(formatValuesName(result.row))}</a>{' '}
            <span className="quiet">
              {escapeControls(result.failures[0]?.message.split('\n')[0] ?? '')} · {duration(timeOf(result))}
            </span>
          </li>
        ))}
        {all.length > mostListed && <li className="quiet">… and {all.length - mostListed} more</li>}
      </ul>
    </section>
  );
}
