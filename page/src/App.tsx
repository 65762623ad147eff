import { useCallback, useEffect, useState, useSyncExternalStore } from 'react';
import { escapeControls } from '../../src/formats/style.ts';
import { copy } from './parts/Copy.tsx';
import { Icon } from './parts/icons.tsx';
import { Counts } from './parts/Status.tsx';
import { toggleStatus } from './record/filter.ts';
import { ask } from './record/load.ts';
import { rerunCommandOf } from './record/rerun.ts';
import { isFailing, type Store } from './record/store.ts';
import { useWhere } from './record/where.ts';
import { currentRoute, go, hrefOf, useRoute, views } from './route.ts';
import { Compare } from './views/Compare.tsx';
import { History } from './views/History.tsx';
import { Keys } from './views/Keys.tsx';
import { Matrix } from './views/Matrix.tsx';
import { Overview } from './views/Overview.tsx';
import { Tests } from './views/Tests.tsx';
import { Time } from './views/Time.tsx';

const themes = ['system', 'light', 'dark'] as const;
type Theme = (typeof themes)[number];

/** A page from a file may have no storage. */
function remembered(): Theme {
  try {
    return themes.find((one) => one === localStorage.getItem('red-lattice theme')) ?? 'system';
  } catch {
    return 'system';
  }
}

export function App({ store, served }: { readonly store: Store; readonly served: boolean }) {
  const version = useSyncExternalStore(store.subscribe, () => store.version);
  const route = useRoute();
  const [theme, setTheme] = useState<Theme>(remembered);
  const [showsKeys, setShowsKeys] = useState(false);
  const [refused, setRefused] = useState('');
  const where = useWhere(store, version);

  useEffect(() => {
    document.documentElement.dataset['theme'] = theme;
    try {
      localStorage.setItem('red-lattice theme', theme);
    } catch {
      // The choice then lasts until the page is closed.
    }
  }, [theme]);

  const nextTheme = useCallback((): void => setTheme((now) => themes[(themes.indexOf(now) + 1) % themes.length] as Theme), []);
  const act = useCallback((action: Parameters<typeof ask>[0]): void => void ask(action).then((reason) => setRefused(reason ?? '')), []);

  const step = useCallback(
    (by: 1 | -1): void => {
      const failing = store.items
        .filter(({ result }) => isFailing(result.status))
        .sort((a, b) => a.result.test - b.result.test || a.result.ordinal - b.result.ordinal);
      if (failing.length === 0) return;
      const at = failing.findIndex(({ result }) => result.id === currentRoute().case);
      const next = failing[at < 0 ? (by > 0 ? 0 : failing.length - 1) : (at + by + failing.length) % failing.length];
      go({ view: 'tests', case: next?.result.id }, currentRoute().case !== undefined);
    },
    [store],
  );

  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      const target = event.target as HTMLElement;
      if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector('dialog[open]')) return;
      if (/^(?:INPUT|SELECT|TEXTAREA)$/.test(target.tagName)) {
        if (event.key === 'Escape') target.blur();
        return;
      }
      const open = store.find(currentRoute().case ?? '');
      const acts: Record<string, (() => void) | undefined> = {
        '/': () => {
          go({ view: 'tests' });
          setTimeout(() => document.getElementById('filter')?.focus());
        },
        '?': () => setShowsKeys(true),
        Escape: open && (() => go({ case: undefined })),
        c: open && (() => void copy(rerunCommandOf(store, open))),
        f: () => go({ view: 'tests', filter: /status:failed,errored/.test(currentRoute().filter) ? '' : 'status:failed,errored' }),
        n: () => step(1),
        p: () => step(-1),
        r: served ? () => act({ kind: 'failed' }) : undefined,
        t: nextTheme,
      };
      const view = views[Number(event.key) - 1];
      const does = view ? () => go({ view }) : acts[event.key];
      if (!does) return;
      event.preventDefault();
      does();
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, [store, served, step, act, nextTheme]);

  const failing = store.state.counts.failed + store.state.counts.errored;
  useEffect(() => {
    document.title = `${failing > 0 ? `✗ ${failing}` : store.live ? '…' : '✓'} ${store.name} · Red Lattice`;
  }, [failing, store.live, store.name]);

  return (
    <>
      <button type="button" className="skip" onClick={() => document.getElementById('main')?.focus()}>
        skip to the results
      </button>
      <header className="bar">
        <h1>
          <svg viewBox="0 0 15 15" width="17" height="17" aria-hidden="true">
            {[0, 1, 2].flatMap((x) =>
              [0, 1, 2].map((y) => (
                <rect key={`${x}${y}`} x={x * 5 + 0.5} y={y * 5 + 0.5} width="4" height="4" className={x === 2 && y === 0 ? 'lit' : undefined} />
              )),
            )}
          </svg>
          Red Lattice
        </h1>
        <nav aria-label="views">
          {views.map((view) => (
            <a key={view} href={hrefOf({ view })} aria-current={route.view === view ? 'page' : undefined}>
              {view}
            </a>
          ))}
        </nav>
        <Counts counts={store.state.counts} onChoose={(status) => go({ view: 'tests', filter: toggleStatus('', status) })} />
        <span className="end">
          {store.live && <span className="live">running</span>}
          {served && !store.live && (
            <>
              {failing > 0 && (
                <button type="button" onClick={() => act({ kind: 'failed' })}>
                  <Icon name="run" size={13} />
                  run failed
                </button>
              )}
              <button type="button" onClick={() => act({ kind: 'all' })}>
                <Icon name="run" size={13} />
                run all
              </button>
            </>
          )}
          {served && store.live && (
            <button type="button" onClick={() => act({ kind: 'stop' })}>
              <Icon name="stop" size={13} />
              stop
            </button>
          )}
          <button type="button" className="icon" onClick={nextTheme} aria-label={`colours: ${theme}`} title={`colours: ${theme} (t)`}>
            <Icon name={theme} />
          </button>
          <button type="button" className="icon" onClick={() => setShowsKeys(true)} aria-label="keyboard shortcuts" title="keyboard shortcuts (?)">
            <Icon name="keys" />
          </button>
        </span>
      </header>
      {(store.problem || refused) && (
        <p className="refused" role="alert">
          {escapeControls(store.problem ?? refused)}
        </p>
      )}
      <main id="main" tabIndex={-1}>
        {route.view === 'overview' && <Overview store={store} where={where} />}
        {route.view === 'tests' && <Tests store={store} route={route} served={served} />}
        {route.view === 'matrix' && <Matrix store={store} route={route} where={where} />}
        {route.view === 'time' && <Time store={store} />}
        {route.view === 'history' && <History store={store} />}
        {route.view === 'compare' && <Compare store={store} />}
      </main>
      {showsKeys && <Keys onClose={() => setShowsKeys(false)} />}
    </>
  );
}
