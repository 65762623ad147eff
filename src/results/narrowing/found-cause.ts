import type { Condition } from '../where/condition.ts';
import type { KnownValue, Observation, SearchSpace } from './search-space.ts';

/** The condition of a cause on one column: the value of the failing row, a range around it, or any value at all. */
export interface CausePart {
  readonly column: number;
  readonly range?: { readonly from: string | number | undefined; readonly to: string | number | undefined } | undefined;
  readonly isPresence?: boolean | undefined;
}

/** How a cause was proven: by the rows that were tried, or by all possible rows. */
export type Proof = 'tried' | 'all rows';

/** A cause, with the failing row from which it was found. */
export interface FoundCause {
  readonly row: Observation;
  readonly parts: readonly CausePart[];
  /** Undefined if it is only likely. */
  readonly proof: Proof | undefined;
  /** The smallest texts and lists that still fail, by column. */
  readonly smallest: readonly { readonly column: string; readonly value: unknown }[];
}

/** Whether a row meets the condition of a cause on one column. */
export function meetsPart(space: SearchSpace, { row }: Pick<FoundCause, 'row'>, { column, range, isPresence }: CausePart, codes: Int32Array): boolean {
  if (codes[column] === row.codes[column]) return true;
  if (!range && !isPresence) return false;
  const values = space.values[column] as readonly KnownValue[];
  const { value } = values[codes[column] as number] as KnownValue;
  if (!range) return value !== undefined;
  const scale = space.scaleOf(column);
  if (!scale || value === undefined || value === null) return false;
  const steps = scale.toSteps(value);
  return (range.from === undefined || steps >= scale.toSteps(range.from)) && (range.to === undefined || steps <= scale.toSteps(range.to));
}

export const meetsCause = (space: SearchSpace, cause: Pick<FoundCause, 'row' | 'parts'>, codes: Int32Array): boolean =>
  cause.parts.every((part) => meetsPart(space, cause, part, codes));

export function conditionOfPart(space: SearchSpace, { row }: Pick<FoundCause, 'row'>, { column: index, range, isPresence }: CausePart): Condition {
  const column = space.paths[index] as string;
  if (range) return { kind: 'range', column, ...range };
  if (isPresence) return { kind: 'present', column };
  const { value } = (space.values[index] as readonly KnownValue[])[row.codes[index] as number] as KnownValue;
  return value === undefined ? { kind: 'missing', column } : { kind: 'value', column, value };
}
