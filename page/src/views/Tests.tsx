import { useVirtualizer } from '@tanstack/react-virtual';
import { useDeferredValue, useEffect, useMemo, useState } from 'react';
import { escapeControls } from '../../../src/formats/style.ts';
import { FilterField } from '../parts/FilterField.tsx';
import { usePrinting, useWidth } from '../parts/hooks.ts';
import { Icon } from '../parts/icons.tsx';
import { ColumnNames, ItemLine, NodeLine } from '../parts/Lines.tsx';
import { useSplitter } from '../parts/Splitter.tsx';
import { Counts } from '../parts/Status.tsx';
import { reportAsCsvOf } from '../record/export.ts';
import { isEmpty, matches, readFilter, toggleStatus } from '../record/filter.ts';
import { ask } from '../record/load.ts';
import { layOutRows } from '../record/row-columns.ts';
import type { Item, Store } from '../record/store.ts';
import { type Line, linesOf, type Node, type Order, treeOf } from '../record/tree.ts';
import { currentRoute, go, type Route } from '../route.ts';
import { CasePanel } from './CasePanel.tsx';

/** In CSS pixels. */
const LINE_HEIGHT = 28;
const DEFAULT_WIDTH = 1280;
const CHARACTER_WIDTH = 7.5;
/** The share of a line's width for columns. */
const COLUMNS_SHARE = 0.68;
/** The maximum number of printed lines. */
const MAX_PRINTED = 2000;
/** A test with more failing cases is closed at first. */
const MAX_OPENED = 60;
const orders: readonly Order[] = ['plan', 'name', 'time', 'status'];

/** Files, suites, tests and cases as a tree with a filter, and the selected case next to it. */
export function Tests({ store, route, served }: { readonly store: Store; readonly route: Route; readonly served: boolean }) {
  const [text, setText] = useState(route.filter);
  const [toggled, setToggled] = useState<ReadonlySet<string>>(new Set());
  const [at, setAt] = useState(0);
  const [list, setList] = useState<HTMLDivElement | null>(null);
  const { percent, splitter } = useSplitter();
  const query = useDeferredValue(text);
  const order = orders.find((one) => one === route.order) ?? 'plan';

  useEffect(() => setText(route.filter), [route.filter]);
  const filter = useMemo(() => readFilter(query), [query]);
  const tree = useMemo(() => treeOf(store.tests.values(), isEmpty(filter) ? undefined : (item) => matches(filter, item)), [filter, store, store.version]);
  const left = useMemo(() => itemsIn(tree), [tree]);
  const counts = useMemo(() => countsOf(left), [left]);
  const isOpen = (node: Node): boolean => isOpenAtFirst(node, !isEmpty(filter)) !== toggled.has(node.key);
  const lines = useMemo(() => linesOf(tree, isOpen, order), [tree, toggled, order, filter]);

  const virtual = useVirtualizer({ count: lines.length, getScrollElement: () => list, estimateSize: () => LINE_HEIGHT, overscan: 8 });
  const room = ((useWidth(list) ?? DEFAULT_WIDTH) * COLUMNS_SHARE) / CHARACTER_WIDTH;
  const printing = usePrinting();
  const seen = printing ? lines.slice(0, MAX_PRINTED).map((_, index) => ({ index, start: index * LINE_HEIGHT })) : virtual.getVirtualItems();
  const chosen = route.case === undefined ? undefined : store.find(route.case);
  const place = Math.min(at, lines.length - 1);

  const toggle = (node: Node): void => {
    const next = new Set(toggled);
    if (!next.delete(node.key)) next.add(node.key);
    setToggled(next);
  };
  const move = (to: number): void => {
    const nearest = Math.max(0, Math.min(lines.length - 1, to));
    // The line with the names of columns cannot be selected.
    const next = lines[nearest]?.rows && !lines[nearest].item ? nearest + (to < place ? -1 : 1) : nearest;
    setAt(next);
    virtual.scrollToIndex(next);
  };
  const choose = (line: Line): void => {
    if (line.node) toggle(line.node);
    else if (line.item) go({ case: line.item.result.id }, route.case !== undefined);
  };
  const onKey = (event: React.KeyboardEvent): void => {
    const line = lines[place];
    const acts: Record<string, (() => void) | undefined> = {
      ArrowDown: () => move(place + 1),
      ArrowUp: () => move(place - 1),
      PageDown: () => move(place + 20),
      PageUp: () => move(place - 20),
      Home: () => move(0),
      End: () => move(lines.length - 1),
      Enter: line && (() => choose(line)),
      ' ': line && (() => choose(line)),
      ArrowRight: line?.node && (() => (isOpen(line.node) ? move(place + 1) : toggle(line.node))),
      ArrowLeft:
        line && (() => (line.node && isOpen(line.node) ? toggle(line.node) : move(lines.findLastIndex((one, i) => i < place && one.depth < line.depth)))),
    };
    const act = event.ctrlKey || event.metaKey || event.altKey ? undefined : acts[event.key];
    if (!act) return;
    event.preventDefault();
    act();
  };

  // Scroll to the case in the address.
  useEffect(() => {
    const index = lines.findIndex((line) => line.key === currentRoute().case);
    if (index >= 0) {
      setAt(index);
      virtual.scrollToIndex(index, { align: 'auto' });
    }
  }, [route.case]);

  const type = (next: string): void => {
    setText(next);
    go({ filter: next }, true);
  };
  return (
    <div className={`tests ${chosen ? 'split' : ''}`} style={{ '--pane': `${percent}%` } as React.CSSProperties}>
      <div className="listing" data-filter={query}>
        <search className="tools">
          <FilterField text={text} onChange={type} store={store} />
          <Counts counts={counts} chosen={filter.statuses} onChoose={(status) => type(toggleStatus(text, status))} />
          <label>
            by{' '}
            <select value={order} onChange={(event) => go({ order: event.target.value }, true)}>
              {orders.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </label>
          <button type="button" onClick={() => reportAsCsvOf(left, store)} title="export the filtered cases as CSV">
            <Icon name="download" size={14} />
            CSV
          </button>
          {served && left.length > 0 && left.length <= 5000 && (
            <button type="button" onClick={() => void ask({ kind: 'ids', ids: left.map(({ result }) => result.id) })}>
              <Icon name="run" size={13} />
              run these
            </button>
          )}
        </search>
        <div className="list" ref={setList}>
          <div
            role="tree"
            aria-label="tests and cases"
            tabIndex={0}
            onKeyDown={onKey}
            aria-activedescendant={lines[place] ? `line-${place}` : undefined}
            style={{ height: printing ? seen.length * LINE_HEIGHT : virtual.getTotalSize(), position: 'relative' }}
          >
            {seen.map(({ index, start }) => {
              const line = lines[index] as Line;
              const style = { transform: `translateY(${start}px)`, paddingInlineStart: `${0.75 + line.depth * 1.1}rem` };
              if (!line.node && !line.item)
                return (
                  <div key={line.key} className="line columns-line" aria-hidden="true" style={style}>
                    <ColumnNames rows={layOutRows(line.rows)} room={room} />
                  </div>
                );
              return (
                <div
                  key={line.key}
                  id={`line-${index}`}
                  role="treeitem"
                  tabIndex={-1}
                  aria-level={line.depth + 1}
                  aria-selected={line.item !== undefined && line.item === chosen}
                  aria-expanded={line.node ? isOpen(line.node) : undefined}
                  className={`line ${index === place ? 'at' : ''} ${line.node?.kind ?? 'item'}`}
                  style={style}
                  onClick={() => {
                    setAt(index);
                    choose(line);
                  }}
                  onKeyDown={undefined}
                >
                  {line.node ? (
                    <NodeLine node={line.node} />
                  ) : (
                    <ItemLine item={line.item} depth={line.depth} rows={line.rows && layOutRows(line.rows)} room={room} />
                  )}
                </div>
              );
            })}
          </div>
          {lines.length === 0 && <p className="quiet empty">{store.items.length === 0 ? 'No case ran.' : 'No case matches the filter.'}</p>}
        </div>
      </div>
      {chosen && splitter}
      {chosen && <CasePanel item={chosen} store={store} served={served} />}
      {route.case !== undefined && !chosen && (
        <article className="case">
          <p>This run has no cases {escapeControls(route.case)}.</p>
        </article>
      )}
    </div>
  );
}

/** Files, suites, and tests with few failures are open. Under a filter, so is everything that is not too long. */
function isOpenAtFirst(node: Node, isFiltered: boolean): boolean {
  if (node.kind !== 'test') return true;
  if (isFiltered) return node.items.length <= MAX_OPENED;
  return node.failing > 0 && node.cases <= MAX_OPENED;
}

function itemsIn(nodes: readonly Node[], into: Item[] = []): Item[] {
  for (const node of nodes) {
    for (const item of node.items) into.push(item);
    itemsIn(node.children, into);
  }
  return into;
}

const countsOf = (items: readonly Item[]): Record<string, number> => {
  const counts: Record<string, number> = {};
  for (const { result } of items) counts[result.status] = (counts[result.status] ?? 0) + 1;
  return counts;
};
