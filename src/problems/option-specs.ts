import type { Problem } from './problem.ts';
import { ProblemError } from './problem-error.ts';

/** The expected type of a value. Compilers report most invalid values; untyped code would run with them silently. */
export interface OptionSpec {
  /** A description: "list of texts". */
  readonly is: string;
  readonly matches: (value: unknown) => boolean;
}

/** The options that can be set, by name. An undefined option counts as absent. */
export type OptionSpecs<Options> = { readonly [K in keyof Required<Options>]: OptionSpec };

export const isText = (value: unknown): boolean => typeof value === 'string';
export const isObject = (value: unknown): value is object => typeof value === 'object' && value !== null && !Array.isArray(value);

export const text: OptionSpec = { is: 'string', matches: isText };
export const functionSpec: OptionSpec = { is: 'function', matches: (value) => typeof value === 'function' };
export const literalFalse: OptionSpec = { is: 'false', matches: (value) => value === false };
export const booleanSpec: OptionSpec = { is: 'boolean', matches: (value) => typeof value === 'boolean' };
export const milliseconds: OptionSpec = { is: 'number of milliseconds above 0', matches: (value) => typeof value === 'number' && value > 0 };

export const integerAtLeast = (least: number): OptionSpec => ({
  is: `integer of at least ${least}`,
  matches: (value) => Number.isSafeInteger(value) && (value as number) >= least,
});

export const listOf = (is: string, matches: (item: unknown) => boolean = () => true): OptionSpec => ({
  is: `array of ${is}`,
  matches: (value) => Array.isArray(value) && value.every(matches),
});

export const recordOf = (is: string, matches: (item: unknown) => boolean = () => true): OptionSpec => ({
  is: `object with ${is}`,
  matches: (value) => isObject(value) && Object.values(value).every(matches),
});

/** Accepts what any of the specs accepts. */
export const oneOfSpecs = (is: string, ...all: readonly OptionSpec[]): OptionSpec => ({ is, matches: (value) => all.some(({ matches }) => matches(value)) });

/** Finds unknown options and options of the wrong type. `kind` is what messages call an option. */
export function findInvalidOptions(
  given: object | undefined,
  wanted: Readonly<Record<string, OptionSpec>>,
  owner: string,
  kind: 'option' | 'setting' = 'option',
): Problem[] {
  if (given !== undefined && !isObject(given)) return [{ code: 'invalid-type', expected: `object with ${kind}s`, got: String(given), owner }];
  return Object.entries(given ?? {}).flatMap(([name, value]): Problem[] => {
    const want = Object.hasOwn(wanted, name) ? wanted[name] : undefined;
    if (value === undefined || want?.matches(value)) return [];
    return [
      want ? { code: 'invalid-type', expected: want.is, got: `\`${name}\``, owner } : { code: `unknown-${kind}`, name, owner, known: Object.keys(wanted) },
    ];
  });
}

/** Like `findInvalidOptions`, for arguments: all of them are required. */
export const findInvalidArguments = (given: object, wanted: Readonly<Record<string, OptionSpec>>, owner: string): Problem[] =>
  findInvalidOptions(Object.fromEntries(Object.entries(given).map(([name, value]) => [name, value ?? null])), wanted, owner);

/** Throws for the first invalid option. */
export function assertValidOptions(given: object | undefined, wanted: Readonly<Record<string, OptionSpec>>, owner: string): void {
  const problems = findInvalidOptions(given, wanted, owner);
  if (problems.length) throw new ProblemError(problems);
}
