import type { PageRequest } from '../../../src/results/page-entries.ts';
import type { Store } from './store.ts';

/** Fills a store from the data in the page, or from the server that serves the page. */
export function load(store: Store): void {
  const embedded = document.getElementById('record');
  if (embedded) {
    store.read(embedded.textContent ?? '');
    // The lines have been read.
    embedded.remove();
    store.warm();
  } else void follow(store);
}

/** The token is in the address once. It is then stored for the origin of this server only. */
function tokenOf(): string {
  const given = new URLSearchParams(location.search).get('token');
  if (given) {
    localStorage.setItem('red-lattice token', given);
    history.replaceState(null, '', location.pathname + location.hash);
  }
  return given ?? localStorage.getItem('red-lattice token') ?? '';
}

const authorized = (): Record<string, string> => ({ authorization: `Bearer ${tokenOf()}` });

/** Follows the lines of the server, and reconnects if it is gone for a while. */
async function follow(store: Store): Promise<void> {
  for (;;) {
    try {
      const response = await fetch('record', { headers: authorized() });
      if (!response.ok || !response.body)
        throw new Error(
          response.status === 403 ? 'this page has no token: open the address that red-lattice view printed' : `the server returned status ${response.status}`,
        );
      store.problem = undefined;
      const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
      let rest = '';
      for (;;) {
        const { value, done } = await reader.read();
        if (done) break;
        const text = rest + value;
        const end = text.lastIndexOf('\n') + 1;
        rest = text.slice(end);
        if (end > 0) store.read(text.slice(0, end));
      }
    } catch (error) {
      store.problem = `${(error as Error).message}`;
      store.live = false;
      store.changed();
    }
    await new Promise((resolve) => setTimeout(resolve, 1000));
  }
}

/** Sends a request to the server. Returns the reason if the server refuses. */
export async function ask(action: PageRequest): Promise<string | undefined> {
  const response = await fetch('act', { method: 'POST', headers: { 'content-type': 'application/json', ...authorized() }, body: JSON.stringify(action) });
  return response.ok ? undefined : await response.text();
}
