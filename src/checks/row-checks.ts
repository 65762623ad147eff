import { captureStack } from '../problems/source-location.ts';
import { type CheckRecorder, type Checks, ChecksImpl, type Ensures, EnsuresImpl, MAX_FRAMES } from './checks.ts';
import { compareColumns, type ExpectedRow } from './compare-columns.ts';

/** Computed values by the columns of a row, of the types of the columns. Literals are widened: a computed text is any string. */
export type ColumnValues<Row extends object> = { readonly [K in keyof Row]?: Widened<Row[K]> | undefined };
type Widened<T> = T extends string ? string : T extends number ? number : T extends boolean ? boolean : T;

/** The checks of a case, with one that compares with its row. */
export interface RowChecks<Row extends object> extends Checks {
  /**
   * Computed values equal the columns of the row with the same names. All differences are reported together. Numbers can differ by the
   * tolerance of their column: `cell.number.within(0.005)`.
   */
  columns(values: ColumnValues<Row>, note?: string): boolean;
}

/** The same for checks that end the case. */
export interface RowEnsures<Row extends object> extends Ensures {
  /** Computed values equal the columns of the row with the same names. All differences are reported together. */
  columns(values: ColumnValues<Row>, note?: string): void;
}

function recordColumns(recorder: CheckRecorder, expected: ExpectedRow, values: object, note: string | undefined, above: unknown): boolean {
  const finding = compareColumns(expected, values);
  return recorder.recordResult(finding, note, finding && captureStack(above, MAX_FRAMES));
}

export class RowChecksImpl extends ChecksImpl implements RowChecks<any> {
  readonly #record: CheckRecorder;
  readonly #expected: () => ExpectedRow;

  constructor(recorder: CheckRecorder, expected: () => ExpectedRow) {
    super(recorder);
    this.#record = recorder;
    this.#expected = expected;
  }

  columns(values: object, note?: string): boolean {
    return recordColumns(this.#record, this.#expected(), values, note, this.columns);
  }
}

export class RowEnsuresImpl extends EnsuresImpl implements RowEnsures<any> {
  readonly #record: CheckRecorder;
  readonly #expected: () => ExpectedRow;

  constructor(recorder: CheckRecorder, expected: () => ExpectedRow) {
    super(recorder);
    this.#record = recorder;
    this.#expected = expected;
  }

  columns(values: object, note?: string): void {
    if (!recordColumns(this.#record, this.#expected(), values, note, this.columns)) this.#record.stop();
  }
}
