import { useMemo } from 'react';
import { formatCount, formatDuration } from '../../../src/formats/style.ts';
import { type Store, timeOf } from '../record/store.ts';

/** Two classes per power of ten. */
const CLASSES_PER_DECADE = 2;
const HEIGHT = 96;

interface Class {
  /** Milliseconds. */
  readonly from: number;
  readonly count: number;
}

function countClasses(milliseconds: readonly number[]): Class[] {
  const classOf = (time: number): number => Math.floor(Math.log10(time) * CLASSES_PER_DECADE);
  const counts = new Map<number, number>();
  for (const time of milliseconds) counts.set(classOf(time), (counts.get(classOf(time)) ?? 0) + 1);
  const known = [...counts.keys()];
  if (known.length === 0) return [];
  const [first, last] = [Math.min(...known), Math.max(...known)];
  return Array.from({ length: last - first + 1 }, (_, i) => ({ from: 10 ** ((first + i) / CLASSES_PER_DECADE), count: counts.get(first + i) ?? 0 }));
}

/** A histogram of the durations of cases, in classes that are each about three times as long as the previous one. */
export function Durations({ store }: { readonly store: Store }) {
  const classes = useMemo(() => countClasses(store.items.map(({ result }) => timeOf(result)).filter((time) => time > 0)), [store, store.version]);
  if (classes.length < 2) return null;
  const maxCount = Math.max(...classes.map(({ count }) => count));
  const step = 100 / classes.length;
  return (
    <section className="card durations">
      <h3>
        Durations <span className="quiet">cases by their time</span>
      </h3>
      <svg viewBox={`0 0 100 ${HEIGHT}`} preserveAspectRatio="none" role="img" aria-label={classes.map(formatClass).join(', ')}>
        {classes.map((one, i) => {
          // Few cases are slow. A square root makes a single one visible.
          const high = one.count === 0 ? 0 : Math.max(2, Math.sqrt(one.count / maxCount) * HEIGHT);
          return (
            <rect key={one.from} x={i * step} width={step * 0.86} y={HEIGHT - high} height={high}>
              <title>{formatClass(one)}</title>
            </rect>
          );
        })}
      </svg>
      <p className="scale quiet" aria-hidden="true">
        <span>{formatDuration(classes[0]?.from ?? 0)}</span>
        <span>{formatDuration(classes[Math.floor(classes.length / 2)]?.from ?? 0)}</span>
        <span>{formatDuration((classes.at(-1)?.from ?? 0) * 10 ** (1 / CLASSES_PER_DECADE))}</span>
      </p>
    </section>
  );
}

const formatClass = ({ from, count }: Class): string => `${formatCount(count, 'case')} from ${formatDuration(from)}`;
