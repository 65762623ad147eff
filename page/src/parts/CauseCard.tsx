import { isAcceptable } from '../../../src/formats/accept-command.ts';
import { escapeControls, formatCount } from '../../../src/formats/style.ts';
import type { WhereItFails } from '../../../src/results/where/causes.ts';
import { formatCondition } from '../../../src/results/where/condition.ts';
import { type Item, isFailing, keyOf, type TestItem } from '../record/store.ts';
import { hrefOf } from '../route.ts';
import { Acceptable } from './Acceptable.tsx';
import { SmallGrid } from './SmallGrid.tsx';
import { Sign } from './Status.tsx';
import { SuspectsLine } from './SuspectsLine.tsx';

/** The maximum number of listed failing cases, with and without a cause above them. */
const MAX_LISTED_WITH_CAUSE = 3;
const MAX_LISTED = 6;

interface CardProps {
  readonly test: TestItem;
  readonly newly: ReadonlySet<Item>;
  readonly where: WhereItFails | undefined;
  readonly version: number;
}

/** A failing test: where it fails, a small grid, and some of its cases. */
export function CauseCard({ test, newly, where, version }: CardProps) {
  const { header, items } = test;
  const failing = items.filter(({ result }) => isFailing(result.status));
  const [first] = failing;
  // Cases whose columns differ are in a table with their values.
  const listed = failing.filter(({ result }) => !isAcceptable(result) || result.failures.some(({ columns }) => !columns));
  const maxListed = where ? MAX_LISTED_WITH_CAUSE : MAX_LISTED;
  const newCount = failing.filter((item) => newly.has(item)).length;
  return (
    <div className="card red-test">
      <header>
        <h4>
          <Sign status={first?.result.status ?? 'failed'} />
          <a href={hrefOf({ view: 'tests', filter: 'status:failed,errored', case: first?.result.id })}>{escapeControls(header.path.join(' › '))}</a>
        </h4>
        <p className="quiet">
          {header.file} · {failing.length.toLocaleString('en')} of {formatCount(items.length, 'case')}
          {newCount > 0 && <span className="newly">{newCount === failing.length ? 'newly failing' : `${newCount} newly failing`}</span>}
        </p>
      </header>
      <div className="reason">
        <div>
          {where?.suspects && <SuspectsLine suspects={where.suspects} />}
          {where && where.causes.length > 0 && <Causes test={test} where={where} />}
          <Acceptable results={failing.map(({ result }) => result)} file={header.file} />
        </div>
        <SmallGrid test={test} where={where} version={version} />
      </div>
      {listed.length > 0 && (
        <ul className="examples">
          {listed.slice(0, maxListed).map(({ result }) => (
            <li key={result.id}>
              <a href={hrefOf({ view: 'tests', case: result.id })}>{escapeControls(lastPart(result.title, header.path.length))}</a>
              <span className="quiet">
                {escapeControls(result.failures[0]?.note ? `${result.failures[0].note}: ` : '')}
                {escapeControls(result.failures[0]?.message.split('\n')[0] ?? '')}
              </span>
            </li>
          ))}
          {listed.length > maxListed && (
            <li className="quiet">
              <a href={hrefOf({ view: 'tests', filter: 'status:failed,errored' })}>… and {(listed.length - maxListed).toLocaleString('en')} more</a>
            </li>
          )}
        </ul>
      )}
    </div>
  );
}

const lastPart = (title: string, depth: number): string =>
  title
    .split(' › ')
    .slice(depth - 1)
    .at(-1) ?? title;

function Causes({ test, where: { causes, elsewhere } }: { readonly test: TestItem; readonly where: WhereItFails }) {
  return (
    <table className="where">
      <caption className="unseen">where {escapeControls(test.header.path.join(' › '))} fails</caption>
      <tbody>
        {causes.map(({ conditions, failing, cases }) => {
          const text = conditions.map(formatCondition).join(' & ');
          return (
            <tr key={text}>
              <th scope="row">
                <a href={hrefOf({ view: 'matrix', test: keyOf(test), down: undefined, across: undefined })}>{escapeControls(text)}</a>
              </th>
              <td>
                <Share failing={failing} cases={cases} />
                {failing} of {cases} fail
              </td>
            </tr>
          );
        })}
        <tr className="quiet">
          <th scope="row">elsewhere</th>
          <td>
            <Share failing={elsewhere.failing} cases={elsewhere.cases} />
            {elsewhere.failing} of {elsewhere.cases}
          </td>
        </tr>
      </tbody>
    </table>
  );
}

/** A share of cases, as a bar. */
const Share = ({ failing, cases }: { readonly failing: number; readonly cases: number }) => (
  <span className="share" aria-hidden="true">
    <i style={{ width: `${cases > 0 ? (100 * failing) / cases : 0}%` }} />
  </span>
);
