import type { Span } from '../../fixtures/instance.ts';
import { formatThousands } from '../../problems/format-thousands.ts';
import type { JournalEntry } from '../../results/journal/entries.ts';
import type { RecordedResult } from '../../results/recorded-result.ts';
import { formatLaneName, type RunInfo } from '../../results/run-info.ts';
import { measureWidth, padOrTruncate } from '../columns.ts';
import { escapeToOneLine, formatDuration, type Style } from '../style.ts';

/** The times of a setup, a body and a teardown, in milliseconds. */
interface Bar {
  readonly label: string;
  readonly depth: number;
  readonly parts: readonly { readonly from: number; readonly to: number; readonly sign: string }[];
}

const symbols = { setup: '▒', body: '█', teardown: '░', alive: '─' } as const;
const depths: Readonly<Record<Span['scope'], number>> = { run: 0, lane: 0, file: 1, suite: 2, test: 3, case: 5 };
const MAX_BARS = 120;

/** The spans and results of one lane. Times are in milliseconds since the start of the first lane. */
interface LaneTimes {
  readonly spans: Span[];
  readonly results: Pick<RecordedResult, 'title' | 'start' | 'times'>[];
}

/** Renders each setup, body and teardown as a bar, lane by lane on a common time axis: longer scopes first, cases in starting order. */
export function renderTimeline(entries: () => Iterable<JournalEntry>, width: number, style: Style, machines?: RunInfo['machines']): string[] {
  const lanes = sumLaneTimes(entries);
  let end = 0;
  for (const { spans, results } of lanes.values()) {
    for (const { start, milliseconds } of spans) end = Math.max(end, start + milliseconds);
    for (const { start, times } of results) end = Math.max(end, start + times.setup + times.body + times.teardown);
  }
  if (end === 0) return ['nothing ran, so the timeline is empty'];
  const formatted = [...lanes]
    .sort(([a], [b]) => a - b)
    .map(([lane, times]) => ({ name: escapeToOneLine(formatLaneName(lane, machines)), bars: buildBars(times, end) }));
  const everyBar = formatted.flatMap(({ bars }) => bars.slice(0, MAX_BARS));
  const labels = Math.min(
    Math.max(40, Math.floor(width * 0.4)),
    Math.max(...formatted.map(({ name }) => measureWidth(name)), ...everyBar.map(({ label, depth }) => measureWidth(label) + depth * 2)),
  );
  const axis = Math.max(20, width - labels - 2);
  const lines: string[] = [];
  for (const { name, bars } of formatted) {
    if (bars.length === 0) continue;
    if (lines.length > 0) lines.push('');
    lines.push(`${style.bold(padOrTruncate(name, labels))}  ${style.dim(`0${formatDuration(end).padStart(axis - 1)}`)}`);
    for (const bar of bars.slice(0, MAX_BARS)) lines.push(`${padOrTruncate(`${'  '.repeat(bar.depth)}${bar.label}`, labels)}  ${draw(bar, end, axis, style)}`);
    if (bars.length > MAX_BARS) lines.push(style.dim(`… and ${formatThousands(bars.length - MAX_BARS)} more`));
  }
  lines.push('', style.dim(`${symbols.setup} setup   ${symbols.body} body   ${symbols.teardown} teardown   ${symbols.alive} alive`));
  return lines;
}

function sumLaneTimes(entries: () => Iterable<JournalEntry>): Map<number, LaneTimes> {
  let zero = Number.POSITIVE_INFINITY;
  for (const entry of entries()) if (entry.type === 'running') zero = Math.min(zero, entry.at);
  const lanes = new Map<number, LaneTimes>();
  let times: LaneTimes = { spans: [], results: [] };
  let offset = 0;
  for (const entry of entries()) {
    if (entry.type === 'header') {
      times = lanes.get(entry.lane) ?? { spans: [], results: [] };
      lanes.set(entry.lane, times);
    } else if (entry.type === 'running') offset = entry.at - zero;
    else if (entry.type === 'span') times.spans.push({ ...entry.span, start: entry.span.start + offset });
    else if (entry.type === 'ended' && entry.result.attempts > 0)
      times.results.push({ title: entry.result.title, times: entry.result.times, start: entry.result.start + offset });
  }
  // Every lane records its wait for a run-scoped fixture. The first one is kept.
  const first = new Map<string, Span>();
  const runs = [...lanes.values()].flatMap(({ spans }) => spans.filter(({ scope }) => scope === 'run')).sort((a, b) => a.start - b.start);
  for (const span of runs) if (!first.has(buildBarKey(span))) first.set(buildBarKey(span), span);
  for (const [lane, { spans, results }] of lanes)
    lanes.set(lane, { results, spans: spans.filter((span) => span.scope !== 'run' || first.get(buildBarKey(span)) === span) });
  return lanes;
}

const buildBarKey = ({ kind, fixture, owner }: Span): string => JSON.stringify([kind, fixture, owner]);

function buildBars({ spans, results }: LaneTimes, end: number): Bar[] {
  const all = [...buildFixtureBars(spans, end), ...buildCaseBars(results)].sort((a, b) => begin(a) - begin(b) || a.depth - b.depth);
  const outermost = all.reduce((least, { depth }) => Math.min(least, depth), Number.POSITIVE_INFINITY);
  return all.map((bar) => ({ ...bar, depth: bar.depth - outermost }));
}

/** Rounded to hundredths of a millisecond, so that a case precedes its own fixtures and follows those of longer scopes. */
const begin = ({ parts, depth }: Bar): number => Math.floor(Math.min(...parts.map(({ from }) => from)) * (depth > 3 ? 1000 : 1)) / (depth > 3 ? 1000 : 1);

/** The bar of a fixture: from the start of its setup to the end of its teardown. */
function buildFixtureBars(spans: readonly Span[], end: number): Bar[] {
  const open = new Map<string, Span[]>();
  const bars: Bar[] = [];
  const add = (up: Span, down: Span | undefined): void => {
    const ready = up.start + up.milliseconds;
    const teardownStart = down?.start ?? end;
    const parts = [
      { from: ready, to: teardownStart, sign: symbols.alive },
      { from: up.start, to: ready, sign: symbols.setup },
      ...(down ? [{ from: down.start, to: down.start + down.milliseconds, sign: symbols.teardown }] : []),
    ];
    bars.push({ label: `${escapeToOneLine(up.fixture)} (${up.scope})`, depth: depths[up.scope], parts });
  };
  for (const span of spans) {
    const key = JSON.stringify([span.fixture, span.owner]);
    const waiting = open.get(key) ?? [];
    if (span.kind === 'setup') open.set(key, [...waiting, span]);
    else {
      const up = waiting.pop();
      if (up) add(up, span);
    }
  }
  for (const waiting of open.values()) for (const up of waiting) add(up, undefined);
  return bars;
}

function buildCaseBars(results: LaneTimes['results']): Bar[] {
  return results.map(({ title, start, times }) => {
    const bodyStart = start + times.setup;
    const teardownStart = bodyStart + times.body;
    const parts = [
      { from: start, to: bodyStart, sign: symbols.setup },
      { from: bodyStart, to: teardownStart, sign: symbols.body },
      { from: teardownStart, to: teardownStart + times.teardown, sign: symbols.teardown },
    ];
    return { label: escapeToOneLine(title.split(' › ').at(-1) ?? ''), depth: 4, parts };
  });
}

/** A short time is drawn one column wide, so that it stays visible. */
function draw({ parts }: Bar, end: number, axis: number, style: Style): string {
  const cells = Array<string>(axis).fill(' ');
  for (const { from, to, sign } of parts) {
    if (to <= from) continue;
    const first = Math.min(axis - 1, Math.floor((from / end) * axis));
    const last = Math.min(axis - 1, Math.max(first, Math.ceil((to / end) * axis) - 1));
    for (let at = first; at <= last; at++) cells[at] = sign;
  }
  const paint = (cell: string): string =>
    cell === symbols.body ? style.cyan(cell) : cell === symbols.alive ? style.dim(cell) : cell === ' ' ? cell : style.yellow(cell);
  return cells
    .join('')
    .trimEnd()
    .replace(/(.)\1*/g, (run) => (style.colours ? paint(run[0] as string).replace(run[0] as string, run) : run));
}
