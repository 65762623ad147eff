import { escapeControls, formatDuration } from '../../../src/formats/style.ts';
import { type Item, isFailing, type Store, timeOf } from './store.ts';

/** A period on a lane, in milliseconds since the start of the run. */
export interface Bar {
  readonly lane: number;
  readonly row: number;
  readonly from: number;
  readonly to: number;
  readonly kind: 'setup' | 'shared' | 'waiting' | 'body' | 'teardown' | 'failed';
  readonly label: string;
  /** Drawn within the bar if it fits. */
  readonly name?: string;
  readonly item?: Item;
}

/** Shorter spans of fixtures are not drawn. In milliseconds. */
const MIN_SPAN_MS = 0.05;
/** The maximum number of drawn rows of a lane: more cases rarely overlap. */
const MAX_ROWS = 8;

/** The bars of a run, and the rows of each lane: overlapping cases are below each other. */
export function listBars(store: Store): { bars: Bar[]; rows: { lane: number; row: number }[]; end: number } {
  const { began } = store;
  const bars: Bar[] = [];
  const free = new Map<number, number[]>();
  const rowFor = (lane: number, from: number, to: number): number => {
    const ends = free.get(lane) ?? [];
    free.set(lane, ends);
    const row = ends.findIndex((end) => end <= from + 0.001);
    if (row >= 0) ends[row] = to;
    else ends.push(to);
    return row >= 0 ? row : ends.length - 1;
  };
  const ran = store.items.filter(({ result }) => timeOf(result) > 0).sort((a, b) => a.zero + a.result.start - b.zero - b.result.start);
  for (const item of ran) {
    const { result, lane } = item;
    const from = item.zero - began + result.start;
    const { setup, body, teardown } = result.times;
    const row = rowFor(lane, from, from + setup + body + teardown);
    const label = `${escapeControls(result.title)}: ${formatDuration(setup + body + teardown)}`;
    if (setup > 0) bars.push({ lane, row, from, to: from + setup, kind: 'setup', label: `${label}, setup ${formatDuration(setup)}`, item });
    bars.push({ lane, row, from: from + setup, to: from + setup + body, kind: isFailing(result.status) ? 'failed' : 'body', label, item });
    if (teardown > 0) bars.push({ lane, row, from: from + setup + body, to: from + setup + body + teardown, kind: 'teardown', label, item });
  }
  // A run-scoped fixture is set up once, for the lane that needs it first. The others wait.
  const beginnings = new Map<string, number>();
  for (const { zero, kind, fixture, scope, start } of store.spans) {
    if (scope === 'run' && kind === 'setup') beginnings.set(fixture, Math.min(beginnings.get(fixture) ?? Number.POSITIVE_INFINITY, zero + start));
  }
  for (const { lane, zero, kind, fixture, scope, start, milliseconds } of store.spans) {
    if (scope === 'case' || milliseconds < MIN_SPAN_MS) continue;
    const from = zero - began + start;
    const name = escapeControls(fixture);
    if (scope === 'run' && kind === 'setup' && zero + start > (beginnings.get(fixture) as number)) {
      const label = `waited for the setup of “${name}”: ${formatDuration(milliseconds)}`;
      bars.push({ lane, row: 0, from, to: from + milliseconds, kind: 'waiting', label, name: `waits for ${name}` });
      continue;
    }
    const label = `${kind} of the shared fixture “${name}” (scope: ${scope}): ${formatDuration(milliseconds)}`;
    bars.push({ lane, row: 0, from, to: from + milliseconds, kind: kind === 'teardown' ? 'teardown' : 'shared', label, name });
  }
  const rows = [...free].sort(([a], [b]) => a - b).flatMap(([lane, ends]) => ends.slice(0, MAX_ROWS).map((_, row) => ({ lane, row })));
  return { bars, rows, end: bars.reduce((end, { to }) => Math.max(end, to), 1) };
}
