import { scaleLinear } from 'd3-scale';
import { useEffect, useMemo, useRef, useState } from 'react';
import { escapeControls, formatDuration } from '../../../src/formats/style.ts';
import { formatLaneName } from '../../../src/results/run-info.ts';
import { type Bar, listBars } from '../record/bars.ts';
import type { Store } from '../record/store.ts';
import { go } from '../route.ts';
import { useWidth } from './hooks.ts';
import { Icon } from './icons.tsx';

/** In CSS pixels. */
const DEFAULT_WIDTH = 1000;
const ROW_HEIGHT = 26;
const TOP = 28;
/** The width of lane names, without and with names of machines. */
const LABEL_WIDTH = 64;
const WIDE_LABEL_WIDTH = 150;
/** The minimum width of a bar with a name. */
const MIN_NAMED_WIDTH = 60;
/** The share of the range by which a key or a button moves. */
const PAN_PART = 0.3;
const ZOOM_FACTOR = 0.6;
/** The shortest range, in milliseconds. */
const MIN_RANGE_MS = 0.5;

type Range = readonly [number, number];

/** The lanes over time. The wheel and keys zoom and move; a click opens a case. */
export function Lanes({ store }: { readonly store: Store }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [frame, setFrame] = useState<HTMLDivElement | null>(null);
  const width = useWidth(frame) ?? DEFAULT_WIDTH;
  const [range, setRange] = useState<Range>();
  const [pointed, setPointed] = useState<{ readonly bar: Bar; readonly x: number; readonly y: number }>();
  const { bars, rows, end } = useMemo(() => listBars(store), [store, store.version]);
  const [from, to] = range ?? [0, end];
  const left = store.info?.machines ? WIDE_LABEL_WIDTH : LABEL_WIDTH;
  const scale = useMemo(() => scaleLinear([from, to], [left, width - 8]), [from, to, left, width]);
  const height = TOP + rows.length * ROW_HEIGHT + 6;

  const zoom = (factor: number, center = (from + to) / 2): void => {
    const span = Math.max(MIN_RANGE_MS, (to - from) * factor);
    const start = Math.max(0, Math.min(end - span, center - ((center - from) / (to - from)) * span));
    setRange(span >= end ? undefined : [start, start + span]);
  };
  const pan = (part: number): void => {
    const by = Math.max(-from, Math.min(end - to, (to - from) * part));
    if (range) setRange([from + by, to + by]);
  };

  useEffect(() => {
    const element = canvas.current;
    // React's wheel listeners are passive, so that the page would scroll, too.
    const onWheel = (event: WheelEvent): void => {
      if (!event.ctrlKey && Math.abs(event.deltaX) <= Math.abs(event.deltaY) && !range && event.deltaY > 0) return;
      event.preventDefault();
      if (Math.abs(event.deltaX) > Math.abs(event.deltaY)) pan(event.deltaX / width);
      else zoom(event.deltaY > 0 ? 1 / ZOOM_FACTOR : ZOOM_FACTOR, scale.invert(event.offsetX));
    };
    element?.addEventListener('wheel', onWheel, { passive: false });
    return () => element?.removeEventListener('wheel', onWheel);
  });

  useEffect(() => {
    const redraw = (): void => {
      if (canvas.current) draw(canvas.current, { bars, rows, scale, width, height, left, nameOf: (lane) => formatLaneName(lane, store.info?.machines) });
    };
    redraw();
    // The colours depend on the theme.
    const observer = new MutationObserver(redraw);
    observer.observe(document.documentElement, { attributeFilter: ['data-theme'] });
    return () => observer.disconnect();
  }, [bars, rows, scale, width, height, left]);

  const barAt = (event: React.MouseEvent): Bar | undefined => {
    const box = event.currentTarget.getBoundingClientRect();
    const place = rows[Math.floor((event.clientY - box.top - TOP) / ROW_HEIGHT)];
    const time = scale.invert(event.clientX - box.left);
    const slack = scale.invert(event.clientX - box.left + 2) - time;
    return place && bars.findLast((bar) => bar.lane === place.lane && bar.row === place.row && time >= bar.from - slack && time <= bar.to + slack);
  };
  const onKeyDown = (event: React.KeyboardEvent): void => {
    const act = {
      '+': () => zoom(ZOOM_FACTOR),
      '-': () => zoom(1 / ZOOM_FACTOR),
      ArrowLeft: () => pan(-PAN_PART),
      ArrowRight: () => pan(PAN_PART),
      Home: () => setRange(undefined),
    }[event.key];
    if (!act) return;
    act();
    event.preventDefault();
    event.stopPropagation();
  };
  if (bars.length === 0) return <p className="empty">Nothing has run yet.</p>;
  return (
    <div className="lanes">
      <header>
        <h3>Lanes</h3>
        <span className="key">
          <i className="shared" /> shared setup <i className="waiting" /> waiting for it <i className="setup" /> setup <i className="body" /> body{' '}
          <i className="failed" /> failing body <i className="teardown" /> teardown <i className="idle" /> idle
        </span>
        <span className="buttons">
          <button type="button" className="icon" onClick={() => zoom(ZOOM_FACTOR)} aria-label="zoom in" title="zoom in (+)">
            <Icon name="in" />
          </button>
          <button type="button" className="icon" onClick={() => zoom(1 / ZOOM_FACTOR)} disabled={!range} aria-label="zoom out" title="zoom out (−)">
            <Icon name="out" />
          </button>
          <button type="button" className="icon" onClick={() => pan(-PAN_PART)} disabled={!range} aria-label="earlier" title="earlier (←)">
            <Icon name="earlier" />
          </button>
          <button type="button" className="icon" onClick={() => pan(PAN_PART)} disabled={!range} aria-label="later" title="later (→)">
            <Icon name="later" />
          </button>
        </span>
      </header>
      <div className="lanes-holder" ref={setFrame}>
        <canvas
          ref={canvas}
          style={{ width: '100%', height }}
          role="img"
          tabIndex={0}
          aria-label={`${rows.length} rows of lanes over ${formatDuration(end)}; plus and minus zoom, arrow keys move; the tables below have the same data`}
          onKeyDown={onKeyDown}
          onMouseMove={(event) => {
            const bar = barAt(event);
            const box = event.currentTarget.getBoundingClientRect();
            setPointed(bar && { bar, x: event.clientX - box.left, y: event.clientY - box.top });
          }}
          onMouseLeave={() => setPointed(undefined)}
          onClick={(event) => {
            const item = barAt(event)?.item;
            if (item) go({ view: 'tests', case: item.result.id, filter: '' });
          }}
        />
        {pointed && (
          <div className="tip" style={{ left: Math.min(pointed.x, width - 320), top: pointed.y + 18 }}>
            {pointed.bar.label}
          </div>
        )}
      </div>
    </div>
  );
}

interface Picture {
  readonly bars: readonly Bar[];
  readonly rows: readonly { readonly lane: number; readonly row: number }[];
  readonly scale: ReturnType<typeof scaleLinear<number, number>>;
  readonly width: number;
  readonly height: number;
  readonly left: number;
  readonly nameOf: (lane: number) => string;
}

function draw(element: HTMLCanvasElement, { bars, rows, scale, width, height, left, nameOf }: Picture): void {
  const pen = element.getContext('2d');
  if (!pen) return;
  const ratio = devicePixelRatio || 1;
  element.width = width * ratio;
  element.height = height * ratio;
  pen.scale(ratio, ratio);
  const probe = getComputedStyle(element);
  const resolved = new Map<string, string>();
  // A colour that depends on the theme is resolved by an element that has it.
  const colour = (name: string): string => {
    const known = resolved.get(name);
    if (known !== undefined) return known;
    element.style.color = `var(${name})`;
    const { color } = probe;
    element.style.color = '';
    resolved.set(name, color);
    return color;
  };
  const indexOf = new Map(rows.map(({ lane, row }, i) => [`${lane} ${row}`, i]));
  pen.font = `12px ${probe.fontFamily}`;
  pen.textBaseline = 'middle';
  for (const [i, { lane, row }] of rows.entries()) {
    const y = TOP + i * ROW_HEIGHT;
    pen.fillStyle = colour('--hover');
    pen.fillRect(left, y + 2, width - left - 8, ROW_HEIGHT - 4);
    pen.fillStyle = colour('--quiet');
    if (row === 0) pen.fillText(escapeControls(nameOf(lane)), 12, y + ROW_HEIGHT / 2, left - 18);
  }
  for (const tick of scale.ticks(Math.max(2, Math.floor(width / 130)))) {
    const x = scale(tick);
    pen.fillStyle = colour('--line');
    pen.fillRect(x, TOP - 6, 1, height);
    pen.fillStyle = colour('--quiet');
    const label = formatDuration(tick);
    // The last label stays within the drawing.
    pen.fillText(label, Math.min(x, width - pen.measureText(label).width - 3), 12);
  }
  const paints = { setup: '--setup', shared: '--shared', waiting: '--waiting', body: '--body', teardown: '--teardown', failed: '--cell-failed' } as const;
  for (const bar of bars) {
    const index = indexOf.get(`${bar.lane} ${bar.row}`);
    const [x, x2] = [Math.max(left, scale(bar.from)), Math.min(width - 8, scale(bar.to))];
    if (index === undefined || x2 < left || x > width) continue;
    const y = TOP + index * ROW_HEIGHT;
    pen.fillStyle = colour(paints[bar.kind]);
    pen.fillRect(x, y + 2, Math.max(1, x2 - x - (x2 - x > 3 ? 0.6 : 0)), ROW_HEIGHT - 4);
    if (bar.name === undefined || x2 - x < MIN_NAMED_WIDTH) continue;
    pen.save();
    pen.beginPath();
    pen.rect(x, y, x2 - x - 6, ROW_HEIGHT);
    pen.clip();
    pen.fillStyle = colour(bar.kind === 'waiting' ? '--ink' : '--on-shared');
    pen.fillText(`${bar.name} · ${formatDuration(bar.to - bar.from)}`, x + 8, y + ROW_HEIGHT / 2);
    pen.restore();
  }
}
