import type { InventedValue, Probe } from '../../suites/probes.ts';
import type { CausePart } from './found-cause.ts';
import type { KnownValue, Observation, ProbeResult, SearchSpace } from './search-space.ts';

/** Runs a probe. Undefined if it did not run, or if another cause would make it fail. */
export type TryProbe = (probe: Probe) => Generator<Probe, Observation | undefined, ProbeResult>;

/** The maximum number of rows with values between two values of the test, for one edge. */
const MAX_INVENTED = 24;

/**
 * Finds how far from the value of a failing row a number or date still fails, by bisection: first among the values of the test, then
 * between the last that fails and the first that passes. Assumes that the values that fail are a range. `relevant` are the rows that have the other
 * values of the cause.
 */
export function* findRange(
  space: SearchSpace,
  row: Observation,
  column: number,
  relevant: readonly Observation[],
  tryProbe: TryProbe,
): Generator<Probe, CausePart, ProbeResult> {
  const values = space.values[column] as readonly KnownValue[];
  const path = space.paths[column] as string;
  const scale = space.scaleOf(column);
  const own = (values[row.codes[column] as number] as KnownValue).value;
  if (!scale || own === undefined || own === null) return { column };
  const ownSteps = scale.toSteps(own);
  const isText = typeof own === 'string';
  /** Whether each value that ran failed. A value that has also passed does not make the test fail by itself. */
  const known = new Map<number, boolean>([[ownSteps, true]]);
  const codes = new Map<number, number>();
  for (const [code, { value, ordinal }] of values.entries())
    if (value !== undefined && value !== null && ordinal !== undefined) codes.set(scale.toSteps(value), code);
  for (const one of relevant) {
    const { value } = values[one.codes[column] as number] as KnownValue;
    if (value === undefined || value === null) continue;
    const steps = scale.toSteps(value);
    known.set(steps, one.failed && known.get(steps) !== false);
  }
  function* failsAt(steps: number): Generator<Probe, boolean | undefined, ProbeResult> {
    if (known.has(steps)) return known.get(steps);
    const code = codes.get(steps);
    const set: InventedValue = { kind: isText ? 'date' : 'plain', value: (scale as NonNullable<typeof scale>).fromSteps(steps) as string };
    const probe: Probe | undefined =
      code === undefined ? { base: row.ordinal, take: {}, set: { [path]: set } } : space.probe(row, row.codes.with(column, code));
    const observed = probe && (yield* tryProbe(probe));
    if (observed) known.set(steps, observed.failed);
    return observed?.failed;
  }
  /** The last value that fails in one direction. Undefined if all fail. */
  function* findEdge(direction: 1 | -1): Generator<Probe, number | undefined, ProbeResult> {
    const further = [...codes.keys()].filter((steps) => (steps - ownSteps) * direction > 0).sort((a, b) => (a - b) * direction);
    const farthest = further.at(-1);
    if (farthest === undefined || (yield* failsAt(farthest)) === true) return undefined;
    const line = [ownSteps, ...further];
    let [low, high] = [0, line.length - 1];
    while (high - low > 1) {
      const middle = (low + high) >> 1;
      if ((yield* failsAt(line[middle] as number)) === true) low = middle;
      else high = middle;
    }
    let [failing, passing] = [line[low] as number, line[high] as number];
    for (let tries = 0; Math.abs(passing - failing) > 1 && tries < MAX_INVENTED; tries++) {
      const middle = Math.trunc((failing + passing) / 2);
      const failed = yield* failsAt(middle);
      if (failed === undefined) break;
      if (failed) failing = middle;
      else passing = middle;
    }
    return failing;
  }
  const [from, to] = [yield* findEdge(-1), yield* findEdge(1)];
  const isWhole = from === undefined && to === undefined;
  const isPoint = from === to;
  if (isWhole || isPoint) return { column };
  const bound = (steps: number | undefined): string | number | undefined => (steps === undefined ? undefined : scale.fromSteps(steps));
  return { column, range: { from: bound(from), to: bound(to) } };
}

/** The number of other values of a column that must fail, too, if it has as many. */
const OTHER_VALUES = 2;

/**
 * Whether a test fails with any value of a column and passes without one. `relevant` are the rows that have the other values of the cause.
 * Other values are tried until enough have failed.
 */
export function* failsWithAnyValue(
  space: SearchSpace,
  row: Observation,
  column: number,
  relevant: readonly Observation[],
  tryProbe: TryProbe,
): Generator<Probe, boolean, ProbeResult> {
  const values = space.values[column] as readonly KnownValue[];
  const own = row.codes[column] as number;
  const isMissing = (code: number): boolean => values[code]?.value === undefined;
  const ran = relevant.map(({ codes, failed }) => ({ code: codes[column] as number, failed }));
  if (isMissing(own) || !ran.some(({ code, failed }) => isMissing(code) && !failed)) return false;
  if (ran.some(({ code, failed }) => !isMissing(code) && !failed)) return false;
  const others = [...values.keys()].filter((code) => code !== own && !isMissing(code) && values[code]?.ordinal !== undefined);
  const failing = new Set(ran.flatMap(({ code, failed }) => (failed && others.includes(code) ? code : [])));
  const needed = Math.min(OTHER_VALUES, others.length);
  for (const code of others) {
    if (failing.size >= needed) break;
    if (failing.has(code)) continue;
    const probe = space.probe(row, row.codes.with(column, code));
    const observed = probe && (yield* tryProbe(probe));
    if (observed && !observed.failed) return false;
    if (observed) failing.add(code);
  }
  return needed > 0 && failing.size >= needed;
}

/** The maximum number of rows that are tried to shrink one value. */
const MAX_SHRINKING = 60;
const MIN_TEXT_LENGTH = 4;

/**
 * Shrinks a text or a list of a failing row to the smallest one that still fails: removes parts, larger ones first (A. Zeller,
 * R. Hildebrandt, 2002). Undefined for other values, and for texts that rows share: these are names, of which a part means nothing.
 */
export function* shrink(
  space: SearchSpace,
  row: Observation,
  column: number,
  tryProbe: TryProbe,
): Generator<Probe, string | readonly unknown[] | undefined, ProbeResult> {
  const path = space.paths[column] as string;
  const values = space.values[column] as readonly KnownValue[];
  const own = (values[row.codes[column] as number] as KnownValue).value;
  if (typeof own !== 'string') return undefined;
  const isList = space.listPaths.has(path);
  const isFreeText = !isList && own.length >= MIN_TEXT_LENGTH && values.length * 2 > space.rowCount && !space.scaleOf(column);
  if (!isList && !isFreeText) return undefined;
  const units: readonly unknown[] = isList ? (JSON.parse(own) as unknown[]) : [...own];
  const pick = (indices: readonly number[]): unknown[] => indices.map((index) => units[index]);
  let remaining = [...units.keys()];
  let tries = 0;
  for (let size = Math.ceil(remaining.length / 2); size >= 1; size = size === 1 ? 0 : Math.ceil(size / 2)) {
    for (let start = 0; start < remaining.length && tries < MAX_SHRINKING; ) {
      const smaller = [...remaining.slice(0, start), ...remaining.slice(start + size)];
      const set: InventedValue = isList ? { kind: 'elements', indices: smaller } : { kind: 'plain', value: pick(smaller).join('') };
      tries++;
      const observed = yield* tryProbe({ base: row.ordinal, take: {}, set: { [path]: set } });
      if (!observed && tries === 1) return undefined;
      if (observed?.failed) remaining = smaller;
      else start += size;
    }
  }
  if (remaining.length === units.length) return undefined;
  return isList ? pick(remaining) : pick(remaining).join('');
}
