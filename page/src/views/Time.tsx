import { useMemo } from 'react';
import { escapeControls, formatDuration } from '../../../src/formats/style.ts';
import { Durations } from '../parts/Durations.tsx';
import { Headings } from '../parts/Headings.tsx';
import { Lanes } from '../parts/Lanes.tsx';
import { Sign } from '../parts/Status.tsx';
import { type Store, timeOf } from '../record/store.ts';
import { hrefOf } from '../route.ts';

const MAX_SLOW_CASES = 25;

/** Lanes over time, the slowest cases, and the costs of fixtures. */
export function Time({ store }: { readonly store: Store }) {
  const { state, info } = store;
  const wall = info?.milliseconds;
  return (
    <div className="time-view">
      <section className="card">
        <Lanes store={store} />
        <p className="quiet">
          {wall === undefined ? '' : `${formatDuration(wall)} wall time, `}
          {formatDuration(state.totalCaseMs)} of cases
          {info && info.lanes > 1 ? ` in ${info.lanes} lanes` : ''}
        </p>
      </section>
      <div className="time-columns">
        <SlowCases store={store} />
        <div>
          <Durations store={store} />
          <SharedFixtures store={store} />
        </div>
      </div>
    </div>
  );
}

const timeOrNone = (milliseconds: number): string => (milliseconds < 0.05 ? '' : formatDuration(milliseconds));

function SlowCases({ store }: { readonly store: Store }) {
  const slowest = useMemo(() => [...store.items].sort((a, b) => timeOf(b.result) - timeOf(a.result)).slice(0, MAX_SLOW_CASES), [store, store.version]);
  const longest = slowest[0] ? timeOf(slowest[0].result) : 1;
  return (
    <section className="card slow">
      <h3>Slowest cases</h3>
      <table className="runs">
        <Headings names={['time', 'share', 'setup', 'body', 'teardown', 'case']} numeric={['time', 'setup', 'body', 'teardown']} hidden={['share']} />
        <tbody>
          {slowest.map(({ result, test }) => {
            // Titles of the same test differ at the end.
            const parts = result.title.split(' › ');
            const end = Math.min(test.header.path.length, parts.length - 1);
            return (
              <tr key={result.id}>
                <td className="number">{formatDuration(timeOf(result))}</td>
                <td>
                  <Parts times={result.times} longest={longest} />
                </td>
                <td className="number quiet">{timeOrNone(result.times.setup)}</td>
                <td className="number quiet">{timeOrNone(result.times.body)}</td>
                <td className="number quiet">{timeOrNone(result.times.teardown)}</td>
                <td className="case-name" title={escapeControls(result.title)}>
                  <Sign status={result.status} />{' '}
                  <a href={hrefOf({ view: 'tests', case: result.id, filter: '' })}>{escapeControls(parts.slice(end).join(' › '))}</a>{' '}
                  <span className="quiet">{escapeControls(parts.slice(0, end).join(' › '))}</span>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

/** Setup, body and teardown as parts of a bar, on a square-root scale, so that the slowest case does not hide all others. */
function Parts({ times, longest }: { readonly times: { readonly setup: number; readonly body: number; readonly teardown: number }; readonly longest: number }) {
  const all = times.setup + times.body + times.teardown;
  const width = 100 * Math.sqrt(all / Math.max(longest, 0.001));
  return (
    <span className="parts" aria-hidden="true">
      {(['setup', 'body', 'teardown'] as const).map((part) => (
        <i key={part} className={part} style={{ width: `${(width * times[part]) / Math.max(all, 0.001)}%` }} />
      ))}
    </span>
  );
}

function SharedFixtures({ store }: { readonly store: Store }) {
  const fixtures = [...store.state.fixtures.all].sort((a, b) => b.setup + b.teardown - a.setup - a.teardown);
  return (
    <section className="card">
      <h3>
        Shared fixtures <span className="quiet">the most expensive first</span>
      </h3>
      {fixtures.length === 0 ? (
        <p className="quiet">No fixture is shared by several cases.</p>
      ) : (
        <table className="runs">
          <Headings names={['total', 'setups', 'each', 'teardowns', 'fixture', 'scope']} numeric={['total', 'setups', 'each', 'teardowns']} />
          <tbody>
            {fixtures.map(({ name, scope, setups, setup, teardown }) => (
              <tr key={`${name} ${scope}`}>
                <td className="number">{formatDuration(setup + teardown)}</td>
                <td className="number quiet">{setups}</td>
                <td className="number quiet">{formatDuration(setups ? setup / setups : 0)}</td>
                <td className="number quiet">{formatDuration(teardown)}</td>
                <td>{escapeControls(name)}</td>
                <td className="quiet">{scope}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
