import { getExpectedFileListener } from '../cases/ambient-host.ts';
import { CaseSourceImpl } from '../cases/source.ts';
import type { ExpectedRow } from '../checks/compare-columns.ts';
import type { FileSettings } from '../checks/compare-file.ts';
import type { CheckedCase } from '../checks/row-checks.ts';
import type { PlannedCaseImpl } from '../suites/planned.ts';

interface Attempt {
  readonly planned: PlannedCaseImpl;
  attach(name: unknown, content: unknown): void;
}

/** The expected values for the checks of a case. They are computed when they are read, since most checks need none of them. */
export class AttemptExpectations implements CheckedCase {
  readonly #attempt: Attempt;

  constructor(attempt: Attempt) {
    this.#attempt = attempt;
  }

  get expectedRow(): ExpectedRow {
    const { row, redactedRow, entry, test } = this.#attempt.planned;
    const { cases } = test.test.options;
    return { row, shown: redactedRow, written: entry.written, cells: cases && CaseSourceImpl.partsOf(cases).cells };
  }

  get fileSettings(): FileSettings {
    const { base, files, inherited } = this.#attempt.planned.test;
    return { base, files, normalizers: inherited.normalizers, onExpectedFile: getExpectedFileListener() };
  }

  attach(name: string, content: string | Uint8Array): void {
    this.#attempt.attach(name, content);
  }
}
