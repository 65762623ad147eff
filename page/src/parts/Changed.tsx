import { escapeControls, formatDuration } from '../../../src/formats/style.ts';
import type { CaseSnapshot } from '../../../src/results/compare.ts';
import { hrefOf } from '../route.ts';
import { Headings } from './Headings.tsx';
import { Sign } from './Status.tsx';

/** A case with its results before and after. `isHere`: it is part of this page. */
export interface ChangedCase {
  readonly id: string;
  readonly title: string;
  /** The titles of its suites and its test. */
  readonly path: readonly string[];
  readonly before: CaseSnapshot | undefined;
  readonly after: CaseSnapshot | undefined;
  readonly isHere: boolean;
}

/** The number of cases of a test that are listed at first. */
const MAX_LISTED = 12;
const MAX_CASES = 300;

interface ChangedProps {
  readonly title: string;
  readonly cases: readonly ChangedCase[];
  /** Shows times instead of statuses and messages. */
  readonly withTime?: boolean;
}

/** Cases with the same change, test by test. */
export function Changed({ title, cases, withTime = false }: ChangedProps) {
  if (cases.length === 0) return null;
  const byTest = new Map<string, ChangedCase[]>();
  for (const one of cases) {
    const key = one.path.join(' › ');
    const known = byTest.get(key);
    if (known) known.push(one);
    else byTest.set(key, [one]);
  }
  return (
    <section className="card changed">
      <h3>
        {title} <span className="amount">{cases.length.toLocaleString('en')}</span>
      </h3>
      {[...byTest].map(([test, all], i) => (
        <details key={test} open={i < 3 || all.length <= MAX_LISTED}>
          <summary>
            <strong>{escapeControls(test)}</strong> <span className="quiet">{all.length.toLocaleString('en')}</span>
          </summary>
          <ChangedTable cases={all} withTime={withTime} />
        </details>
      ))}
    </section>
  );
}

function ChangedTable({ cases, withTime }: { readonly cases: readonly ChangedCase[]; readonly withTime: boolean }) {
  return (
    <table className="runs compared">
      <Headings names={['before', 'after', 'case', withTime ? '' : 'message']} />
      <tbody>
        {cases.slice(0, MAX_CASES).map(({ id, title, path, before, after, isHere }) => {
          const name = escapeControls(nameAfter(title, path));
          return (
            <tr key={id}>
              <Side side={before} withTime={withTime} />
              <Side side={after} withTime={withTime} />
              <td className="case-name" title={escapeControls(title)}>
                {isHere ? <a href={hrefOf({ view: 'tests', case: id, filter: '' })}>{name}</a> : name}
              </td>
              <td className="quiet case-name">{withTime ? '' : escapeControls((after?.message ?? before?.message ?? '').split('\n')[0] ?? '')}</td>
            </tr>
          );
        })}
        {cases.length > MAX_CASES && (
          <tr>
            <td colSpan={4} className="quiet">
              … and {(cases.length - MAX_CASES).toLocaleString('en')} more
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

/** The part of a title that does not repeat the test. */
const nameAfter = (title: string, path: readonly string[]): string => {
  const test = `${path.join(' › ')} › `;
  return title.startsWith(test) ? title.slice(test.length) : title;
};

function Side({ side, withTime }: { readonly side: CaseSnapshot | undefined; readonly withTime: boolean }) {
  if (!side) return <td className="quiet">none</td>;
  return (
    <td>
      <Sign status={side.status} />
      {withTime && ` ${formatDuration(side.milliseconds)}`}
    </td>
  );
}
