import { useEffect, useMemo, useState } from 'react';
import { formatCondition, type Status } from 'red-lattice';
import { causesOf, type Ended, type RunSoFar, run, type TestSoFar } from './run.ts';

const shownFailures = 3;

/** Runs the office's suites in this page: when it opens, after a file is saved, and on request. */
export function App() {
  const [onRequest, setOnRequest] = useState(false);
  const [turn, setTurn] = useState(0);
  const [soFar, setSoFar] = useState<RunSoFar>();
  const [stop, setStop] = useState<AbortController>();
  useEffect(() => {
    const stopping = new AbortController();
    setStop(stopping);
    let drawing = 0;
    void run({ onRequest, signal: stopping.signal }, (state) => {
      cancelAnimationFrame(drawing);
      drawing = requestAnimationFrame(() => setSoFar({ ...state }));
    });
    return () => {
      cancelAnimationFrame(drawing);
      stopping.abort();
    };
  }, [onRequest, turn]);
  const isOver = soFar?.summary !== undefined || (soFar?.problems.length ?? 0) > 0;
  return (
    <>
      <header>
        <h1>The suites, in this page</h1>
        <Summary soFar={soFar} />
        <label>
          <input type="checkbox" checked={onRequest} onChange={(event) => setOnRequest(event.target.checked)} /> with the draft of the tariff
        </label>
        {isOver ? (
          <button type="button" onClick={() => setTurn(turn + 1)}>
            Run again
          </button>
        ) : (
          <button type="button" onClick={() => stop?.abort()}>
            Stop
          </button>
        )}
      </header>
      <main>
        {soFar?.problems.map((problem) => (
          <p role="alert" key={problem}>
            {problem}
          </p>
        ))}
        {suitesOf(soFar).map(([title, tests]) => (
          <section key={title}>
            <h2>{title}</h2>
            {tests.map((test) => (
              <Test key={test.path.join('\n')} test={test} ended={test.ended.length} />
            ))}
          </section>
        ))}
      </main>
    </>
  );
}

function suitesOf(soFar: RunSoFar | undefined): [string, TestSoFar[]][] {
  const suites = new Map<string, TestSoFar[]>();
  for (const test of soFar?.tests.values() ?? []) {
    const title = test.path.slice(0, -1).join(' › ');
    suites.set(title, [...(suites.get(title) ?? []), test]);
  }
  return [...suites];
}

const shownStatuses: readonly Status[] = ['passed', 'failed', 'errored', 'known-failure', 'not-requested', 'skipped'];
const inWords = (counts: Partial<Record<Status, number>>): string =>
  shownStatuses
    .filter((status) => counts[status])
    .map((status) => `${counts[status]} ${status.replaceAll('-', ' ')}`)
    .join(', ');

function Summary({ soFar }: { readonly soFar: RunSoFar | undefined }) {
  const counts: Partial<Record<Status, number>> = {};
  for (const test of soFar?.tests.values() ?? []) for (const status of shownStatuses) counts[status] = (counts[status] ?? 0) + (test.counts[status] ?? 0);
  const { summary } = soFar ?? {};
  return (
    <strong role="status" className={summary ? (summary.ok ? 'passed' : 'failed') : ''}>
      {summary ? '' : 'running: '}
      {inWords(counts)}
    </strong>
  );
}

function Test({ test, ended }: { readonly test: TestSoFar; readonly ended: number }) {
  const { path, counts, failing, underWay } = test;
  const where = useMemo(() => (failing.length > 0 ? causesOf(test) : undefined), [test, failing.length, ended]);
  const state = failing.length > 0 ? 'failed' : underWay > 0 ? 'running' : counts.passed ? 'passed' : 'not-requested';
  return (
    <div className={`test ${state}`}>
      <span className="title">{path.at(-1)}</span> <small>{underWay > 0 ? 'running' : inWords(counts)}</small>
      {where?.causes.map(({ conditions, failing, cases }) => (
        <p key={conditions.map(formatCondition).join()}>
          where <code>{conditions.map(formatCondition).join(' & ')}</code>, {failing} of {cases} fail
        </p>
      ))}
      {failing.slice(0, shownFailures).map((one) => (
        <Failing key={one.planned.id} one={one} />
      ))}
      {failing.length > shownFailures && <p className="more">and {failing.length - shownFailures} more</p>}
    </div>
  );
}

const Failing = ({ one: { planned, result } }: { readonly one: Ended }) => (
  <article>
    <h3>
      {planned.title
        .split(' › ')
        .slice(planned.path.length - 1)
        .at(-1)}
    </h3>
    {result.failures.map(({ message, note, actual, expected, location: place }) => (
      <dl key={`${message} ${place?.line} ${place?.column}`}>
        <dt>{note ?? message}</dt>
        {actual !== undefined && <dd>is {actual}</dd>}
        {expected !== undefined && <dd>should be {expected}</dd>}
        {/* Without the line, which is that of the served file. */}
        {place && <dd className="place">{new URL(place.file, location.href).pathname}</dd>}
      </dl>
    ))}
  </article>
);
