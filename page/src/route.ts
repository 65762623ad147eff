import { useSyncExternalStore } from 'react';

export type View = 'overview' | 'tests' | 'matrix' | 'time' | 'history' | 'compare';
export const views: readonly View[] = ['overview', 'tests', 'matrix', 'time', 'history', 'compare'];

/** The current position in the page, stored in the address by names that other runs share. */
export interface Route {
  readonly view: View;
  /** The id of the case that is open. */
  readonly case?: string | undefined;
  readonly filter: string;
  /** The id of the test whose grid is shown. */
  readonly test?: string | undefined;
  readonly down?: string | undefined;
  readonly across?: string | undefined;
  readonly order?: string | undefined;
}

function read(): Route {
  const [path = '', query = ''] = location.hash.replace(/^#\/?/, '').split('?');
  const values = new URLSearchParams(query);
  const get = (name: string): string | undefined => values.get(name) ?? undefined;
  const view = views.find((one) => one === path) ?? 'overview';
  return { view, case: get('case'), filter: get('filter') ?? '', test: get('test'), down: get('down'), across: get('across'), order: get('order') };
}

let route = read();
const listeners = new Set<() => void>();
addEventListener('hashchange', () => {
  route = read();
  for (const listener of listeners) listener();
});

const subscribe = (listener: () => void): (() => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

export const useRoute = (): Route => useSyncExternalStore(subscribe, () => route);
export const currentRoute = (): Route => route;

export function hrefOf(change: Partial<Route>): string {
  const { view, ...rest } = { ...route, ...change };
  const values = new URLSearchParams();
  for (const [name, value] of Object.entries(rest)) if (value) values.set(name, value);
  const query = values.toString();
  return `#/${view}${query ? `?${query}` : ''}`;
}

/** Changes the route. `quietly` adds no history entry. */
export function go(change: Partial<Route>, quietly = false): void {
  const href = hrefOf(change);
  if (href === location.hash) return;
  if (quietly) {
    history.replaceState(null, '', href);
    dispatchEvent(new HashChangeEvent('hashchange'));
  } else location.hash = href.slice(1);
}
