import { type KeyboardEvent, type PointerEvent, useEffect, useMemo, useRef, useState } from 'react';
import { escapeControls, formatDuration, formatStatus } from '../../../src/formats/style.ts';
import type { Status } from '../../../src/running/result.ts';
import { type Item, isFailing, type Store, timeOf } from '../record/store.ts';
import { go } from '../route.ts';
import { useWidth } from './hooks.ts';
import { type BlockLayout, chooseStep, layOutBlock } from './lattice-layout.ts';

type Shading = 'status' | 'time';

/** The maximum height of the lattice, in CSS pixels. */
const MAX_HEIGHT = 300;

interface Block {
  readonly file: string;
  readonly items: readonly Item[];
}

/** For runs with more cases, the lattice is drawn after the rest of the page. */
const MAX_IMMEDIATE_CASES = 5_000;

/** All cases as cells, in the order of the plan, with one block per file. */
export function Lattice({ store }: { readonly store: Store }) {
  const [isReady, setReady] = useState(store.items.length <= MAX_IMMEDIATE_CASES);
  useEffect(() => {
    if (isReady) return undefined;
    const timer = setTimeout(() => setReady(true));
    return () => clearTimeout(timer);
  }, [isReady]);
  return isReady ? <Blocks store={store} /> : <section className="lattice card" style={{ height: MAX_HEIGHT }} />;
}

function Blocks({ store }: { readonly store: Store }) {
  const [shading, setShading] = useState<Shading>('status');
  const [frame, setFrame] = useState<HTMLDivElement | null>(null);
  const width = useWidth(frame);
  const blocks = useMemo(() => groupByFile(store.items), [store, store.version]);
  const longest = useMemo(() => store.items.reduce((max, item) => Math.max(max, timeOf(item.result)), 0), [store, store.version]);
  const step =
    width &&
    chooseStep(
      blocks.map(({ items }) => items.length),
      width,
      MAX_HEIGHT,
    );
  if (store.items.length === 0) return null;
  return (
    <section className="lattice card">
      <header>
        <h3>All cases</h3>
        <fieldset className="choice">
          <legend className="unseen">what the colour of a cell shows</legend>
          {(['status', 'time'] as const).map((one) => (
            <button type="button" key={one} aria-pressed={shading === one} onClick={() => setShading(one)}>
              {one}
            </button>
          ))}
        </fieldset>
      </header>
      <div className="blocks" ref={setFrame}>
        {(step ? blocks : []).map((block) => (
          <FileBlock
            key={block.file}
            block={block}
            layout={layOutBlock(block.items.length, step as number, width as number)}
            step={step as number}
            shading={shading}
            longest={longest}
          />
        ))}
      </div>
    </section>
  );
}

function groupByFile(items: readonly Item[]): Block[] {
  const byFile = new Map<string, Item[]>();
  const ordered = [...items].sort((a, b) => a.result.test - b.result.test || a.result.ordinal - b.result.ordinal);
  for (const item of ordered) {
    const { file } = item.test.header;
    const known = byFile.get(file);
    if (known) known.push(item);
    else byFile.set(file, [item]);
  }
  return [...byFile].map(([file, all]) => ({ file, items: all }));
}

interface BlockProps {
  readonly block: Block;
  readonly layout: BlockLayout;
  readonly step: number;
  readonly shading: Shading;
  readonly longest: number;
}

function FileBlock({ block: { file, items }, layout, step, shading, longest }: BlockProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [at, setAt] = useState<number>();
  const failing = items.filter(({ result }) => isFailing(result.status)).length;
  useEffect(() => {
    if (canvas.current) draw(canvas.current, { items, layout, step, shading, longest, at });
    // The colours depend on the theme.
    const observer = new MutationObserver(() => canvas.current && draw(canvas.current, { items, layout, step, shading, longest, at }));
    observer.observe(document.documentElement, { attributeFilter: ['data-theme'] });
    return () => observer.disconnect();
  }, [items, layout, step, shading, longest, at]);

  const cellAt = (event: PointerEvent): number | undefined => {
    const box = event.currentTarget.getBoundingClientRect();
    const column = Math.floor((event.clientX - box.left) / step);
    const index = Math.floor((event.clientY - box.top) / step) * layout.columns + column;
    return column >= 0 && column < layout.columns && index >= 0 && index < items.length ? index : undefined;
  };
  const open = (index: number | undefined): void => {
    const item = index === undefined ? undefined : items[index];
    if (item) go({ view: 'tests', case: item.result.id });
  };
  const onKeyDown = (event: KeyboardEvent): void => {
    const moves: Readonly<Record<string, number>> = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: layout.columns, ArrowUp: -layout.columns };
    if (event.key === 'Enter') open(at ?? 0);
    else if (moves[event.key] === undefined) return;
    else setAt(Math.max(0, Math.min(items.length - 1, at === undefined ? 0 : at + (moves[event.key] as number))));
    event.preventDefault();
    event.stopPropagation();
  };
  const shown = at === undefined ? undefined : items[at];
  return (
    <figure className="block">
      <figcaption title={file}>
        <span className="file">{shortName(file)}</span> {failing > 0 && <span className="failed">{failing.toLocaleString('en')} failed</span>}
      </figcaption>
      <div className="cells" style={{ width: layout.width, height: layout.height }}>
        <button
          type="button"
          aria-label={`${file}: ${items.length} cases, ${failing} failing. ${shown ? nameCell(shown) : 'Arrow keys move, Enter opens a case.'}`}
          onPointerMove={(event) => setAt(cellAt(event))}
          onPointerLeave={() => setAt(undefined)}
          onBlur={() => setAt(undefined)}
          onClick={() => open(at)}
          onKeyDown={onKeyDown}
        >
          <canvas ref={canvas} style={{ width: layout.width, height: layout.height }} />
        </button>
        {shown && at !== undefined && (
          <div
            className="tip"
            style={{ left: Math.min((at % layout.columns) * step, Math.max(0, layout.width - 120)), top: (Math.floor(at / layout.columns) + 1) * step + 4 }}
          >
            {nameCell(shown)}
          </div>
        )}
      </div>
    </figure>
  );
}

/** Longer titles are shortened at the beginning, since the values at the end distinguish cases. In characters. */
const MAX_TITLE_LENGTH = 160;

function nameCell({ result }: Item): string {
  const title = result.title.length > MAX_TITLE_LENGTH ? `…${result.title.slice(-MAX_TITLE_LENGTH)}` : result.title;
  return `${escapeControls(title)} · ${formatStatus(result.status)} · ${formatDuration(timeOf(result))}`;
}

const shortName = (file: string): string => file.replace(/^.*\//, '').replace(/\.lattice\.[cm]?[jt]sx?$/, '');

const colours: Readonly<Record<Status, string>> = {
  passed: '--cell-passed',
  failed: '--cell-failed',
  errored: '--errored',
  'known-failure': '--known-failure',
  skipped: '--faint',
  'not-requested': '--faint',
  'not-run': '--faint',
};

/** Draws the cells. Statuses also differ in shape: failures are filled, with a notch; cases that did not run are outlines. */
function draw(
  canvas: HTMLCanvasElement,
  { items, layout, step, shading, longest, at }: Omit<BlockProps, 'block'> & { readonly items: readonly Item[]; readonly at: number | undefined },
): void {
  const scale = devicePixelRatio || 1;
  canvas.width = Math.round(layout.width * scale);
  canvas.height = Math.round(layout.height * scale);
  const context = canvas.getContext('2d');
  if (!context) return;
  const palette = readPalette();
  const colourOf = (name: string): string => palette.get(name) ?? '';
  const [ink, card, body] = [colourOf('--ink'), colourOf('--card'), colourOf('--body')];
  context.scale(scale, scale);
  // The smallest cells have no gap: it would be invisible.
  const gap = step >= 9 ? 2 : step >= 3 ? 1 : 0;
  const size = step - gap;
  for (const [index, { result }] of items.entries()) {
    const [x, y] = [(index % layout.columns) * step, Math.floor(index / layout.columns) * step];
    const colour = colourOf(colours[result.status]);
    context.globalAlpha = 1;
    if (shading === 'time') {
      // Times span orders of magnitude.
      context.fillStyle = body;
      context.globalAlpha = 0.12 + 0.88 * (Math.log1p(timeOf(result)) / Math.log1p(longest || 1));
      context.fillRect(x, y, size, size);
    } else if (colours[result.status] === '--faint') {
      context.strokeStyle = colour;
      context.lineWidth = 1;
      context.strokeRect(x + 0.5, y + 0.5, size - 1, size - 1);
    } else if (result.status === 'known-failure') {
      // Only its lower half is drawn: it does not count as a failure, and must not look like one without colours.
      context.strokeStyle = colour;
      context.strokeRect(x + 0.5, y + 0.5, size - 1, size - 1);
      context.fillStyle = colour;
      context.fillRect(x, y + size / 2, size, size / 2);
    } else {
      context.fillStyle = colour;
      context.fillRect(x, y, size, size);
    }
    context.globalAlpha = 1;
    if (isFailing(result.status) && size >= 6) {
      context.fillStyle = card;
      context.beginPath();
      context.moveTo(x + size, y);
      context.lineTo(x + size, y + size / 2);
      context.lineTo(x + size / 2, y);
      context.fill();
    }
    if (index === at) {
      context.strokeStyle = ink;
      context.lineWidth = 1.5;
      context.strokeRect(x - 0.25, y - 0.25, size + 0.5, size + 0.5);
    }
  }
}

const colourNames = [...new Set([...Object.values(colours), '--ink', '--card', '--body'])];
let known: { readonly theme: string; readonly palette: ReadonlyMap<string, string> } | undefined;

/** Reads the colours of the theme for the canvas, once for all blocks, since this forces a layout of the page. */
function readPalette(): ReadonlyMap<string, string> {
  const media = ['(prefers-color-scheme: dark)', 'print'].map((query) => matchMedia(query).matches);
  const theme = [document.documentElement.dataset['theme'], ...media].join(' ');
  if (known?.theme === theme) return known.palette;
  const style = getComputedStyle(document.documentElement);
  const probes = colourNames.map((name) => {
    const probe = document.createElement('span');
    probe.style.color = style.getPropertyValue(name);
    return probe;
  });
  document.body.append(...probes);
  const palette = new Map(colourNames.map((name, i) => [name, getComputedStyle(probes[i] as Element).color]));
  for (const probe of probes) probe.remove();
  known = { theme, palette };
  return palette;
}
