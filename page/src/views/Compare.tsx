import { useMemo, useState } from 'react';
import { changeLabels } from '../../../src/formats/comparison.ts';
import { escapeControls } from '../../../src/formats/style.ts';
import { type Change, changes, compare } from '../../../src/results/compare.ts';
import type { JournalEntry } from '../../../src/results/journal/entries.ts';
import type { EarlierRun } from '../../../src/results/page-entries.ts';
import { convertToEntries, type ResultReport, type RunReport } from '../../../src/results/report.ts';
import { findReportFault, findResultFault } from '../../../src/results/report-shape.ts';
import { Changed, type ChangedCase } from '../parts/Changed.tsx';
import { type Item, isFailing, type Store, Store as StoreOf } from '../record/store.ts';

interface Other {
  readonly name: string;
  readonly entries: () => Iterable<JournalEntry>;
}

/** This run next to another one: a report that is opened or dropped, or the previous run. */
export function Compare({ store }: { readonly store: Store }) {
  const [other, setOther] = useState<Other>();
  const [problem, setProblem] = useState('');
  const take = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    const opened = await openReport(file);
    setProblem(typeof opened === 'string' ? opened : '');
    if (typeof opened !== 'string') setOther(opened);
  };
  const comparison = useMemo(() => other && compare(other.entries, () => entriesIn(store)), [other, store, store.version]);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the field within does the same by keyboard
    <div
      className="compare"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        void take(event.dataTransfer.files[0]);
      }}
    >
      <section className="tools drop">
        <label>
          <span className="quiet">compare with</span> <input type="file" accept=".json,.jsonl,.html" onChange={(event) => void take(event.target.files?.[0])} />
        </label>
        <span className="quiet">a report of another run: HTML, JSON or JSON Lines; or drop a file here</span>
      </section>
      {problem && (
        <p className="failed" role="alert">
          {escapeControls(problem)}
        </p>
      )}
      {comparison && other ? (
        <>
          <h2>
            {escapeControls(other.name)} → {escapeControls(store.name)}
          </h2>
          <p>
            {changes
              .filter((change): change is Exclude<Change, 'same'> => change !== 'same')
              .filter((change) => comparison.cases[change].length > 0)
              .map((change) => `${comparison.cases[change].length.toLocaleString('en')} ${changeLabels[change]}`)
              .concat(`${comparison.same.toLocaleString('en')} the same`)
              .join(', ')}
          </p>
          {changes.map(
            (change) =>
              change !== 'same' && (
                <Changed
                  key={change}
                  title={changeLabels[change]}
                  cases={comparison.cases[change].map(({ before, after, ...one }) => ({ ...one, before, after, isHere: store.find(one.id) !== undefined }))}
                  withTime={change === 'slower' || change === 'faster'}
                />
              ),
          )}
        </>
      ) : (
        <Before store={store} />
      )}
    </div>
  );
}

/** The comparison with the previous run, whose failures are part of the page. */
function Before({ store }: { readonly store: Store }) {
  const [before] = store.history;
  const groups = useMemo(() => {
    if (!before) return undefined;
    const newly: Item[] = [];
    const still: Item[] = [];
    const fixed: Item[] = [];
    for (const item of store.items) {
      const was = store.inEarlier(before, item);
      if (isFailing(item.result.status)) (isFailing(was) ? still : newly).push(item);
      else if (item.result.status === 'passed' && isFailing(was)) fixed.push(item);
    }
    return { newly, still, fixed };
  }, [before, store, store.version]);
  if (!before || !groups) return <p className="empty">There are no earlier runs.</p>;
  const lists: readonly (readonly [string, readonly Item[]])[] = [
    ['newly failing', groups.newly],
    ['fixed', groups.fixed],
    ['still failing', groups.still],
  ];
  return (
    <>
      <h2>Compared with the previous run of {before.started.slice(0, 16).replace('T', ' ')} UTC</h2>
      {lists.every(([, items]) => items.length === 0) && <p>No case is newly failing or fixed.</p>}
      {lists.map(([title, items]) => (
        <Changed key={title} title={title} cases={items.map((item) => changedSince(before, item, store))} />
      ))}
    </>
  );
}

function changedSince(run: EarlierRun, item: Item, store: Store): ChangedCase {
  const { id, title, status, times, failures } = item.result;
  const was = store.inEarlier(run, item);
  return {
    id,
    title,
    path: item.test.header.path,
    before: was && { status: was, milliseconds: 0 },
    after: { status, milliseconds: times.body, message: failures[0]?.message },
    isHere: true,
  };
}

function* entriesIn(store: Store): Generator<JournalEntry> {
  for (const { header } of store.tests.values()) yield { type: 'test', header };
  for (const { result } of store.items) yield { type: 'ended', result };
  for (const torn of store.state.tornDown) yield torn;
}

/** Opens a report. Returns an error message if the file is not a report. */
async function openReport(file: File): Promise<Other | string> {
  const text = await file.text();
  if (file.name.endsWith('.html')) {
    const within = /<script type="application\/x-ndjson" id="record">\n([\s\S]*?)<\/script>/.exec(text)?.[1];
    if (within === undefined) return `${file.name} is not a results page of Red Lattice`;
    const store = new StoreOf();
    store.read(within);
    return { name: store.name, entries: () => entriesIn(store) };
  }
  const [first = '', ...lines] = text.split('\n');
  try {
    const isWhole = file.name.endsWith('.json');
    const head = JSON.parse(isWhole ? text : first) as { run: RunReport; results?: ResultReport[] };
    const results = head.results ?? lines.filter(Boolean).map((line) => JSON.parse(line) as ResultReport);
    const refused = findReportFault(head) ?? results.map(findResultFault).find((one) => one !== undefined);
    if (refused) return `cannot read ${file.name}: ${refused}`;
    return { name: file.name, entries: () => convertToEntries(head.run, results) };
  } catch (error) {
    return `cannot read ${file.name}: ${(error as Error).message}`;
  }
}
