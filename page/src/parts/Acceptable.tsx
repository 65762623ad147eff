import { isAcceptable } from '../../../src/formats/accept-command.ts';
import { shellWord } from '../../../src/formats/rerun-command.ts';
import { escapeControls } from '../../../src/formats/style.ts';
import type { RecordedResult } from '../../../src/results/recorded-result.ts';
import type { Failure } from '../../../src/running/result.ts';
import { hrefOf } from '../route.ts';
import { Command } from './Copy.tsx';
import { Headings } from './Headings.tsx';

type Row = Readonly<Record<string, unknown>>;
type Columns = NonNullable<Failure['columns']>;

/** The maximum number of values that are listed for one test. */
const MAX_LISTED = 8;

const show = (value: unknown): string =>
  escapeControls(value === undefined || value === '' ? '(empty)' : typeof value === 'string' ? value : JSON.stringify(value));

/** One value: in the file, and as computed. */
function ValueCells({ column: { column, text, value, reason }, row }: { readonly column: Columns[number]; readonly row: Row }) {
  return (
    <>
      <th scope="row">{escapeControls(column)}</th>
      <td>
        <del>{show(row[column])}</del>
      </td>
      <td>{reason === undefined ? <ins>{show(value ?? text)}</ins> : <span className="quiet">{escapeControls(reason)}</span>}</td>
    </>
  );
}

/** The columns of one failure that differ from the row. */
export function DifferingColumns({ columns, row }: { readonly columns: Columns; readonly row: Row }) {
  return (
    <table className="columns">
      <Headings names={['column', 'in the file', 'computed']} />
      <tbody>
        {columns.map((column) => (
          <tr key={column.column}>
            <ValueCells column={column} row={row} />
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The values of a test that can be accepted, and the command for it. */
export function Acceptable({ results, file }: { readonly results: readonly RecordedResult[]; readonly file: string }) {
  const able = results.filter(isAcceptable);
  if (able.length === 0) return null;
  const all = able.flatMap((result) => result.failures.flatMap(({ columns = [] }) => columns.map((column) => ({ result, column }))));
  const data = new Set(able.map(({ location }) => location?.file));
  const [source = file] = data.size === 1 ? data : [];
  return (
    <div className="acceptable">
      {all.length > 0 && (
        <table className="columns">
          <caption className="unseen">computed values that differ from the file</caption>
          <Headings names={['row', 'column', 'in the file', 'computed']} />
          <tbody>
            {all.slice(0, MAX_LISTED).map(({ result, column }) => (
              <tr key={`${result.id} ${column.column}`}>
                <td>
                  <a href={hrefOf({ view: 'tests', case: result.id })}>
                    {result.location ? `line ${result.location.line}` : escapeControls(result.title.split(' › ').at(-1) ?? result.title)}
                  </a>
                </td>
                <ValueCells column={column} row={result.row} />
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {all.length > MAX_LISTED && <p className="quiet">… and {(all.length - MAX_LISTED).toLocaleString('en')} more values</p>}
      <p className="quiet">If these are right, accept them:</p>
      <Command text={`npx red-lattice accept ${shellWord(source)}`} />
    </div>
  );
}
