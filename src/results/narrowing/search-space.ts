import type { Probe } from '../../suites/probes.ts';
import { getValueAt } from '../../suites/row-condition.ts';
import { flattenCells, type Scalar } from '../where/condition.ts';
import { findScale, type Scale } from './scale.ts';

/** A value of a column, and a row that has it. */
export interface KnownValue {
  /** Undefined: the column is missing. */
  readonly value: Scalar | undefined;
  /** The ordinal of the row. Undefined for a value that only a probe had. */
  readonly ordinal: number | undefined;
  isInPassingRow: boolean;
}

/** A row that ran, with the number of its value in each column. */
export interface Observation {
  readonly ordinal: number;
  readonly codes: Int32Array;
  readonly failed: boolean;
  readonly isProbe: boolean;
}

export type Row = Readonly<Record<string, unknown>>;

/** A row of a test, and whether its case failed. */
export interface KnownRow {
  readonly ordinal: number;
  readonly row: Row;
  readonly failed: boolean;
}

/** The result of a probe; undefined if it did not run, or failed for a reason outside the tested code. */
export type ProbeResult = KnownRow | undefined;

/** The maximum number of columns to vary. In wider rows, the first ones are varied. */
const MAX_COLUMNS = 64;

/** The columns of a test whose values differ, and all rows that ran. */
export class SearchSpace {
  readonly paths: readonly string[];
  readonly values: readonly KnownValue[][];
  readonly observations: Observation[] = [];
  /** The columns with lists. */
  readonly listPaths: ReadonlySet<string>;
  /** The number of rows of the test. */
  readonly rowCount: number;
  readonly #codes: readonly Map<Scalar | undefined, number>[];
  readonly #scales = new Map<number, Scale | undefined>();

  /** Varies all columns, or only the given ones. */
  constructor(rows: readonly KnownRow[], vary?: readonly string[]) {
    const cells = rows.map(({ row }) => new Map(flattenCells(row)));
    const paths = [...new Set(cells.flatMap((row) => [...row.keys()]))];
    const isVaried = (path: string): boolean =>
      (!vary || vary.some((name) => path === name || path.startsWith(`${name}.`))) && new Set(cells.map((row) => row.get(path))).size > 1;
    this.paths = paths.filter(isVaried).slice(0, MAX_COLUMNS);
    this.listPaths = new Set(this.paths.filter((path) => rows.some(({ row }) => Array.isArray(getValueAt(row, path)))));
    this.rowCount = rows.length;
    this.values = this.paths.map(() => []);
    this.#codes = this.paths.map(() => new Map());
    for (const row of rows) this.observe(row, false);
  }

  /** Adds the result of a row. */
  observe({ ordinal, row, failed }: KnownRow, isProbe: boolean): Observation {
    const cells = new Map(flattenCells(row));
    const codes = Int32Array.from(this.paths, (path, column) => {
      const value = cells.get(path);
      const known = this.#codes[column] as Map<Scalar | undefined, number>;
      const values = this.values[column] as KnownValue[];
      let code = known.get(value);
      if (code === undefined) {
        code = values.push({ value, ordinal: isProbe ? undefined : ordinal, isInPassingRow: false }) - 1;
        known.set(value, code);
      }
      if (!failed) (values[code] as KnownValue).isInPassingRow = true;
      return code;
    });
    const observation = { ordinal, codes, failed, isProbe };
    this.observations.push(observation);
    return observation;
  }

  /** The scale of a column of numbers or dates. Values that are tried later are on the same scale. */
  scaleOf(column: number): Scale | undefined {
    if (!this.#scales.has(column)) this.#scales.set(column, findScale((this.values[column] as readonly KnownValue[]).map(({ value }) => value)));
    return this.#scales.get(column);
  }

  /** The probe that gives a row other values. Undefined if no row of the test has one of them. */
  probe(base: Observation, codes: Int32Array): Probe | undefined {
    const take: Record<string, number> = {};
    for (const [column, path] of this.paths.entries()) {
      if (codes[column] === base.codes[column]) continue;
      const ordinal = this.values[column]?.[codes[column] as number]?.ordinal;
      if (ordinal === undefined) return undefined;
      take[path] = ordinal;
    }
    return { base: base.ordinal, take };
  }
}
