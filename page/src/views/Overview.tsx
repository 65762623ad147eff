import { useMemo } from 'react';
import { renderUnrun } from '../../../src/formats/not-run.ts';
import { escapeControls, formatDuration, formatStatus } from '../../../src/formats/style.ts';
import { describeOutsideCases } from '../../../src/formats/summary-line.ts';
import { countEqualProblems } from '../../../src/problems/equal-problems.ts';
import { formatProblem } from '../../../src/problems/format-problem.ts';
import type { Problem } from '../../../src/problems/problem.ts';
import { formatLocation } from '../../../src/problems/source-location.ts';
import type { WhereItFails } from '../../../src/results/where/causes.ts';
import type { Status } from '../../../src/running/result.ts';
import { CauseCard } from '../parts/CauseCard.tsx';
import { FailureBlock } from '../parts/Failure.tsx';
import { Lattice } from '../parts/Lattice.tsx';
import { RecentRuns } from '../parts/RecentRuns.tsx';
import { Counts, Sign } from '../parts/Status.tsx';
import { type Item, isFailing, type Store } from '../record/store.ts';
import { describeVerdict } from '../record/verdict.ts';
import { hrefOf } from '../route.ts';

/** The summary of a run: whether it passed, what failed, where, since when, and how long it took. */
export function Overview({ store, where }: { readonly store: Store; readonly where: ReadonlyMap<number, WhereItFails> }) {
  const { state, info } = store;
  const failing = useMemo(() => store.items.filter(({ result }) => isFailing(result.status)), [store, store.version]);
  const newly = useMemo(() => new Set(store.newlyFailing), [store, store.version]);
  const red = [...store.tests.values()].filter((test) => test.items.some(({ result }) => isFailing(result.status)));
  const [before] = store.history;
  const { notRun } = state;
  const outsideCases = describeOutsideCases(state, info?.strictWarnings);
  const isRed =
    failing.length + state.tornDown.length + state.runProblems.length + state.planProblems.length + state.loadFailures.length + (info?.strictWarnings ?? 0) > 0;
  const { mood, headline } = describeVerdict({
    cases: store.items.length,
    failing: failing.length,
    passed: state.counts.passed,
    isRed,
    isLive: store.live,
    isPartial: notRun !== undefined,
  });
  return (
    <div className="overview">
      <div>
        <section className={`verdict ${mood}`}>
          <h2>{headline}</h2>
          <Shares counts={state.counts} />
          {store.items.length > 0 && <Counts counts={state.counts} />}
          {outsideCases !== undefined && <p>{outsideCases}</p>}
          {notRun && (
            <p>
              <Sign status="not-run" /> {escapeControls(renderUnrun(notRun))}
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
          <RunFacts store={store} />
        </section>
        <Lattice store={store} />
        <Problems problems={[...state.loadFailures, ...state.planProblems, ...state.runProblems]} title="Problems" />
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
          <section className="causes-list">
            <h3>What fails, and where</h3>
            {red.map((test) => (
              <CauseCard key={test.header.test} test={test} newly={newly} where={where.get(test.header.test)} version={store.version} />
            ))}
          </section>
        )}
      </div>
      <aside>
        <Excused store={store} />
        <Problems problems={state.warnings} title="Warnings" />
        <Slow store={store} />
        <RecentRuns store={store} />
      </aside>
    </div>
  );
}

/** Duration, lanes, seed, start time and versions of the run. */
function RunFacts({ store: { info, live, state } }: { readonly store: Store }) {
  const wall = info?.milliseconds;
  const facts: readonly (readonly [string, string])[] = [
    ['took', wall === undefined ? (live ? 'running' : 'incomplete') : formatDuration(wall)],
    ['cases', `${formatDuration(state.totalCaseMs)}${info && info.lanes > 1 ? ` in ${info.lanes} lanes` : ''}`],
    ['seed', `${info?.seed ?? ''}`],
    ['began', `${info?.started.slice(0, 16).replace('T', ' ') ?? ''} UTC`],
    ['with', `Red Lattice ${info?.tool}, Node ${info?.node}`],
  ];
  return (
    <dl className="facts">
      {facts.map(([name, value]) => (
        <div key={name}>
          <dt>{name}</dt>
          <dd>{escapeControls(value)}</dd>
        </div>
      ))}
    </dl>
  );
}

const shareOrder: readonly Status[] = ['failed', 'errored', 'known-failure', 'passed', 'skipped', 'not-requested', 'not-run'];

/** The statuses of all cases, as parts of one bar. */
function Shares({ counts }: { readonly counts: Readonly<Record<string, number>> }) {
  const present = shareOrder.filter((status) => (counts[status] ?? 0) > 0);
  if (present.length === 0) return null;
  return (
    <div className="shares" aria-hidden="true">
      {present.map((status) => (
        <i key={status} className={status} style={{ flexGrow: counts[status] }} />
      ))}
    </div>
  );
}

function Problems({ problems, title }: { readonly problems: readonly Problem[]; readonly title: string }) {
  if (problems.length === 0) return null;
  return (
    <section>
      <h3>{title}</h3>
      <ul>
        {countEqualProblems(problems).map(({ problem, count }, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: they never change places
          <li key={i}>
            {problem.at && <code>{formatLocation(problem.at)}</code>} {escapeControls(formatProblem(problem))}
            {count > 1 && ` (${count} times)`}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Excused cases, with their reasons. */
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
              {count.toLocaleString('en')} {expired ? 'expired' : formatStatus(status)}
            </a>
            : {escapeControls(reason)}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The maximum length of a title in the side column, in characters. Longer titles are shortened at the beginning: cases differ at the end. */
const MAX_TITLE_LENGTH = 64;
const shorten = (title: string): string => (title.length > MAX_TITLE_LENGTH ? `…${title.slice(1 - MAX_TITLE_LENGTH)}` : title);

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
              <td className="number">{formatDuration(milliseconds)}</td>
              <td title={escapeControls(title)}>
                <span className="slow-title">{escapeControls(shorten(title))}</span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
