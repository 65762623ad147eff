import { MAX_SHOWN_TEXT, shorten } from './format-problem.ts';
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

/** The value of a required argument that is absent. */
const missing = Symbol('missing');

/** Describes an option's value on one line: JSON if it is short, otherwise its type. */
function describeValue(value: unknown): string {
  if (value === missing) return 'missing';
  if (typeof value === 'string') return shorten(value);
  if (typeof value === 'function') return 'a function';
  if (typeof value !== 'object' || value === null) return String(value);
  const json = toJson(value);
  if (json !== undefined && json !== '{}' && json.length <= MAX_SHOWN_TEXT) return json;
  return Array.isArray(value) ? 'an array' : 'an object';
}

function toJson(value: object): string | undefined {
  try {
    return JSON.stringify(value);
  } catch {
    return undefined;
  }
}

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
    if (want) return [{ code: 'invalid-option', name, expected: want.is, got: describeValue(value), owner }];
    return [{ code: `unknown-${kind}`, name, owner, known: Object.keys(wanted) }];
  });
}

/** Like `findInvalidOptions`, for arguments: all of them are required. */
export const findInvalidArguments = (given: object, wanted: Readonly<Record<string, OptionSpec>>, owner: string): Problem[] =>
  findInvalidOptions(Object.fromEntries(Object.entries(given).map(([name, value]) => [name, value ?? missing])), wanted, owner);

/** Throws for the first invalid option. */
export function assertValidOptions(given: object | undefined, wanted: Readonly<Record<string, OptionSpec>>, owner: string): void {
  const problems = findInvalidOptions(given, wanted, owner);
  if (problems.length) throw new ProblemError(problems);
}
