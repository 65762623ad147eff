import { formatValuesName } from '../../../src/cases/ids.ts';
import { escapeControls, formatCount, formatDuration } from '../../../src/formats/style.ts';
import { type Item, isFailing, timeOf } from '../record/store.ts';
import { hrefOf } from '../route.ts';
import type { ItemCell } from './GridTable.tsx';
import { Icon } from './icons.tsx';
import { Sign } from './Status.tsx';

/** The maximum number of cases that are listed for a cell. */
const MAX_LISTED = 60;

interface PickedProps {
  readonly cell: ItemCell;
  readonly items: readonly Item[];
  readonly onClose: () => void;
}

/** The cases of a cell, failing ones first. */
export function Picked({ cell, items, onClose }: PickedProps) {
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
              {escapeControls(result.failures[0]?.message.split('\n')[0] ?? '')} · {formatDuration(timeOf(result))}
            </span>
          </li>
        ))}
        {all.length > MAX_LISTED && <li className="quiet">… and {all.length - MAX_LISTED} more</li>}
      </ul>
    </section>
  );
}
