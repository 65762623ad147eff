import type { Problem } from './problem.ts';
import { ProblemError } from './problem-error.ts';

/** What a value is to be. Where there are types, these tell of most that is not so; without, it would do something else silently. */
export interface Wanted {
  /** In words: "list of texts". */
  readonly is: string;
  readonly fits: (value: unknown) => boolean;
}

/** What may be said, by its name; what is undefined is as if it were not said. */
export type WantedOf<Options> = { readonly [K in keyof Required<Options>]: Wanted };

export const isText = (value: unknown): boolean => typeof value === 'string';
export const isObject = (value: unknown): value is object => typeof value === 'object' && value !== null && !Array.isArray(value);

export const text: Wanted = { is: 'string', fits: isText };
export const callable: Wanted = { is: 'function', fits: (value) => typeof value === 'function' };
export const no: Wanted = { is: 'false', fits: (value) => value === false };
export const truth: Wanted = { is: 'boolean', fits: (value) => typeof value === 'boolean' };
export const milliseconds: Wanted = { is: 'number of milliseconds above 0', fits: (value) => typeof value === 'number' && value > 0 };

export const count = (least: number): Wanted => ({
  is: `integer of at least ${least}`,
  fits: (value) => Number.isSafeInteger(value) && (value as number) >= least,
});

export const listOf = (is: string, fits: (item: unknown) => boolean = () => true): Wanted => ({
  is: `array of ${is}`,
  fits: (value) => Array.isArray(value) && value.every(fits),
});

export const recordOf = (is: string, fits: (item: unknown) => boolean = () => true): Wanted => ({
  is: `object with ${is}`,
  fits: (value) => isObject(value) && Object.values(value).every(fits),
});

/** The same, or what else it may be. */
export const either = (is: string, ...all: readonly Wanted[]): Wanted => ({ is, fits: (value) => all.some(({ fits }) => fits(value)) });

/** What is said that nothing reads, and what is not as it is wanted. `kind` is what the names are called. */
export function strange(given: object | undefined, wanted: Readonly<Record<string, Wanted>>, owner: string, kind: 'option' | 'setting' = 'option'): Problem[] {
  if (given !== undefined && !isObject(given)) return [{ code: 'invalid-type', expected: `object with ${kind}s`, got: String(given), owner }];
  return Object.entries(given ?? {}).flatMap(([name, value]): Problem[] => {
    const want = Object.hasOwn(wanted, name) ? wanted[name] : undefined;
    if (value === undefined || want?.fits(value)) return [];
    return [
      want ? { code: 'invalid-type', expected: want.is, got: `\`${name}\``, owner } : { code: `unknown-${kind}`, name, owner, known: Object.keys(wanted) },
    ];
  });
}

/** The same of what must be said, too. */
export const strangeArguments = (given: object, wanted: Readonly<Record<string, Wanted>>, owner: string): Problem[] =>
  strange(Object.fromEntries(Object.entries(given).map(([name, value]) => [name, value ?? null])), wanted, owner);

/** Refuses it at once. */
export function refuseStrange(given: object | undefined, wanted: Readonly<Record<string, Wanted>>, owner: string): void {
  const problems = strange(given, wanted, owner);
  if (problems.length) throw new ProblemError(problems);
}
