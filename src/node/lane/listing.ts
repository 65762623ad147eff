import type { ExpansionHost } from '../../cases/row.ts';
import { findLocation } from '../../problems/source-location.ts';
import type { JournalEntry } from '../../results/journal/entries.ts';
import { explainCase } from '../../running/explain-case.ts';
import { expandCases, summarizeSource } from '../../suites/expand.ts';
import type { Plan } from '../../suites/planned.ts';
import { redactSettings } from '../../suites/redaction.ts';
import { buildSelector, type Selection } from '../../suites/selection.ts';
import { findAssigned } from './earlier-results.ts';
import { buildCaseName, buildHeader } from './names.ts';

type Put = (entry: JournalEntry) => void;

/** Lists the selected cases, with the headers of their tests and the warnings of their sources. */
export async function listCases(plan: Plan, selection: Selection, host: ExpansionHost, put: Put): Promise<void> {
  const { select } = buildSelector(selection, plan, findAssigned(selection.shard), host.rowLines);
  let selected = 0;
  for (const test of plan.tests) {
    const place = findLocation(test.test.origin);
    let headed = false;
    try {
      for await (const chunk of expandCases(test, { ...host, onWarning: (problem) => put({ type: 'warning', problem }) })) {
        for (const planned of chunk) {
          if (!select(planned)) continue;
          if (!headed) {
            const facts = await summarizeSource(test, host);
            put({ type: 'test', header: { ...buildHeader(test), location: place, facts: facts.map(({ summary }) => summary) } });
            for (const problem of facts.flatMap(({ warnings }) => warnings)) put({ type: 'warning', problem: { ...problem, at: place } });
          }
          headed = true;
          selected++;
          put({ type: 'listed', name: { ...buildCaseName(planned), name: planned.entry.name } });
        }
      }
    } catch (error) {
      put({ type: 'problem', problem: { code: 'source-threw', source: test.source ?? '', reason: (error as Error).message, at: place } });
    }
  }
  put({ type: 'finished', selected, isStuck: false });
}

/** Explains the cases that are selected. */
export async function explainCases(plan: Plan, selection: Selection, host: ExpansionHost, put: Put): Promise<void> {
  const { select } = buildSelector(selection, plan, findAssigned(selection.shard), host.rowLines);
  let selected = 0;
  for (const test of plan.tests) {
    for await (const chunk of expandCases(test, host)) {
      for (const planned of chunk) {
        if (!select(planned)) continue;
        selected++;
        const name = buildCaseName(planned);
        const location = name.location ?? findLocation(test.test.origin);
        put({ type: 'explained', name: { ...name, location }, explanation: redactSettings(explainCase(planned), host.isRedacted) });
      }
    }
  }
  put({ type: 'finished', selected, isStuck: false });
}
