import papa from 'papaparse';
import { useEffect, useMemo, useState } from 'react';
import { asCode, fromHash, type Model, type Read, readModel, toHash } from './model.ts';
import { Narrowing } from './Narrowing.tsx';
import type { Found, Said } from './worker.ts';

/** Axes on the left; on the right the rows that cover them, and where they fail. */
export function App() {
  const [model, setModel] = useState<Model>(() => fromHash(location.hash));
  const read = useMemo(() => readModel(model), [model]);
  const { found, problem, isSearching, stop } = useRows(model);
  const change = (part: Partial<Model>): void => setModel({ ...model, failed: [], ...part });
  useEffect(() => history.replaceState(null, '', toHash(model)), [model]);
  useEffect(() => {
    const take = (): void => setModel(fromHash(location.hash));
    addEventListener('hashchange', take);
    return () => removeEventListener('hashchange', take);
  }, []);
  const total = Object.values(read.axes).reduce((product, values) => product * Math.max(1, values.length), 1);
  const said = problem ?? (read.problems.length > 0 ? read.problems.join('; ') : undefined);
  return (
    <>
      <header>
        <h1>Matrix workbench</h1>
        <p>
          {found
            ? `${found.rows.length.toLocaleString('en')} rows for ${total.toLocaleString('en')} combinations; ${found.required - found.missing} of ${found.required} covered, in ${found.seconds.toFixed(2)} s`
            : `${total.toLocaleString('en')} combinations`}
        </p>
        {isSearching && (
          <button type="button" onClick={stop}>
            stop
          </button>
        )}
      </header>
      <main>
        <Bench model={model} change={change} />
        <div>
          {said && (
            <p role="alert" className="problem">
              {said}
            </p>
          )}
          {found && <Rows found={found} model={model} read={read} onMark={(failed) => setModel({ ...model, failed })} />}
          {found && found.impossible.length > 0 && (
            <section>
              <h2>Cannot occur</h2>
              <ul>
                {found.impossible.slice(0, 30).map((pair) => (
                  <li key={JSON.stringify(pair)}>
                    {Object.entries(pair)
                      .map(([name, value]) => `${name}=${value}`)
                      .join(' & ')}
                    <small>{whyNot(pair, model.exclude)}</small>
                  </li>
                ))}
              </ul>
            </section>
          )}
          <section>
            <h2>As code</h2>
            <pre>{asCode(read, model.strength)}</pre>
          </section>
        </div>
      </main>
    </>
  );
}

/** Generates rows for a model in a worker, shortly after the last change, until the user stops it. */
function useRows(model: Model) {
  const [state, setState] = useState<{ found?: Found | undefined; problem?: string | undefined; worker?: Worker | undefined }>({});
  const { axes, exclude, strength, mixedStrength } = model;
  useEffect(() => {
    const { problems, ...job } = readModel(model);
    if (problems.length > 0) {
      setState((before) => ({ ...before, problem: undefined, worker: undefined }));
      return;
    }
    let worker: Worker | undefined;
    const timer = setTimeout(() => {
      worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' });
      worker.onmessage = ({ data }: MessageEvent<Said>) => {
        setState('found' in data ? { found: data.found } : { problem: data.problem });
        worker?.terminate();
      };
      worker.postMessage({ ...job, strength });
      setState((before) => ({ ...before, worker }));
    }, 250);
    return () => {
      clearTimeout(timer);
      worker?.terminate();
    };
  }, [axes, exclude, strength, mixedStrength]);
  const stop = (): void => {
    state.worker?.terminate();
    setState({ found: state.found, problem: 'stopped: change the model to search again' });
  };
  return { found: state.found, problem: state.problem, isSearching: state.worker !== undefined, stop };
}

function Bench({ model, change }: { readonly model: Model; readonly change: (part: Partial<Model>) => void }) {
  const setAxis = (at: number, part: Partial<Model['axes'][number]>): void =>
    change({ axes: model.axes.map((axis, i) => (i === at ? { ...axis, ...part } : axis)) });
  return (
    <div>
      <section>
        <h2>Axes</h2>
        {model.axes.map((axis, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: an axis is its place, while its name is typed
          <p key={i} className="axis">
            <input aria-label={`name of axis ${i + 1}`} value={axis.name} onChange={(event) => setAxis(i, { name: event.target.value })} />
            <input aria-label={`values of axis ${i + 1}`} value={axis.values} onChange={(event) => setAxis(i, { values: event.target.value })} />
            <button type="button" aria-label={`remove axis ${axis.name}`} onClick={() => change({ axes: model.axes.filter((_, at) => at !== i) })}>
              ×
            </button>
          </p>
        ))}
        <button type="button" onClick={() => change({ axes: [...model.axes, { name: `axis ${model.axes.length + 1}`, values: 'a, b' }] })}>
          add axis
        </button>
      </section>
      <section>
        <h2>Covered</h2>
        <p>
          <label>
            strength{' '}
            <select value={model.strength} onChange={(event) => change({ strength: Number(event.target.value) })}>
              {[1, 2, 3, 4, 5, 6].map((strength) => (
                <option key={strength} value={strength}>
                  {strength}
                </option>
              ))}
            </select>{' '}
            axes
          </label>
        </p>
        <label>
          higher strength, one group per line: <small>loa, hull, berth: 3</small>
          <textarea rows={2} value={model.mixedStrength} onChange={(event) => change({ mixedStrength: event.target.value })} />
        </label>
      </section>
      <section>
        <h2>Cannot occur</h2>
        <label>
          one per line: <small>draught=2.1, loa=6|9</small>
          <textarea rows={4} value={model.exclude} onChange={(event) => change({ exclude: event.target.value })} />
        </label>
      </section>
    </div>
  );
}

function Rows({
  found,
  model,
  read,
  onMark,
}: {
  readonly found: Found;
  readonly model: Model;
  readonly read: Read;
  readonly onMark: (failed: number[]) => void;
}) {
  const names = Object.keys(found.rows[0] ?? {});
  const failed = new Set(model.failed);
  const mark = (number: number): void => onMark(failed.has(number) ? model.failed.filter((one) => one !== number) : [...model.failed, number]);
  const save = (): void => {
    const text = papa.unparse(
      found.rows.map((row) => ({ ...row })),
      { escapeFormulae: true, newline: '\n' },
    );
    const address = URL.createObjectURL(new Blob([text, '\n'], { type: 'text/csv' }));
    Object.assign(document.createElement('a'), { href: address, download: 'matrix.csv' }).click();
    setTimeout(() => URL.revokeObjectURL(address), 10_000);
  };
  return (
    <section>
      <h2>Rows</h2>
      <p className="tools">
        <label>
          failing rows{' '}
          <input
            key={model.failed.join()}
            defaultValue={model.failed.join(', ')}
            placeholder="3, 8, 11, or a pasted report"
            onBlur={(event) => onMark(numbersIn(event.target.value, found.rows.length))}
            onKeyDown={(event) => event.key === 'Enter' && onMark(numbersIn(event.currentTarget.value, found.rows.length))}
            onPaste={(event) => {
              const failing = failingIn(event.clipboardData.getData('text'), found.rows);
              if (!failing) return;
              event.preventDefault();
              onMark(failing);
            }}
          />
        </label>
        <span>or click rows</span>
        <button type="button" onClick={save}>
          CSV
        </button>
      </p>
      {failed.size > 0 && failed.size < found.rows.length && <Narrowing rows={found.rows} failed={model.failed} read={read} />}
      <table>
        <thead>
          <tr>
            <th scope="col">#</th>
            {names.map((name) => (
              <th scope="col" key={name}>
                {name}
              </th>
            ))}
            <th scope="col" title="combinations that no earlier row has">
              new
            </th>
          </tr>
        </thead>
        <tbody>
          {found.rows.slice(0, 500).map((row, i) => (
            <tr key={JSON.stringify(row)} className={failed.has(i + 1) ? 'failed' : undefined}>
              <th scope="row">
                <button type="button" aria-pressed={failed.has(i + 1)} aria-label={`row ${i + 1} fails`} onClick={() => mark(i + 1)}>
                  {failed.has(i + 1) ? '✗' : ''} {i + 1}
                </button>
              </th>
              {names.map((name) => (
                <td key={name}>{String(row[name])}</td>
              ))}
              <td className="gain">{found.gains[i]}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {found.rows.length > 500 && <p>… and {(found.rows.length - 500).toLocaleString('en')} more, in the CSV</p>}
    </section>
  );
}

const numbersIn = (text: string, most: number): number[] =>
  [...new Set([...text.matchAll(/\d+/g)].map(([digits]) => Number(digits)))].filter((number) => number >= 1 && number <= most);

/** The rows that failed in a report as CSV (`red-lattice report --format csv`). Returns undefined for another text. */
function failingIn(text: string, rows: Found['rows']): number[] | undefined {
  const { data } = papa.parse<Record<string, string>>(text, { header: true, skipEmptyLines: true });
  if (!data[0] || !('(status)' in data[0])) return undefined;
  const failed = data.filter((one) => one['(status)'] === 'failed' || one['(status)'] === 'errored');
  return rows.flatMap((row, i) => (failed.some((one) => Object.entries(row).every(([name, value]) => one[name] === String(value))) ? [i + 1] : []));
}

/** The exclusions that a pair violates. */
function whyNot(pair: Readonly<Record<string, unknown>>, exclusions: string): string {
  const lines = exclusions.split('\n').filter(Boolean);
  const names = Object.keys(pair);
  const said = lines.filter((line) => line.split(',').every((part) => names.includes(part.split('=')[0]?.trim() ?? '')));
  const met = lines.filter((line) => names.some((name) => line.includes(`${name}=`)));
  return said.length > 0 ? `excluded: ${said.join('; ')}` : `follows from: ${met.join('; ')}`;
}
