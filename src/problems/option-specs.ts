import { MAX_SHOWN_TEXT, shorten } from './format-problem.ts';
import type { Problem } from './problem.ts';
import { ProblemError } from './problem-error.ts';

/** The expected type of a value. Compilers report most invalid values; untyped code would run with them silently. */
export interface OptionSpec {
  /** A description: "list of texts". */
  readonly expected: string;
  readonly matches: (value: unknown) => boolean;
}

/** The options that can be set, by name. An undefined option counts as absent. */
export type OptionSpecs<Options> = { readonly [K in keyof Required<Options>]: OptionSpec };

export const isText = (value: unknown): boolean => typeof value === 'string';
export const isObject = (value: unknown): value is object => typeof value === 'object' && value !== null && !Array.isArray(value);

export const text: OptionSpec = { expected: 'string', matches: isText };
export const functionSpec: OptionSpec = { expected: 'function', matches: (value) => typeof value === 'function' };
export const literalFalse: OptionSpec = { expected: 'false', matches: (value) => value === false };
export const booleanSpec: OptionSpec = { expected: 'boolean', matches: (value) => typeof value === 'boolean' };
export const milliseconds: OptionSpec = { expected: 'number of milliseconds above 0', matches: (value) => typeof value === 'number' && value > 0 };

export const integerAtLeast = (least: number): OptionSpec => ({
  expected: `integer of at least ${least}`,
  matches: (value) => Number.isSafeInteger(value) && (value as number) >= least,
});

export const listOf = (expected: string, matches: (item: unknown) => boolean = () => true): OptionSpec => ({
  expected: `array of ${expected}`,
  matches: (value) => Array.isArray(value) && value.every(matches),
});

export const recordOf = (expected: string, matches: (item: unknown) => boolean = () => true): OptionSpec => ({
  expected: `object with ${expected}`,
  matches: (value) => isObject(value) && Object.values(value).every(matches),
});

/** Accepts what any of the specs accepts. */
export const oneOfSpecs = (expected: string, ...all: readonly OptionSpec[]): OptionSpec => ({
  expected,
  matches: (value) => all.some(({ matches }) => matches(value)),
});

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
  specs: Readonly<Record<string, OptionSpec>>,
  owner: string,
  kind: 'option' | 'setting' = 'option',
): Problem[] {
  if (given !== undefined && !isObject(given)) return [{ code: 'invalid-type', expected: `object with ${kind}s`, got: String(given), owner }];
  return Object.entries(given ?? {}).flatMap(([name, value]): Problem[] => {
    const spec = Object.hasOwn(specs, name) ? specs[name] : undefined;
    if (value === undefined || spec?.matches(value)) return [];
    if (spec) return [{ code: 'invalid-option', name, expected: spec.expected, got: describeValue(value), owner }];
    return [{ code: `unknown-${kind}`, name, owner, known: Object.keys(specs) }];
  });
}

/** Like `findInvalidOptions`, for arguments: all of them are required. */
export const findInvalidArguments = (given: object, specs: Readonly<Record<string, OptionSpec>>, owner: string): Problem[] =>
  findInvalidOptions(Object.fromEntries(Object.entries(given).map(([name, value]) => [name, value ?? missing])), specs, owner);

/** Throws for the first invalid option. */
export function assertValidOptions(given: object | undefined, specs: Readonly<Record<string, OptionSpec>>, owner: string): void {
  const problems = findInvalidOptions(given, specs, owner);
  if (problems.length) throw new ProblemError(problems);
}
