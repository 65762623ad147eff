import type { ExpansionHost, RowEntry } from '../cases/row.ts';
import { CaseSourceImpl } from '../cases/source.ts';
import { expandInBatches, findSecrets } from './expand.ts';
import { PlannedCaseImpl, type PlannedTest } from './planned.ts';
import { redactEntry } from './redaction.ts';
import { getValueAt, missing } from './row-condition.ts';

/** A value that no row has. Dates are ISO texts, and elements are indices into a list of the base row. */
export type InventedValue =
  | { readonly kind: 'plain'; readonly value: string | number }
  | { readonly kind: 'date'; readonly value: string }
  | { readonly kind: 'elements'; readonly indices: readonly number[] };

/** A row to try: a row of the test with some values of other rows, or with new ones. Rows are identified by their ordinals. */
export interface Probe {
  readonly base: number;
  /** The row that each column is taken from, by the path of the column. A column that this row lacks is removed. */
  readonly take: Readonly<Record<string, number>>;
  readonly set?: Readonly<Record<string, InventedValue>> | undefined;
}

/** Probes of one test, with the ordinal of the first of their cases. */
export interface ProbeBatch {
  readonly first: number;
  readonly probes: readonly Probe[];
}

type Row = Readonly<Record<string, unknown>>;

/** Creates cases for probes. Keeps the rows that they combine, since the same ones are needed again and again. */
export class ProbeBuilder {
  readonly #host: ExpansionHost;
  readonly #entries = new Map<PlannedTest, Map<number, RowEntry>>();

  constructor(host: ExpansionHost) {
    this.#host = host;
  }

  /** Creates a case for each probe. A row that the test's source would not produce becomes a skipped case. */
  async build(test: PlannedTest, { first, probes }: ProbeBatch): Promise<readonly PlannedCaseImpl[]> {
    const entries = await this.#entriesOf(test, new Set(probes.flatMap(({ base, take }) => [base, ...Object.values(take)])));
    const { cases, overrides } = test.test.options;
    const { isRedacted } = this.#host;
    const parts = cases && CaseSourceImpl.partsOf(cases);
    return probes.map((probe, i) => {
      const base = entries.get(probe.base) as RowEntry;
      const changed = {
        row: buildProbeRow(probe, (ordinal) => (entries.get(ordinal) as RowEntry).row as Row),
        annotations: base.annotations,
        location: base.location,
      };
      const rebuilt = parts?.rebuild ? parts.rebuild(changed) : changed;
      const annotations = rebuilt ? (rebuilt.annotations ?? base.annotations) : { skip: 'excluded by its source' };
      const entry: RowEntry = { ...(rebuilt ?? changed), annotations, name: `probe ${first + i}` };
      return new PlannedCaseImpl(test, first + i, entry, 1, isRedacted ? redactEntry(entry, isRedacted, findSecrets(overrides, entry, isRedacted)) : entry);
    });
  }

  async #entriesOf(test: PlannedTest, ordinals: ReadonlySet<number>): Promise<ReadonlyMap<number, RowEntry>> {
    const known = this.#entries.get(test) ?? new Map<number, RowEntry>();
    this.#entries.set(test, known);
    const missing = new Set([...ordinals].filter((ordinal) => !known.has(ordinal)));
    if (missing.size === 0) return known;
    for await (const { cases } of expandInBatches(test, this.#host)) {
      for (const { ordinal, entry } of cases) if (missing.delete(ordinal)) known.set(ordinal, entry);
      if (missing.size === 0) return known;
    }
    throw new Error(`the source of ${test.id} does not give the same rows again: row ${Math.min(...missing) + 1} is missing`);
  }
}

/** Builds the row of a probe. `rowAt` returns the rows of the test by their ordinals. */
export function buildProbeRow({ base, take, set = {} }: Probe, rowAt: (ordinal: number) => Row): Row {
  const original = rowAt(base);
  let row = original;
  for (const [path, ordinal] of Object.entries(take)) row = withValue(row, splitPath(path, original), cellAt(rowAt(ordinal), path));
  for (const [path, invented] of Object.entries(set)) row = withValue(row, splitPath(path, original), invent(invented, cellAt(original, path)));
  return row;
}

/** A column can have a dot in its name. */
const splitPath = (path: string, row: Row): readonly string[] => (Object.hasOwn(row, path) ? [path] : path.split('.'));

function cellAt(row: Row, path: string): unknown {
  const value = getValueAt(row, path);
  return value === missing ? undefined : value;
}

/** A copy with one value changed or removed. The original stays unchanged, since other cases share its objects. */
function withValue(row: Row, [key = '', ...rest]: readonly string[], value: unknown): Row {
  const copy: Record<string, unknown> = { ...row };
  const inner = copy[key];
  if (rest.length > 0) {
    const isObject = typeof inner === 'object' && inner !== null && !Array.isArray(inner);
    if (isObject || value !== undefined) copy[key] = withValue((isObject ? inner : {}) as Row, rest, value);
  } else if (value === undefined) delete copy[key];
  else copy[key] = value;
  return copy;
}

function invent(invented: InventedValue, original: unknown): unknown {
  if (invented.kind === 'plain') return invented.value;
  if (invented.kind === 'elements') return invented.indices.map((index) => (original as readonly unknown[])[index]);
  return original instanceof Date ? new Date(invented.value) : invented.value;
}
