import { useMemo, useState } from 'react';
import { formatCondition, narrow, verifyCoverage, whereItFails } from 'red-lattice';
import type { Read, Value } from './model.ts';

type Row = Readonly<Record<string, Value>>;
type Answer = 'failed' | 'passed' | 'impossible';

/** The maximum number of rows to try. */
const BUDGET = 100;
const MAX_SUSPECTS = 5;

/** The common values of marked rows: causes or suspects, and rows to try until the cause is known. */
export function Narrowing({ rows, failed, read }: { readonly rows: readonly Row[]; readonly failed: readonly number[]; readonly read: Read }) {
  const results = useMemo(() => rows.map((row, i) => ({ row, failed: failed.includes(i + 1) })), [rows, failed]);
  const [answers, setAnswers] = useState<readonly Answer[]>([]);
  const [answeredFor, setAnsweredFor] = useState(results);
  // Answers belong to these rows and marks.
  if (answeredFor !== results) {
    setAnswers([]);
    setAnsweredFor(results);
  }
  const where = useMemo(() => whereItFails(results), [results]);
  const step = useMemo(() => replay(results, answeredFor === results ? answers : [], read), [results, answers, answeredFor, read]);
  const answer = (given: Answer) => (): void => setAnswers([...answers, given]);
  return (
    <div className="where" role="status">
      <p>{textOfWhere(where)}</p>
      {step.next && (
        <p className="tools">
          <span>
            try{' '}
            <strong>
              {Object.entries(step.next)
                .map(([name, value]) => `${name}=${value}`)
                .join(', ')}
            </strong>
          </span>
          <button type="button" onClick={answer('failed')}>
            failed
          </button>
          <button type="button" onClick={answer('passed')}>
            passed
          </button>
          <button type="button" onClick={answer('impossible')}>
            not possible
          </button>
        </p>
      )}
      {step.causes && (
        <p>
          {step.causes.length === 0 ? 'No combination of values explains the failures.' : `Cause: ${step.causes.join('; ')}.`} {answers.length} rows tried.
        </p>
      )}
      {answers.length > 0 && (
        <p className="tools">
          <button type="button" onClick={() => setAnswers(answers.slice(0, -1))}>
            take the last answer back
          </button>
        </p>
      )}
    </div>
  );
}

function textOfWhere({ causes, suspects, elsewhere }: ReturnType<typeof whereItFails>): string {
  const textOf = ({
    conditions,
  }: {
    readonly conditions: Parameters<typeof formatCondition>[0][] | readonly Parameters<typeof formatCondition>[0][];
  }): string => conditions.map(formatCondition).join(' & ');
  if (causes.length > 0)
    return `It fails where ${causes.map((cause) => `${textOf(cause)} (${cause.failing} of ${cause.cases})`).join(', or ')}; elsewhere ${elsewhere.failing} of ${elsewhere.cases}.`;
  if (!suspects) return 'No condition explains which rows fail.';
  const shown = suspects.combinations.slice(0, MAX_SUSPECTS).map(textOf).join(' · ');
  const more = suspects.combinations.length - MAX_SUSPECTS;
  return `${suspects.isLikelyCause ? 'Likely cause' : 'Suspects'}: ${shown}${more > 0 ? ` · and ${more} more` : ''}`;
}

/** Passes all answers so far to the search. Rows that the model excludes are answered here. */
function replay(results: readonly { readonly row: Row; readonly failed: boolean }[], answers: readonly Answer[], { axes, exclude }: Read) {
  const search = narrow(results, { budget: BUDGET });
  let step = search.next();
  for (let at = 0; !step.done; ) {
    const row = step.value as Row;
    const isExcluded = verifyCoverage(axes, [row], { strength: 1, exclude }).wrong.length > 0;
    if (!isExcluded && at === answers.length) return { next: row };
    const given = isExcluded ? 'impossible' : answers[at++];
    step = search.next(given === 'impossible' ? undefined : given === 'failed');
  }
  return { causes: step.value.causes.map(({ conditions }) => conditions.map(formatCondition).join(' & ')) };
}
