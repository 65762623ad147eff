import { useMemo } from 'react';
import { isAcceptable } from '../../../src/formats/accept-command.ts';
import { renderUnrun } from '../../../src/formats/not-run.ts';
import { duration, escapeControls, statusLabel } from '../../../src/formats/style.ts';
import { besideCases } from '../../../src/formats/summary-line.ts';
import { formatProblem } from '../../../src/problems/format-problem.ts';
import type { Problem } from '../../../src/problems/problem.ts';
import { formatLocation } from '../../../src/problems/source-location.ts';
import type { WhereItFails } from '../../../src/results/where/causes.ts';
import { formatCondition } from '../../../src/results/where/condition.ts';
import type { Status } from '../../../src/running/result.ts';
import { Acceptable } from '../parts/Acceptable.tsx';
import { FailureBlock } from '../parts/Failure.tsx';
import { Lattice } from '../parts/Lattice.tsx';
import { Counts, Sign } from '../parts/Status.tsx';
import { SuspectsLine } from '../parts/SuspectsLine.tsx';
import { type Item, isFailing, keyOf, type Store, type TestItem } from '../record/store.ts';
import { hrefOf } from '../route.ts';

const most = 12;

/** At a glance: is it fine, what failed, where, since when, how long did it take. */
export function Overview({ store, where }: { readonly store: Store; readonly where: ReadonlyMap<number, WhereItFails> }) {
  const { state, info, history } = store;
  const failing = useMemo(() => store.items.filter(({ result }) => isFailing(result.status)), [store, store.version]);
  const newly = useMemo(() => new Set(store.newlyFailing), [store, store.version]);
  const red = [...store.tests.values()].filter((test) => test.items.some(({ result }) => isFailing(result.status)));
  const [before] = history;
  const { notRun: unrun } = state;
  const beside = besideCases(state, info?.strictWarnings);
  const isRed =
    failing.length + state.tornDown.length + state.told.length + state.planProblems.length + state.loadFailures.length + (info?.strictWarnings ?? 0) > 0;
  return (
    <div className="overview">
      <div>
        <section className={`verdict ${isRed ? 'bad' : store.items.length === 0 || store.live || unrun ? 'open' : 'good'}`}>
          <h2>
            {store.items.length === 0 && !isRed
              ? store.live
                ? 'No results yet'
                : 'No case ran'
              : isRed
                ? `${failing.length.toLocaleString('en')} of ${store.items.length.toLocaleString('en')} cases failed`
                : `All ${store.items.length.toLocaleString('en')} cases ${unrun ? 'that ran ' : ''}passed or were excused`}
          </h2>
          <Counts counts={state.counts} />
          {beside !== undefined && <p>{beside}</p>}
          <p className="quiet">
            {info?.milliseconds === undefined ? (store.live ? 'running' : 'incomplete') : `${duration(info.milliseconds)}`} · cases{' '}
            {duration(state.totalCaseMs)}
            {info && info.lanes > 1 && info.milliseconds !== undefined && state.totalCaseMs > info.milliseconds ? ` in ${info.lanes} lanes` : ''} · seed{' '}
            {info?.seed} · {info?.started.slice(0, 16).replace('T', ' ')} UTC · Red Lattice {info?.tool}, Node {info?.node}
          </p>
          {unrun && (
            <p>
              <Sign status="not-run" /> {escapeControls(renderUnrun(unrun))}
            </p>
          )}
          {before && failing.length > 0 && (
            <p>
              {newly.size === 0
                ? 'All of them also failed in the previous run.'
                : newly.size === failing.length
                  ? 'All of them are newly failing.'
                  : `${newly.size} newly failing, ${failing.length - newly.size} still failing.`}{' '}
              <a href={hrefOf({ view: 'compare' })}>compare</a>
            </p>
          )}
        </section>
        <Lattice store={store} />
        <Problems problems={[...state.loadFailures, ...state.planProblems, ...state.told]} title="Problems" />
        {state.tornDown.map(({ id, title, result }) => (
          <section key={id} className="torn">
            <h3>
              <Sign status={result.status} /> {escapeControls(title)}
            </h3>
            {result.failures.map((failure, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: they never change places
              <FailureBlock key={i} failure={failure} store={store} />
            ))}
          </section>
        ))}
        {red.length > 0 && (
          <section>
            <h3>What fails, and where</h3>
            {red.map((test) => (
              <RedTest key={test.header.test} test={test} newly={newly} where={where.get(test.header.test)} />
            ))}
          </section>
        )}
      </div>
      <aside>
        <Excused store={store} />
        <Problems problems={state.warnings} title="Warnings" />
        <Slow store={store} />
        {history.length > 0 && (
          <section>
            <h3>Recent runs</h3>
            <Trend history={history} />
            <table className="runs">
              <thead>
                <tr>
                  <th scope="col">run</th>
                  <th scope="col">result</th>
                </tr>
              </thead>
              <tbody>
                {history.slice(0, most).map((run) => (
                  <tr key={run.name}>
                    <td className="when" title={`${run.started.slice(0, 16).replace('T', ' ')} UTC`}>
                      {run.started.slice(5, 16).replace('T', ' ')}
                    </td>
                    <td>
                      <Counts counts={run.counts} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
        )}
      </aside>
    </div>
  );
}

function RedTest({ test, newly, where }: { readonly test: TestItem; readonly newly: ReadonlySet<Item>; readonly where: WhereItFails | undefined }) {
  const { header, items } = test;
  const failing = items.filter(({ result }) => isFailing(result.status));
  const [first] = failing;
  const title = header.path.join(' › ');
  // Those whose columns differ are in a table with their values.
  const listed = failing.filter(({ result }) => !isAcceptable(result) || result.failures.some(({ columns }) => !columns));
  const most = where ? 3 : 6;
  return (
    <div className="red-test">
      <h4>
        <Sign status={first?.result.status ?? 'failed'} />{' '}
        <a href={hrefOf({ view: 'tests', filter: 'status:failed,errored', case: first?.result.id })}>{escapeControls(title)}</a>{' '}
        <span className="quiet">
          {header.file} · {failing.length} of {items.length}
          {failing.some((item) => newly.has(item)) ? ' · newly failing' : ''}
        </span>
      </h4>
      {where?.suspects && <SuspectsLine suspects={where.suspects} />}
      {where && where.causes.length > 0 && (
        <table className="where">
          <caption className="unseen">where {escapeControls(title)} fails</caption>
          <tbody>
            {where.causes.map(({ conditions, failing, cases }) => {
              const told = conditions.map(formatCondition).join(' & ');
              return (
                <tr key={told}>
                  <th scope="row">
                    <a href={hrefOf({ view: 'matrix', test: keyOf(test), down: undefined, across: undefined })}>{escapeControls(told)}</a>
                  </th>
                  <td>
                    {failing} of {cases} fail
                  </td>
                </tr>
              );
            })}
            <tr className="quiet">
              <th scope="row">elsewhere</th>
              <td>
                {where.elsewhere.failing} of {where.elsewhere.cases}
              </td>
            </tr>
          </tbody>
        </table>
      )}
      <Acceptable results={failing.map(({ result }) => result)} file={header.file} />
      <ul>
        {listed.slice(0, most).map(({ result }) => (
          <li key={result.id}>
            <a href={hrefOf({ view: 'tests', case: result.id })}>
              {escapeControls(
                result.title
                  .split(' › ')
                  .slice(header.path.length - 1)
                  .slice(-1)[0] ?? result.title,
              )}
            </a>{' '}
            <span className="quiet">
              {escapeControls(result.failures[0]?.note ? `${result.failures[0].note}: ` : '')}
              {escapeControls(result.failures[0]?.message.split('\n')[0] ?? '')}
            </span>
          </li>
        ))}
        {listed.length > most && <li className="quiet">… and {(listed.length - most).toLocaleString('en')} more</li>}
      </ul>
    </div>
  );
}

function Problems({ problems, title }: { readonly problems: readonly Problem[]; readonly title: string }) {
  if (problems.length === 0) return null;
  return (
    <section>
      <h3>{title}</h3>
      <ul>
        {problems.map((problem, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: they never change places
          <li key={i}>
            {problem.at && <code>{formatLocation(problem.at)}</code>} {escapeControls(formatProblem(problem))}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What did not count, with the reasons that were given. */
function Excused({ store }: { readonly store: Store }) {
  const reasons = new Map<string, { status: Status; reason: string; count: number; expired: boolean }>();
  const add = ({ result }: Item): void => {
    const expired = result.cause === 'expired';
    if (!expired && !['skipped', 'not-requested', 'known-failure', 'not-run'].includes(result.status)) return;
    const key = `${result.status} ${result.reason ?? ''}`;
    const known = reasons.get(key);
    if (known) known.count++;
    else reasons.set(key, { status: result.status, reason: result.reason ?? '', count: 1, expired });
  };
  for (const item of store.items) add(item);
  if (reasons.size === 0) return null;
  return (
    <section>
      <h3>Skipped, not requested, known failures</h3>
      <ul className="excused">
        {[...reasons.values()].map(({ status, reason, count, expired }) => (
          <li key={`${status} ${reason}`}>
            <Sign status={status} />{' '}
            <a href={hrefOf({ view: 'tests', filter: `status:${status}` })}>
              {count.toLocaleString('en')} {expired ? 'expired' : statusLabel(status)}
            </a>
            : {escapeControls(reason)}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Slow({ store }: { readonly store: Store }) {
  const { slowest } = store.state;
  if (slowest.items.length === 0 || store.state.totalCaseMs < 50) return null;
  return (
    <section>
      <h3>
        Slowest <a href={hrefOf({ view: 'time' })}>time</a>
      </h3>
      <table className="runs">
        <tbody>
          {slowest.items.map(({ title, milliseconds }) => (
            <tr key={title}>
              <td className="number">{duration(milliseconds)}</td>
              <td>{escapeControls(title)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** Runs that the trend shows. */
const MAX_TREND_RUNS = 30;
const TREND_HEIGHT = 44;

/** The earlier runs as bars, the oldest first: passed, and failed on top. */
function Trend({ history }: { readonly history: Store['history'] }) {
  const runs = history.slice(0, MAX_TREND_RUNS).reverse();
  if (runs.length < 3) return null;
  const countOf = (counts: Readonly<Record<string, number>>, failing: boolean): number =>
    Object.entries(counts).reduce((sum, [status, count]) => sum + (isFailing(status as Status) === failing ? count : 0), 0);
  const most = Math.max(1, ...runs.map(({ counts }) => countOf(counts, true) + countOf(counts, false)));
  const width = 100 / runs.length;
  const label = `${runs.length} earlier runs: ${runs.filter(({ counts }) => countOf(counts, true) > 0).length} with failures`;
  return (
    <svg className="trend" viewBox={`0 0 100 ${TREND_HEIGHT}`} preserveAspectRatio="none" role="img" aria-label={label}>
      {runs.map(({ name, counts, started }, i) => {
        const [failed, other] = [(countOf(counts, true) / most) * TREND_HEIGHT, (countOf(counts, false) / most) * TREND_HEIGHT];
        // A single failure among thousands can be seen.
        const high = failed > 0 ? Math.max(2, failed) : 0;
        return (
          <g key={name}>
            <title>{`${started.slice(0, 16).replace('T', ' ')} UTC: ${countOf(counts, true)} failed of ${countOf(counts, true) + countOf(counts, false)}`}</title>
            <rect className="passed" x={i * width} width={width * 0.8} y={TREND_HEIGHT - other} height={other} />
            <rect className="failed" x={i * width} width={width * 0.8} y={Math.max(0, TREND_HEIGHT - other - high)} height={high} />
          </g>
        );
      })}
    </svg>
  );
}
