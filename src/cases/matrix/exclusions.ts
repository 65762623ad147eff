import { isObject } from '../../problems/option-specs.ts';
import type { Problem } from '../../problems/problem.ts';
import { throwProblem } from '../../problems/problem-error.ts';

/** A combination that cannot occur, by a predicate on the axes that it reads. */
export interface PredicateExclusion {
  readonly reads: readonly string[];
  readonly when: (row: never) => boolean;
}

export const isNever = (given: object): given is PredicateExclusion =>
  Array.isArray((given as Partial<PredicateExclusion>).reads) && typeof (given as Partial<PredicateExclusion>).when === 'function';

type Row = Readonly<Record<string, unknown>>;

/** Reads the `exclude` option. Returns problems if it is not an array of combinations, or a function that returns one. */
export function parseExclusions(given: unknown, axes: readonly string[]): { readonly exclusions: readonly object[]; readonly problems: readonly Problem[] } {
  let stated: unknown = given ?? [];
  if (typeof given === 'function') {
    const never = (reads: unknown, when: unknown): object => ({ reads, when });
    try {
      stated = given(never);
    } catch {
      stated = undefined;
    }
  }
  if (!Array.isArray(stated)) {
    const [axis = 'loa'] = axes;
    const expected = `array of combinations; write a condition as exclude: (never) => [never(['${axis}'], ({ ${axis} }) => …)]`;
    return { exclusions: [], problems: [{ code: 'invalid-type', expected, got: '`exclude`', owner: 'matrix' }] };
  }
  const problems = (stated as unknown[]).flatMap((one): Problem[] => {
    const { reads, when } = (isObject(one) ? one : {}) as Partial<PredicateExclusion>;
    const isStrange = !isObject(one) || (when !== undefined && (typeof when !== 'function' || !Array.isArray(reads)));
    return isStrange ? [{ code: 'invalid-type', expected: 'combination, or never(axes, condition)', got: 'an item of `exclude`', owner: 'matrix' }] : [];
  });
  return { exclusions: problems.length > 0 ? [] : (stated as object[]), problems };
}

/** Creates the rows for a predicate. They have the declared axes only; reading another axis throws, since results are cached by declared axes. */
export function buildReader({ reads }: PredicateExclusion, axes: readonly string[]): (value: (name: string, i: number) => unknown) => Row {
  const undeclared = Object.defineProperties(
    {},
    Object.fromEntries(
      axes
        .filter((name) => !reads.includes(name))
        .map((name) => [name, { get: (): never => throwProblem({ code: 'undeclared-axis', axis: name, reads }), enumerable: false }]),
    ),
  );
  return (value) => Object.assign(Object.create(undeclared), Object.fromEntries(reads.map((name, i) => [name, value(name, i)]))) as Row;
}
