import type { ExpansionHost } from '../../cases/row.ts';
import { findLocation } from '../../problems/source-location.ts';
import type { JournalEntry } from '../../results/journal/entries.ts';
import { explainCase } from '../../running/explain-case.ts';
import { expandCases, summarizeSource } from '../../suites/expand.ts';
import type { Plan, PlannedCaseImpl, PlannedTest } from '../../suites/planned.ts';
import { redactSettings } from '../../suites/redaction.ts';
import { buildSelector, type Selection } from '../../suites/selection.ts';
import { problemsOf } from '../../suites/thrown-problems.ts';
import { findAssigned } from './earlier-results.ts';
import { buildCaseName, buildHeader } from './names.ts';

type Put = (entry: JournalEntry) => void;

/** Lists the selected cases, with the headers of their tests and the warnings of their sources. */
export async function listCases(plan: Plan, selection: Selection, host: ExpansionHost, put: Put): Promise<void> {
  await forEachCase(
    plan,
    selection,
    { ...host, onWarning: (problem) => put({ type: 'warning', problem }) },
    put,
    (planned) => put({ type: 'listed', name: { ...buildCaseName(planned), name: planned.entry.name } }),
    async (test) => {
      const location = findLocation(test.test.origin);
      const facts = await summarizeSource(test, host);
      put({ type: 'test', header: { ...buildHeader(test), location, facts: facts.map(({ summary }) => summary) } });
      for (const problem of facts.flatMap(({ warnings }) => warnings)) put({ type: 'warning', problem: { ...problem, at: location } });
    },
  );
}

/** Explains the cases that are selected. */
export async function explainCases(plan: Plan, selection: Selection, host: ExpansionHost, put: Put): Promise<void> {
  await forEachCase(plan, selection, host, put, (planned) => {
    const name = buildCaseName(planned);
    const location = name.location ?? findLocation(planned.test.test.origin);
    put({ type: 'explained', name: { ...name, location }, explanation: redactSettings(explainCase(planned), host.isRedacted) });
  });
}

/**
 * Calls `begin` with each test before its first selected case, and `visit` with each selected case. If a source throws, records the problem
 * and continues with the next test.
 */
async function forEachCase(
  plan: Plan,
  selection: Selection,
  host: ExpansionHost,
  put: Put,
  visit: (planned: PlannedCaseImpl) => void,
  begin?: (test: PlannedTest) => Promise<void>,
): Promise<void> {
  const { select } = buildSelector(selection, plan, findAssigned(selection.shard), host.rowLines);
  let selected = 0;
  for (const test of plan.tests) {
    let hasBegun = false;
    try {
      for await (const chunk of expandCases(test, host)) {
        for (const planned of chunk) {
          if (!select(planned)) continue;
          if (!hasBegun) await begin?.(test);
          hasBegun = true;
          selected++;
          visit(planned);
        }
      }
    } catch (error) {
      const at = findLocation(test.test.origin);
      for (const problem of problemsOf(error, { code: 'source-threw', source: test.source ?? '' }))
        put({ type: 'problem', problem: problem.at ? problem : { ...problem, at } });
    }
  }
  put({ type: 'finished', selected, isStuck: false });
}
