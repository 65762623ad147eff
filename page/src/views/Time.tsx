import { scaleLinear } from 'd3-scale';
import { useEffect, useMemo, useRef, useState } from 'react';
import { duration, escapeControls } from '../../../src/formats/style.ts';
import { formatLaneName } from '../../../src/results/run-info.ts';
import { Sign } from '../parts/Status.tsx';
import { type Item, type Store, timeOf } from '../record/store.ts';
import { go, hrefOf } from '../route.ts';

/** Something that took time on a lane, in milliseconds since the run began. */
interface Bar {
  readonly lane: number;
  readonly row: number;
  readonly from: number;
  readonly to: number;
  readonly kind: 'setup' | 'body' | 'teardown' | 'failed' | 'fixture';
  readonly label: string;
  readonly item?: Item;
}

const rowHeight = 18;
const top = 26;
/** The width of lane names in pixels, without and with machine names. */
const labelWidth = 58;
const wideLabelWidth = 150;

/** Lanes over time, what was slow, and which fixture costs what. */
export function Time({ store }: { readonly store: Store }) {
  const slowest = useMemo(() => [...store.items].sort((a, b) => timeOf(b.result) - timeOf(a.result)).slice(0, 25), [store, store.version]);
  const fixtures = store.state.fixtures.all;
  const { state, info } = store;
  return (
    <div className="time-view">
      <section>
        <h3>Lanes</h3>
        <p className="quiet">
          {info?.milliseconds === undefined ? '' : `${duration(info.milliseconds)} wall time, `}
          {duration(state.totalCaseMs)} of cases
          {info && info.lanes > 1 ? ` in ${info.lanes} lanes` : ''}
        </p>
        <Lanes store={store} />
      </section>
      <section>
        <h3>Slowest cases</h3>
        <table className="runs">
          <thead>
            <tr>
              <th scope="col">time</th>
              <th scope="col">setup</th>
              <th scope="col">body</th>
              <th scope="col">teardown</th>
              <th scope="col">case</th>
            </tr>
          </thead>
          <tbody>
            {slowest.map(({ result }) => (
              <tr key={result.id}>
                <td className="number">{duration(timeOf(result))}</td>
                <td className="number quiet">{timeOrNone(result.times.setup)}</td>
                <td className="number quiet">{timeOrNone(result.times.body)}</td>
                <td className="number quiet">{timeOrNone(result.times.teardown)}</td>
                <td>
                  <Sign status={result.status} /> <a href={hrefOf({ view: 'tests', case: result.id, filter: '' })}>{escapeControls(result.title)}</a>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      <section>
        <h3>Shared fixtures</h3>
        {fixtures.length === 0 ? (
          <p className="quiet">No fixture is shared by several cases.</p>
        ) : (
          <table className="runs">
            <thead>
              <tr>
                <th scope="col">total</th>
                <th scope="col">setups</th>
                <th scope="col">each</th>
                <th scope="col">teardowns</th>
                <th scope="col">fixture</th>
                <th scope="col">scope</th>
              </tr>
            </thead>
            <tbody>
              {fixtures.map(({ name, scope, setups, setup, teardown }) => (
                <tr key={`${name} ${scope}`}>
                  <td className="number">{duration(setup + teardown)}</td>
                  <td className="number quiet">{setups}</td>
                  <td className="number quiet">{duration(setups ? setup / setups : 0)}</td>
                  <td className="number quiet">{duration(teardown)}</td>
                  <td>{escapeControls(name)}</td>
                  <td className="quiet">{scope}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </section>
    </div>
  );
}

const timeOrNone = (milliseconds: number): string => (milliseconds < 0.05 ? '' : duration(milliseconds));

/** The bars of a run, and how many rows each lane takes: cases that overlap stand below each other. */
function barsOf(store: Store): { bars: Bar[]; rows: { lane: number; row: number }[]; end: number } {
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
    const label = `${escapeControls(result.title)}: ${duration(setup + body + teardown)}`;
    const isRed = result.status === 'failed' || result.status === 'errored';
    if (setup > 0) bars.push({ lane, row, from, to: from + setup, kind: 'setup', label: `${label}, setup ${duration(setup)}`, item });
    bars.push({ lane, row, from: from + setup, to: from + setup + body, kind: isRed ? 'failed' : 'body', label, item });
    if (teardown > 0) bars.push({ lane, row, from: from + setup + body, to: from + setup + body + teardown, kind: 'teardown', label, item });
  }
  for (const { lane, zero, kind: what, fixture, scope, start, milliseconds } of store.spans) {
    if (scope === 'case' || what !== 'teardown' || milliseconds < 0.05) continue;
    const from = zero - began + start;
    bars.push({
      lane,
      row: 0,
      from,
      to: from + milliseconds,
      kind: 'fixture',
      label: `teardown of fixture “${escapeControls(fixture)}” (${scope}): ${duration(milliseconds)}`,
    });
  }
  const rows = [...free].sort(([a], [b]) => a - b).flatMap(([lane, ends]) => ends.slice(0, 8).map((_, row) => ({ lane, row })));
  return { bars, rows, end: bars.reduce((end, { to }) => Math.max(end, to), 1) };
}

function Lanes({ store }: { readonly store: Store }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(1000);
  const [range, setRange] = useState<readonly [number, number]>();
  const [told, setTold] = useState('');
  const { bars, rows, end } = useMemo(() => barsOf(store), [store, store.version]);
  const [from, to] = range ?? [0, end];
  const left = store.info?.machines ? wideLabelWidth : labelWidth;
  const scale = useMemo(() => scaleLinear([from, to], [left, width - 8]), [from, to, left, width]);
  const height = top + rows.length * rowHeight + 6;
  const yOf = (lane: number, row: number): number => top + rows.findIndex((one) => one.lane === lane && one.row === row) * rowHeight;

  useEffect(() => {
    const holder = canvas.current?.parentElement;
    if (!holder) return;
    const observer = new ResizeObserver(() => setWidth(holder.clientWidth));
    observer.observe(holder);
    return () => observer.disconnect();
  }, []);

  useEffect(() => {
    const element = canvas.current;
    const pen = element?.getContext('2d');
    if (!element || !pen) return;
    const ratio = devicePixelRatio || 1;
    element.width = width * ratio;
    element.height = height * ratio;
    pen.scale(ratio, ratio);
    const look = getComputedStyle(element);
    const colour = (name: string): string => look.getPropertyValue(name);
    pen.clearRect(0, 0, width, height);
    pen.font = '11px system-ui, sans-serif';
    pen.textBaseline = 'middle';
    for (const tick of scale.ticks(Math.max(2, Math.floor(width / 130)))) {
      const x = scale(tick);
      pen.fillStyle = colour('--line');
      pen.fillRect(x, top - 6, 1, height);
      pen.fillStyle = colour('--quiet');
      // The last one stays within the picture.
      const label = duration(tick);
      pen.fillText(label, Math.min(x + 3, width - pen.measureText(label).width - 3), 10);
    }
    for (const { lane, row } of rows) {
      pen.fillStyle = colour('--quiet');
      if (row === 0) pen.fillText(escapeControls(formatLaneName(lane, store.info?.machines)), 4, yOf(lane, row) + rowHeight / 2, left - 10);
    }
    const paints = {
      setup: colour('--setup'),
      body: colour('--body'),
      teardown: colour('--teardown'),
      failed: colour('--failed'),
      fixture: colour('--teardown'),
    };
    for (const bar of bars) {
      const y = yOf(bar.lane, bar.row);
      const [x, x2] = [Math.max(left, scale(bar.from)), Math.min(width, scale(bar.to))];
      if (y < top || x2 < left || x > width) continue;
      pen.fillStyle = paints[bar.kind];
      pen.fillRect(x, y + 2, Math.max(1, x2 - x - (x2 - x > 3 ? 0.6 : 0)), rowHeight - 4);
    }
  }, [bars, rows, scale, width, height]);

  const barAt = (event: React.MouseEvent): Bar | undefined => {
    const box = event.currentTarget.getBoundingClientRect();
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    const place = rows[Math.floor((y - top) / rowHeight)];
    const time = scale.invert(x);
    const slack = scale.invert(x + 2) - time;
    return place && bars.findLast((bar) => bar.lane === place.lane && bar.row === place.row && time >= bar.from - slack && time <= bar.to + slack);
  };
  const zoom = (factor: number): void => {
    const middle = (from + to) / 2;
    const half = Math.min(end, (to - from) * factor) / 2;
    setRange(half * 2 >= end ? undefined : [Math.max(0, middle - half), Math.min(end, middle + half)]);
  };
  const pan = (part: number): void => {
    const by = Math.max(-from, Math.min(end - to, (to - from) * part));
    setRange([from + by, to + by]);
  };
  if (bars.length === 0) return <p className="empty">Nothing has run yet.</p>;
  return (
    <div className="lanes">
      <canvas
        ref={canvas}
        style={{ width: '100%', height }}
        role="img"
        aria-label={`${rows.length} rows of lanes over ${duration(end)}; the tables below have the same data`}
        onMouseMove={(event) => setTold(barAt(event)?.label ?? '')}
        onMouseLeave={() => setTold('')}
        onClick={(event) => {
          const bar = barAt(event);
          if (bar?.item) go({ view: 'tests', case: bar.item.result.id, filter: '' });
        }}
      />
      <p className="tools">
        <button type="button" onClick={() => zoom(0.5)}>
          zoom in
        </button>
        <button type="button" onClick={() => zoom(2)} disabled={!range}>
          zoom out
        </button>
        <button type="button" onClick={() => pan(-0.4)} disabled={!range} aria-label="earlier">
          ◂
        </button>
        <button type="button" onClick={() => pan(0.4)} disabled={!range} aria-label="later">
          ▸
        </button>
        <span className="key">
          <i className="setup" /> setup <i className="body" /> body <i className="failed" /> failing body <i className="teardown" /> teardown
        </span>
        <span className="quiet">{told}</span>
      </p>
    </div>
  );
}
