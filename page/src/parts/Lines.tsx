import { escapeControls, formatDuration } from '../../../src/formats/style.ts';
import { StatusStrip } from '../../../src/results/status-strip.ts';
import { fitColumns, formatCell, gridTemplate, nameInTest, type RowColumn, type RowColumns } from '../record/row-columns.ts';
import { type Item, isFailing, timeOf } from '../record/store.ts';
import type { Node } from '../record/tree.ts';
import { Sign } from './Status.tsx';

/** A file, a suite or a test. */
export function NodeLine({ node }: { readonly node: Node }) {
  return (
    <>
      <span className="turn" aria-hidden="true" />
      <Sign status={node.status} />
      <span className="title">{escapeControls(node.title)}</span>
      {node.kind === 'test' && node.items.length > 1 && <Strip items={node.items} />}
      <span className="quiet numbers">
        {node.failing > 0 ? `${node.failing.toLocaleString('en')} of ` : ''}
        {node.cases.toLocaleString('en')}
      </span>
      <span className="quiet time">{node.milliseconds > 0 ? formatDuration(node.milliseconds) : ''}</span>
    </>
  );
}

interface ItemLineProps {
  readonly item: Item;
  readonly depth: number;
  readonly rows: RowColumns | undefined;
  /** The width available for columns, in characters. */
  readonly room: number;
}

/** A case. */
export function ItemLine({ item, depth, rows, room }: ItemLineProps) {
  const { result, test } = item;
  const name =
    depth > test.header.path.length
      ? nameInTest(item)
      : result.title
          .split(' › ')
          .slice(test.header.path.length - 1)
          .join(' › ');
  return (
    <>
      <Sign status={result.status} />
      {rows && rows.columns.length > 0 ? (
        <Cells item={item} columns={fitColumns(rows, room)} />
      ) : (
        <span className="title">{escapeControls(name || result.title)}</span>
      )}
      <span className="quiet message">
        {isFailing(result.status) ? escapeControls(result.failures[0]?.message.split('\n')[0] ?? '') : escapeControls(result.reason ?? '')}
      </span>
      <span className="quiet time">{timeOf(result) > 0 ? formatDuration(timeOf(result)) : ''}</span>
    </>
  );
}

const Cells = ({ item: { result }, columns }: { readonly item: Item; readonly columns: readonly RowColumn[] }) => (
  <span className="cells" style={{ gridTemplateColumns: gridTemplate(columns) }}>
    {columns.map(({ name, isNumeric }) => (
      <span key={name} className={isNumeric ? 'numeric' : undefined}>
        <span className="unseen">{escapeControls(name)} </span>
        {escapeControls(formatCell(result.row[name]))}
      </span>
    ))}
  </span>
);

/** The names of the columns above cases, and the values that all of them share. */
export function ColumnNames({ rows, room }: { readonly rows: RowColumns; readonly room: number }) {
  const columns = fitColumns(rows, room);
  const more = rows.columns.length - columns.length;
  const shared = rows.shared.map(([name, value]) => `${name}=${value}`).join(', ');
  return (
    <>
      <span className="cells" style={{ gridTemplateColumns: gridTemplate(columns) }}>
        {columns.map(({ name, isNumeric }) => (
          <span key={name} className={isNumeric ? 'numeric' : undefined}>
            {escapeControls(name)}
          </span>
        ))}
      </span>
      <span className="message">
        {[...(more > 0 ? [`${more} more columns`] : []), ...(shared === '' ? [] : [`all: ${escapeControls(shared)}`])].join(' · ')}
      </span>
    </>
  );
}

const STRIP_PARTS = 32;
const strips = new WeakMap<readonly Item[], { readonly of: number; readonly background: string }>();

/** The results of a test's cases in the order of their rows: a single element for any number of cases. */
function Strip({ items }: { readonly items: readonly Item[] }) {
  let strip = strips.get(items);
  if (!strip || strip.of !== items.length) strips.set(items, (strip = { of: items.length, background: stripOf(items) }));
  return <span className="strip" aria-hidden="true" style={{ background: strip.background, width: Math.min(STRIP_PARTS, items.length) * 5 - 1 }} />;
}

function stripOf(items: readonly Item[]): string {
  const strip = new StatusStrip();
  for (const [at, { result }] of items.entries()) strip.set(at, result.status);
  const colours = strip.downsample(STRIP_PARTS).map(({ status, isMixed }) => {
    if (isFailing(status)) return isMixed ? 'strip-mixed' : 'failed';
    return status === 'passed' ? 'strip-passed' : status === 'known-failure' ? 'known-failure' : 'line';
  });
  const stops = colours.map((colour, i) => `var(--${colour}) ${i * 5}px ${i * 5 + 4}px, transparent ${i * 5 + 4}px ${i * 5 + 5}px`);
  return `linear-gradient(to right, ${stops.join(', ')})`;
}
