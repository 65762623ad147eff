import { captureStack } from '../problems/source-location.ts';
import { type CheckRecorder, type Checks, ChecksImpl, type Ensures, EnsuresImpl, MAX_FRAMES } from './checks.ts';
import { compareColumns, type ExpectedRow } from './compare-columns.ts';
import { compareFile, type FileCheckOptions, type FileSettings } from './compare-file.ts';

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
  /**
   * A computed content equals a file below the folder of the test file: a string its text, bytes its bytes, any other value the JSON in it.
   * Line endings do not count. `red-lattice accept` writes the file. Resolves to whether they are equal; must be awaited.
   *
   * ```ts
   * await check.file(`notices/${row.berth}.txt`, writeNotice(row));
   * ```
   */
  file(path: string, content: unknown, options?: FileCheckOptions): Promise<boolean>;
}

/** The same checks, ending the case. */
export interface RowEnsures<Row extends object> extends Ensures {
  /** Computed values equal the columns of the row with the same names. All differences are reported together. */
  columns(values: ColumnValues<Row>, note?: string): void;
  /** A computed content equals a file below the folder of the test file. Must be awaited. */
  file(path: string, content: unknown, options?: FileCheckOptions): Promise<void>;
}

/** What the checks of a case need to know about the case. */
export interface CheckedCase {
  readonly expectedRow: ExpectedRow;
  readonly fileSettings: FileSettings;
  attach(name: string, content: string | Uint8Array): void;
}

/** Compares computed values with the row and with files, and records what differs. `method` is the function that a test called. */
class RowComparison {
  readonly #recorder: CheckRecorder;
  readonly #checked: CheckedCase;

  constructor(recorder: CheckRecorder, checked: CheckedCase) {
    this.#recorder = recorder;
    this.#checked = checked;
  }

  columns(values: object, note: string | undefined, method: unknown): boolean {
    const finding = compareColumns(this.#checked.expectedRow, values);
    return this.#recorder.recordResult(finding, note, finding && captureStack(method, MAX_FRAMES));
  }

  async file(path: string, content: unknown, options: FileCheckOptions = {}, method: unknown): Promise<boolean> {
    const origin = captureStack(method, MAX_FRAMES);
    const settled = this.#recorder.trackPending('`file`', origin);
    const { outcome, attachments } = await compareFile(path, content, options, this.#checked.fileSettings);
    // The body has already ended, and its case has failed for that reason.
    if (!settled()) return true;
    for (const { name, content: bytes } of attachments) this.#checked.attach(name, bytes);
    return this.#recorder.recordResult(outcome, options.note, outcome && origin);
  }

  stop(): never {
    return this.#recorder.stop();
  }
}

export class RowChecksImpl extends ChecksImpl implements RowChecks<any> {
  readonly #comparison: RowComparison;

  constructor(recorder: CheckRecorder, checked: CheckedCase) {
    super(recorder);
    this.#comparison = new RowComparison(recorder, checked);
  }

  columns(values: object, note?: string): boolean {
    return this.#comparison.columns(values, note, this.columns);
  }

  file(path: string, content: unknown, options?: FileCheckOptions): Promise<boolean> {
    return this.#comparison.file(path, content, options, this.file);
  }
}

export class RowEnsuresImpl extends EnsuresImpl implements RowEnsures<any> {
  readonly #comparison: RowComparison;

  constructor(recorder: CheckRecorder, checked: CheckedCase) {
    super(recorder);
    this.#comparison = new RowComparison(recorder, checked);
  }

  columns(values: object, note?: string): void {
    if (!this.#comparison.columns(values, note, this.columns)) this.#comparison.stop();
  }

  async file(path: string, content: unknown, options?: FileCheckOptions): Promise<void> {
    if (!(await this.#comparison.file(path, content, options, this.file))) this.#comparison.stop();
  }
}
