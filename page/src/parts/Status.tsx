import { formatStatus } from '../../../src/formats/style.ts';
import type { Status } from '../../../src/running/result.ts';
import { statusShapes } from './icons.tsx';

/** The most frequent statuses are drawn by CSS alone: a list has thousands. */
const Shape = ({ status }: { readonly status: Status }) =>
  statusShapes[status] && (
    <svg viewBox="0 0 14 14" width="14" height="14" aria-hidden="true">
      {statusShapes[status]}
    </svg>
  );

/** A status as a shape, with its name for screen readers. */
export const Sign = ({ status, label = formatStatus(status) }: { readonly status: Status; readonly label?: string }) => (
  <span className={`sign ${status}`} role="img" aria-label={label} title={label}>
    <Shape status={status} />
  </span>
);

const order: readonly Status[] = ['failed', 'errored', 'known-failure', 'skipped', 'not-requested', 'not-run', 'passed'];

/** The counts that are not zero, by status. With `onChoose`, each is a button that toggles the filter for its status. */
export function Counts({
  counts,
  chosen,
  onChoose,
}: {
  readonly counts: Readonly<Record<string, number>>;
  readonly chosen?: ReadonlySet<Status>;
  readonly onChoose?: (status: Status) => void;
}) {
  const shown = order.filter((status) => (counts[status] ?? 0) > 0 || chosen?.has(status));
  if (shown.length === 0 && !onChoose) return <span className="quiet">no case</span>;
  return (
    <span className="counts">
      {shown.map((status) => {
        const text = (
          <>
            <span className={`sign ${status}`} aria-hidden="true">
              <Shape status={status} />
            </span>{' '}
            {(counts[status] ?? 0).toLocaleString('en')} {formatStatus(status)}
          </>
        );
        return onChoose ? (
          <button type="button" key={status} aria-pressed={chosen?.has(status) ?? false} onClick={() => onChoose(status)}>
            {text}
          </button>
        ) : (
          <span key={status} className="count">
            {text}
          </span>
        );
      })}
    </span>
  );
}
