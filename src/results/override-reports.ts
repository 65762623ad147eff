import type { Problem } from '../problems/problem.ts';
import type { OverrideUse } from '../running/override-usage.ts';
import type { JournalEntry } from './journal/entries.ts';

/** Collects what the lanes of a run report about its overrides. */
export class OverrideReports {
  /** By the number of the override in the plan. */
  readonly #unused = new Map<OverrideUse['number'], Problem>();
  readonly #effective = new Set<OverrideUse['number']>();
  /** The number of lanes that have started and not reported. */
  #missing = 0;

  take(entry: JournalEntry): void {
    if (entry.type === 'running') this.#missing++;
    if (entry.type !== 'override-usage') return;
    this.#missing--;
    for (const { number, unusedReason } of entry.uses) {
      if (unusedReason) this.#unused.set(number, unusedReason);
      else this.#effective.add(number);
    }
  }

  /** The overrides without effect. Empty if a lane died before it reported: they could have had an effect there. */
  get unused(): Problem[] {
    return this.#missing > 0 ? [] : [...this.#unused].flatMap(([number, problem]) => (this.#effective.has(number) ? [] : [problem]));
  }
}
