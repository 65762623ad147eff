import { formatDuration } from '../../../src/formats/style.ts';
import type { Status } from '../../../src/running/result.ts';
import { isFailing, type Store } from '../record/store.ts';
import { Headings } from './Headings.tsx';

/** The maximum number of runs in the chart, and in the list. */
const MAX_CHART_RUNS = 30;
const MAX_LISTED_RUNS = 8;
/** In CSS pixels. */
const CHART_HEIGHT = 56;

interface Run {
  readonly name: string;
  readonly started: string;
  readonly failed: number;
  readonly others: number;
  /** The total time of all cases, in milliseconds. */
  readonly milliseconds: number;
  readonly isThis: boolean;
}

/** This run and earlier ones: failed and other cases, and their total time. */
export function RecentRuns({ store }: { readonly store: Store }) {
  if (store.history.length === 0) return null;
  const runs = listRuns(store);
  return (
    <section className="recent">
      <h3>
        Recent runs <span className="quiet">line: time of the cases</span>
      </h3>
      <Chart runs={runs.slice(-MAX_CHART_RUNS)} />
      <table className="runs">
        <caption className="unseen">this run and those before it</caption>
        <Headings names={['run', 'failed', 'others', 'cases took']} numeric={['failed', 'others', 'cases took']} />
        <tbody>
          {runs
            .slice(-MAX_LISTED_RUNS)
            .reverse()
            .map(({ name, started, failed, others, milliseconds, isThis }) => (
              <tr key={name} className={isThis ? 'this' : undefined}>
                <td className="when" title={`${formatTime(started)} UTC`}>
                  {isThis ? 'this run' : formatTime(started).slice(5)}
                </td>
                <td className={`number ${failed > 0 ? 'failed' : 'quiet'}`}>{failed.toLocaleString('en')}</td>
                <td className="number">{others.toLocaleString('en')}</td>
                <td className="number quiet">{formatDuration(milliseconds)}</td>
              </tr>
            ))}
        </tbody>
      </table>
    </section>
  );
}

const formatTime = (started: string): string => started.slice(0, 16).replace('T', ' ');

/** The runs, oldest first. */
function listRuns({ history, name, info, state }: Store): Run[] {
  const count = (counts: Readonly<Record<string, number>>, failing: boolean): number =>
    Object.entries(counts).reduce((sum, [status, count]) => sum + (isFailing(status as Status) === failing && didRun(status) ? count : 0), 0);
  const earlier = history.map(
    (run): Run => ({
      name: run.name,
      started: run.started,
      failed: count(run.counts, true),
      others: count(run.counts, false),
      milliseconds: Object.values(run.times).reduce((sum, time) => sum + time, 0),
      isThis: false,
    }),
  );
  const own: Run = {
    name,
    started: info?.started ?? '',
    failed: count(state.counts, true),
    others: count(state.counts, false),
    milliseconds: state.totalCaseMs,
    isThis: true,
  };
  return [...earlier.reverse(), own];
}

const didRun = (status: string): boolean => status !== 'not-run' && status !== 'not-requested';

/** A column for each run with failures at the bottom, and a line for the time. */
function Chart({ runs }: { readonly runs: readonly Run[] }) {
  const maxCases = Math.max(1, ...runs.map(({ failed, others }) => failed + others));
  const longest = Math.max(1, ...runs.map(({ milliseconds }) => milliseconds));
  const step = 100 / Math.max(runs.length, 6);
  const label = `${runs.length} runs: ${runs.filter(({ failed }) => failed > 0).length} with failures; the table has the numbers`;
  const yOf = (milliseconds: number): number => CHART_HEIGHT - 2 - (milliseconds / longest) * (CHART_HEIGHT - 6);
  const points = runs.map(({ milliseconds }, i) => `${(i + 0.4) * step},${yOf(milliseconds)}`).join(' ');
  return (
    <svg className="trend" viewBox={`0 0 100 ${CHART_HEIGHT}`} preserveAspectRatio="none" role="img" aria-label={label}>
      {runs.map(({ name, failed, others, started }, i) => {
        const [low, high] = [(failed / maxCases) * CHART_HEIGHT, (others / maxCases) * CHART_HEIGHT];
        // A single failure among thousands stays visible.
        const red = failed > 0 ? Math.max(3, low) : 0;
        return (
          <g key={name}>
            <title>{`${formatTime(started)} UTC: ${failed} failed of ${failed + others}`}</title>
            <rect className="others" x={i * step} width={step * 0.8} y={CHART_HEIGHT - high - red} height={high} />
            <rect className="failed" x={i * step} width={step * 0.8} y={CHART_HEIGHT - red} height={red} />
          </g>
        );
      })}
      <polyline className="time" points={points} vectorEffect="non-scaling-stroke" />
    </svg>
  );
}
