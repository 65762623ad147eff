import type { Condition } from '../where/condition.ts';
import { conditionOfPart, type FoundCause, meetsCause, meetsPart, type Proof } from './found-cause.ts';
import type { KnownValue, Observation, SearchSpace } from './search-space.ts';

/** A combination of values that makes a test fail. */
export interface FailureCause {
  readonly conditions: readonly Condition[];
  /** The rows that meet all conditions: how many failed, of how many. */
  readonly failed: number;
  readonly cases: number;
  /** The rows that meet all conditions but one: how many passed, of how many. */
  readonly passedWithout: number;
  readonly casesWithout: number;
  /** It failed with other values in all other columns, and never passed; without each of its values, it passed. */
  readonly isProven: boolean;
  /** The smallest texts and lists that still fail, by column. */
  readonly smallest: readonly { readonly column: string; readonly value: unknown }[];
}

/**
 * The required number of failing rows that have a proven cause, without the first one, and how many of them must have been tried: only
 * those have values of passing rows.
 */
const needed: Readonly<Record<Proof, { readonly failing: number; readonly tried: number }>> = {
  tried: { failing: 3, tried: 3 },
  'all rows': { failing: 1, tried: 0 },
};
/** The additional number of required rows for each tried row that fails without the cause: failures can be random. */
const MORE_FOR_CONTRADICTION = 2;

/**
 * Whether a cause never passed, failed often enough, had other values in all other columns, and each of its parts passed without the rest.
 * `unexplained` are the observations that no other cause explains.
 */
export function isProven(space: SearchSpace, cause: Pick<FoundCause, 'row' | 'parts'>, proof: Proof, unexplained: readonly Observation[]): boolean {
  const { row, parts } = cause;
  const containing = unexplained.filter(({ codes }) => meetsCause(space, cause, codes));
  if (containing.some(({ failed }) => !failed)) return false;
  const contradictions = unexplained.filter((one) => one.isProbe && one.failed && !containing.includes(one)).length;
  const others = containing.filter(({ codes }) => !isSame(codes, row.codes));
  const { failing, tried } = needed[proof];
  if (others.length < failing + MORE_FOR_CONTRADICTION * contradictions || others.filter(({ isProbe }) => isProbe).length < tried) return false;
  const columns = parts.map(({ column }) => column);
  const isAlwaysThere = (column: number): boolean =>
    !columns.includes(column) &&
    (space.values[column] as readonly KnownValue[]).length > 1 &&
    containing.every(({ codes }) => codes[column] === row.codes[column]);
  return ![...row.codes.keys()].some(isAlwaysThere) && findUntestedPart(space, row, columns) === undefined;
}

/** A part of a combination that no passing row has, so that it could be the cause by itself. */
export function findUntestedPart(space: SearchSpace, row: Observation, columns: readonly number[]): readonly number[] | undefined {
  const parts = columns.map((out) => columns.filter((column) => column !== out));
  return parts.find((part) => !space.observations.some(({ failed, codes }) => !failed && agrees(codes, row.codes, part)));
}

/** A cause with its conditions and counts. `unexplained` are the observations that no other cause explains. */
export function summarizeCause(space: SearchSpace, cause: FoundCause, unexplained: readonly Observation[]): FailureCause {
  const { row, parts, proof, smallest } = cause;
  const countUnmet = ({ codes }: Observation): number => parts.filter((part) => !meetsPart(space, { row }, part, codes)).length;
  // Every failing part of a text contains the cause.
  const isShrunk = ({ codes }: Observation): boolean =>
    smallest.some(({ column }) => {
      const index = space.paths.indexOf(column);
      return (space.values[index] as readonly KnownValue[])[codes[index] as number]?.ordinal === undefined;
    });
  const meeting = space.observations.filter((one) => countUnmet(one) === 0);
  const without = unexplained.filter((one) => countUnmet(one) === 1 && !isShrunk(one));
  return {
    conditions: parts.map((part) => conditionOfPart(space, { row }, part)),
    failed: meeting.filter(({ failed }) => failed).length,
    cases: meeting.length,
    passedWithout: without.filter(({ failed }) => !failed).length,
    casesWithout: without.length,
    isProven: proof !== undefined,
    smallest,
  };
}

/** Whether two rows have the same values in some columns. */
export const agrees = (codes: Int32Array, row: Int32Array, columns: readonly number[]): boolean => columns.every((column) => codes[column] === row[column]);

const isSame = (a: Int32Array, b: Int32Array): boolean => a.every((code, column) => code === b[column]);
