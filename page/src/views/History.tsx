import { useMemo } from 'react';
import { escapeControls, formatCount, formatDuration } from '../../../src/formats/style.ts';
import type { Status } from '../../../src/running/result.ts';
import { Headings } from '../parts/Headings.tsx';
import { Sign } from '../parts/Status.tsx';
import { type FlakyCase, listFlakyCases, listTestHistories, type TestHistory } from '../record/history.ts';
import type { Store } from '../record/store.ts';
import { hrefOf } from '../route.ts';

const MAX_LISTED = 200;
const MAX_FLAKY = 20;

/** Tests over the available runs: status and time, flaky cases, and tests that are slower or faster than usual. */
export function History({ store }: { readonly store: Store }) {
  const tests = useMemo(() => listTestHistories(store), [store, store.version]);
  const flaky = useMemo(() => listFlakyCases(store), [store, store.version]);
  if (store.history.length === 0) return <p className="empty">There are no earlier runs. After the next run, this view shows how each test has changed.</p>;
  const runs = [...[...store.history].reverse().map(({ started }) => started), store.info?.started ?? ''].map((started) =>
    started.slice(0, 16).replace('T', ' '),
  );
  const paced = tests.filter(({ pace }) => pace !== undefined);
  return (
    <div className="history-view">
      <div className="history-columns">
        <Flaky cases={flaky} runs={runs} />
        <Paced tests={paced} />
      </div>
      <section className="card">
        <h3>
          Tests over {formatCount(runs.length, 'run')} <span className="quiet">the oldest on the left; those that changed come first</span>
        </h3>
        <table className="runs over-runs">
          <Headings names={['test', 'runs', 'time', 'this run']} numeric={['this run']} />
          <tbody>
            {tests.slice(0, MAX_LISTED).map(({ test, statuses, times }) => (
              <tr key={test.header.test}>
                <td className="case-name">
                  <a href={hrefOf({ view: 'tests', filter: `"${test.header.path.at(-1)}"` })}>{escapeControls(test.header.path.join(' › '))}</a>
                </td>
                <td>
                  <Statuses statuses={statuses} runs={runs} />
                </td>
                <td>
                  <Curve times={times} />
                </td>
                <td className="number quiet">{formatDuration(times.at(-1) ?? 0)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {tests.length > MAX_LISTED && <p className="quiet">… and {(tests.length - MAX_LISTED).toLocaleString('en')} more</p>}
      </section>
    </div>
  );
}

const Statuses = ({ statuses, runs }: { readonly statuses: readonly (Status | undefined)[]; readonly runs: readonly string[] }) => (
  <span className="over">
    {statuses.map((status, i) => (
      // biome-ignore lint/suspicious/noArrayIndexKey: runs do not change places
      <span key={i} title={`${runs[i]} UTC`}>
        {status ? <Sign status={status} /> : <span className="sign" />}
      </span>
    ))}
  </span>
);

function Flaky({ cases, runs }: { readonly cases: readonly FlakyCase[]; readonly runs: readonly string[] }) {
  return (
    <section className="card">
      <h3>
        Flaky cases <span className="quiet">they have changed at least twice, or passed when repeated</span>
      </h3>
      {cases.length === 0 ? (
        <p className="quiet">None in {formatCount(runs.length, 'run')}.</p>
      ) : (
        <table className="runs over-runs">
          <tbody>
            {cases.slice(0, MAX_FLAKY).map(({ item: { result }, statuses, changes }) => (
              <tr key={result.id}>
                <td className="case-name">
                  <a href={hrefOf({ view: 'tests', case: result.id, filter: '' })}>{escapeControls(result.title)}</a>
                </td>
                <td>
                  <Statuses statuses={statuses} runs={runs} />
                </td>
                <td className="number quiet">{changes > 0 ? formatCount(changes, 'change') : formatCount(result.attempts, 'attempt')}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function Paced({ tests }: { readonly tests: readonly TestHistory[] }) {
  return (
    <section className="card">
      <h3>
        Slower, faster <span className="quiet">than the noise of the earlier runs</span>
      </h3>
      {tests.length === 0 ? (
        <p className="quiet">No test.</p>
      ) : (
        <table className="runs over-runs">
          <tbody>
            {tests.slice(0, MAX_FLAKY).map(({ test, times, pace = 1 }) => (
              <tr key={test.header.test}>
                <td className="case-name">{escapeControls(test.header.path.join(' › '))}</td>
                <td>
                  <Curve times={times} />
                </td>
                <td className="number">{describePace(pace)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

/** `2.5 x slower` */
function describePace(pace: number): string {
  const factor = Math.max(pace, 1 / pace);
  return `${factor >= 10 ? Math.round(factor) : factor.toFixed(1)} x ${pace > 1 ? 'slower' : 'faster'}`;
}

/** In CSS pixels. */
const [CURVE_WIDTH, CURVE_HEIGHT] = [96, 20];

/** Times as a line, with a dot for the last one. */
function Curve({ times }: { readonly times: readonly (number | undefined)[] }) {
  const longest = Math.max(0.001, ...times.map((time) => time ?? 0));
  const step = (CURVE_WIDTH - 6) / Math.max(1, times.length - 1);
  const points = times.flatMap((time, i) => (time === undefined ? [] : [[3 + i * step, CURVE_HEIGHT - 3 - (time / longest) * (CURVE_HEIGHT - 6)] as const]));
  const last = points.at(-1);
  return (
    <svg
      className="curve"
      width={CURVE_WIDTH}
      height={CURVE_HEIGHT}
      role="img"
      aria-label={times.map((time) => (time === undefined ? 'not run' : formatDuration(time))).join(', ')}
    >
      <polyline points={points.map((point) => point.join()).join(' ')} />
      {last && <circle cx={last[0]} cy={last[1]} r="2.5" />}
    </svg>
  );
}
