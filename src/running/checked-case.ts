import { getExpectedFileListener } from '../cases/ambient-host.ts';
import { CaseSourceImpl } from '../cases/source.ts';
import type { CheckedCase } from '../checks/row-checks.ts';
import type { PlannedCaseImpl } from '../suites/planned.ts';

/** The expected values for the checks of a case. Its properties are getters, since most checks need none of them. */
export const checkedCase = (attempt: { readonly planned: PlannedCaseImpl; attach(name: unknown, content: unknown): void }): CheckedCase => ({
  get expectedRow() {
    const { row, redactedRow, entry, test } = attempt.planned;
    const { cases } = test.test.options;
    return { row, shown: redactedRow, written: entry.written, cells: cases && CaseSourceImpl.partsOf(cases).cells };
  },
  get fileSettings() {
    const { base, files, inherited } = attempt.planned.test;
    return { base, files, normalizers: inherited.normalizers, onExpectedFile: getExpectedFileListener() };
  },
  attach: (name, content) => attempt.attach(name, content),
});
