import { escapeControls, formatDuration, statusSymbols } from '../../../src/formats/style.ts';
import { type Cell, formatGridValue, type Grid } from '../../../src/results/grid.ts';
import type { RecordedResult } from '../../../src/results/recorded-result.ts';
import type { WhereItFails } from '../../../src/results/where/causes.ts';
import type { Condition } from '../../../src/results/where/condition.ts';
import type { Status } from '../../../src/running/result.ts';
import { isOutlined, outlinedConditions } from '../record/test-grid.ts';

export type ItemCell = Cell<RecordedResult>;

/** A grid with totals at its edges. Each cell can be selected. */
export function GridTable({
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
  const { down, across, columnHeaders, lines } = grid;
  const outlined = outlinedConditions(where);
  const totals = columnHeaders.map((_, x) => sumCells(lines.map(({ cells }) => cells[x])));
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
            {columnHeaders.map((head) => (
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
                <td key={JSON.stringify(columnHeaders[x])}>
                  {cell && (
                    <CellButton
                      cell={cell}
                      outlined={outlined}
                      byTime={byTime}
                      slowest={slowest}
                      isPicked={cell === picked}
                      onPick={onPick}
                      label={`${values.map(formatGridValue).join(', ')} and ${(columnHeaders[x] ?? []).map(formatGridValue).join(', ')}`}
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
              <TotalCell key={JSON.stringify(columnHeaders[x])} total={total} byTime={byTime} />
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
    ? formatDuration(each)
    : failing > 0 && failing < results.length
      ? `${failing}/${results.length}`
      : results.length > 1
        ? `${results.length}`
        : '';
  const spoken = byTime ? formatDuration(each) : `${statusSymbols[status]} ${text}`;
  // Few cases are slow and many are quick. A logarithmic scale shows all of them.
  const share = Math.round((100 * Math.log1p(each)) / Math.log1p(slowest));
  return (
    <button
      type="button"
      className={`cell ${byTime ? 'timed' : status} ${isCause ? 'cause' : ''} ${!byTime && failing > 0 && failing < results.length ? 'mixed' : ''}`}
      style={{ '--share': `${byTime ? share : Math.round((100 * failing) / results.length)}%` } as React.CSSProperties}
      aria-pressed={isPicked}
      aria-label={`${spoken}: ${label}, ${results.length} cases, ${failing} failing${isCause ? ', where it fails' : ''}, ${formatDuration(each)} each`}
      onClick={() => onPick(cell)}
    >
      {byTime ? text : <Mark status={status} text={text} />}
    </button>
  );
}

/** A status does not depend on colour alone: a failure also has a symbol. */
const Mark = ({ status, text }: { readonly status: Status; readonly text: string }) => (
  <>
    {status !== 'passed' && <span aria-hidden="true">{statusSymbols[status]}</span>}
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

/** The total of a line or a column: the number of failures, or the time per case. */
const TotalCell = ({ total: { failing, cases, milliseconds }, byTime }: { readonly total: Total; readonly byTime: boolean }) => (
  <td className={`total ${!byTime && failing > 0 ? 'failed' : 'quiet'}`}>
    {cases === 0 ? '' : byTime ? formatDuration(milliseconds / cases) : failing > 0 ? `${failing}/${cases}` : cases}
  </td>
);
