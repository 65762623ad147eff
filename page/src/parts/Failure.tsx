import { type DiffLine, diffValues, measureDistance, parseShownText } from '../../../src/checks/difference.ts';
import { escapeControls } from '../../../src/formats/style.ts';
import { formatLocation } from '../../../src/problems/source-location.ts';
import type { Failure } from '../../../src/running/result.ts';
import type { Store } from '../record/store.ts';
import { DifferingColumns } from './Acceptable.tsx';
import { Source } from './Source.tsx';

/** One failure: its message, the difference, and the source lines. */
export function FailureBlock({
  failure,
  store,
  row = {},
}: {
  readonly failure: Failure;
  readonly store: Store;
  readonly row?: Readonly<Record<string, unknown>> | undefined;
}) {
  const { message, note, cause, fixture, step, causes = [], location, frames = [] } = failure;
  const where = [fixture && `fixture “${fixture}”, ${cause === 'teardown' ? 'teardown' : 'setup'}`, step?.length ? `step “${step.join(' › ')}”` : undefined]
    .filter(Boolean)
    .join(', ');
  return (
    <section className="failure">
      {where && <p className="quiet">in {where}</p>}
      <p className="message">
        {note && <strong>{escapeControls(note)}: </strong>}
        <span className="failed">{escapeControls(message)}</span>
      </p>
      {causes.map((inner, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: they never change places
        <p key={i} className="quiet">
          caused by: {escapeControls(inner)}
        </p>
      ))}
      {failure.columns ? <DifferingColumns columns={failure.columns} row={row} /> : <Values failure={failure} />}
      {location && (
        <>
          <p className="place">{formatLocation(location)}</p>
          <Source place={location} excerpts={store.excerpts.get(location.file)} />
        </>
      )}
      {frames.slice(1, 5).map((frame) => (
        <p key={formatLocation(frame)} className="quiet">
          called from {frame.functionName ? `${frame.functionName}, ` : ''}
          {formatLocation(frame)}
        </p>
      ))}
    </section>
  );
}

function Values({ failure: { message, actual, expected, expectedKind } }: { readonly failure: Failure }) {
  if (actual !== undefined && expected !== undefined && expectedKind === undefined) {
    const distance = message.startsWith('off by') ? undefined : measureDistance(actual, expected);
    return (
      <>
        <Difference lines={diffValues(actual, expected)} />
        {distance && <p className="quiet">{distance} than expected</p>}
      </>
    );
  }
  if (actual === undefined && expected === undefined) return null;
  return (
    <dl className="values">
      {actual !== undefined && (
        <>
          <dt>actual</dt>
          <dd>
            <pre>{escapeControls(parseShownText(actual)?.includes('\n') ? (parseShownText(actual) as string) : actual)}</pre>
          </dd>
        </>
      )}
      {expected !== undefined && (
        <>
          <dt>{expectedKind ?? 'expected'}</dt>
          <dd>
            <pre>{escapeControls(expected)}</pre>
          </dd>
        </>
      )}
    </dl>
  );
}

const labels = { actual: 'actual', expected: 'expected', both: '', omitted: '' } as const;

/** A difference, line by line. Words and signs also distinguish the sides. */
export function Difference({ lines }: { readonly lines: readonly DiffLine[] }) {
  const isShort = lines.length === 2 && lines.every(({ side }) => side !== 'both' && side !== 'omitted');
  return (
    <table className="difference">
      <caption className="unseen">difference between actual and expected</caption>
      <tbody>
        {lines.map((line, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: they never change places
          <tr key={i} className={line.side}>
            <th scope="row">
              {isShort ? (
                labels[line.side]
              ) : line.side === 'actual' ? (
                <abbr title="actual">+</abbr>
              ) : line.side === 'expected' ? (
                <abbr title="expected">−</abbr>
              ) : (
                ''
              )}
            </th>
            <td>{line.side === 'omitted' ? `… ${line.text}` : <Marked line={line} />}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Marked({ line: { text, highlights = [] } }: { readonly line: DiffLine }) {
  const parts: React.ReactNode[] = [];
  let at = 0;
  for (const [from, to] of highlights) {
    parts.push(escapeControls(text.slice(at, from)), <mark key={from}>{escapeControls(text.slice(from, to))}</mark>);
    at = to;
  }
  return (
    <>
      {parts}
      {escapeControls(text.slice(at))}
    </>
  );
}
