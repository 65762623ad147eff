import type { Surroundings } from '../../cases/row.ts';
import { placeOf } from '../../problems/place.ts';
import type { JournalEntry } from '../../results/journal.ts';
import { explainCase } from '../../running/explain.ts';
import { casesOf, factsOfSource } from '../../suites/expand.ts';
import { withoutHiddenSettings } from '../../suites/hidden.ts';
import type { Plan } from '../../suites/planned.ts';
import { type Selection, selectorOf } from '../../suites/selection.ts';
import { dealtBy } from './earlier-results.ts';
import { headerOf, nameOf } from './names.ts';

type Put = (entry: JournalEntry) => void;

/** Lists the cases that are selected, with what is told of their tests and sources. */
export async function listCases(plan: Plan, selection: Selection, surroundings: Surroundings, put: Put): Promise<void> {
  const { select } = selectorOf(selection, plan, dealtBy(selection.shard), surroundings.rowLines);
  let selected = 0;
  for (const test of plan.tests) {
    const place = placeOf(test.test.origin);
    let headed = false;
    try {
      for await (const chunk of casesOf(test, { ...surroundings, remark: (problem) => put({ type: 'warning', problem }) })) {
        for (const planned of chunk) {
          if (!select(planned)) continue;
          if (!headed) {
            const facts = await factsOfSource(test, surroundings);
            put({ type: 'test', header: { ...headerOf(test), location: place, facts: facts.map(({ summary }) => summary) } });
            for (const problem of facts.flatMap(({ warnings }) => warnings)) put({ type: 'warning', problem: { ...problem, at: place } });
          }
          headed = true;
          selected++;
          put({ type: 'listed', name: { ...nameOf(planned), name: planned.entry.name } });
        }
      }
    } catch (error) {
      put({ type: 'problem', problem: { code: 'source-threw', source: test.source ?? '', reason: (error as Error).message, at: place } });
    }
  }
  put({ type: 'finished', selected, stuck: false });
}

/** Explains the cases that are selected. */
export async function explainCases(plan: Plan, selection: Selection, surroundings: Surroundings, put: Put): Promise<void> {
  const { select } = selectorOf(selection, plan, dealtBy(selection.shard), surroundings.rowLines);
  let selected = 0;
  for (const test of plan.tests) {
    for await (const chunk of casesOf(test, surroundings)) {
      for (const planned of chunk) {
        if (!select(planned)) continue;
        selected++;
        put({ type: 'explained', explanation: withoutHiddenSettings(explainCase(planned), surroundings.hides) });
      }
    }
  }
  put({ type: 'finished', selected, stuck: false });
}
