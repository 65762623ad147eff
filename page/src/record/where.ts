import { useEffect, useState } from 'react';
import type { JournalEntry } from '../../../src/results/journal/entries.ts';
import { failingTests } from '../../../src/results/run-state.ts';
import type { WhereItFails } from '../../../src/results/where/causes.ts';
import { whereTestsFail } from '../../../src/results/where/tests.ts';
import type { Store } from './store.ts';

const none: ReadonlyMap<number, WhereItFails> = new Map();
/** The number of new results after which a running run is analysed again. */
const RESULTS_PER_ANALYSIS = 500;
/** The minimum interval between updates of the page, in milliseconds. */
const SHOW_INTERVAL_MS = 200;

/** Where the failing tests fail, computed test by test while the page stays usable. */
export function useWhere(store: Store, version: number): ReadonlyMap<number, WhereItFails> {
  const [where, setWhere] = useState(none);
  const settled = store.live ? Math.floor(store.items.length / RESULTS_PER_ANALYSIS) : version;
  useEffect(() => {
    const failing = [...failingTests(store.state)];
    const found = new Map<number, WhereItFails>();
    let timer: ReturnType<typeof setTimeout> | undefined;
    let shown = performance.now();
    const next = (): void => {
      const number = failing.shift();
      if (number === undefined) {
        setWhere(new Map(found));
        return;
      }
      const entries = (store.tests.get(number)?.items ?? []).map(({ result }): JournalEntry => ({ type: 'ended', result }));
      for (const [test, one] of whereTestsFail(() => entries, new Set([number]))) found.set(test, one);
      if (performance.now() - shown > SHOW_INTERVAL_MS) {
        shown = performance.now();
        setWhere(new Map(found));
      }
      timer = setTimeout(next);
    };
    timer = setTimeout(next);
    return () => clearTimeout(timer);
  }, [store, settled]);
  return where;
}
