import { booleanSpec, findInvalidOptions, integerAtLeast, isText, listOf, type OptionSpecs, recordOf } from '../problems/option-specs.ts';
import type { Problem } from '../problems/problem.ts';

/** The configuration. Command-line options win over it. */
export interface Config {
  /** Glob patterns of the test files. Default: `**\/*.lattice.{ts,mts,js,mjs}`. */
  files?: readonly string[] | undefined;
  /** The number of lanes (worker processes). Default: one per processor. 0 counts as 1 here; for a single process use `--lanes 0`. */
  lanes?: number | undefined;
  /** How many cases of a test can run at a time in each lane, if the test does not set it. Default: 1. */
  concurrency?: number | undefined;
  /** The time limit of a case body in milliseconds, if the test does not set it. Default: 10,000. */
  timeout?: number | undefined;
  /** The known tags, with a description each. If set, any other tag is an error. */
  tags?: Readonly<Record<string, string>> | undefined;
  /** Names of columns and settings, at any depth, whose values are hidden in records, output and pages. A column used to override such a setting is hidden too. */
  redact?: readonly (string | RegExp)[] | undefined;
  /** Treat warnings as failures, as `--strict` does. Default: false. */
  strict?: boolean | undefined;
  /** Named sets of command-line options, for `red-lattice run --profile night`. */
  profiles?: Readonly<Record<string, Readonly<Record<string, string | number | boolean | readonly string[]>>>> | undefined;
}

/**
 * Define the configuration: the default export of `red-lattice.config.ts`.
 *
 * ```ts
 * export default defineConfig({ files: ['tests/**\/*.lattice.ts'], lanes: 4, redact: ['password'] });
 * ```
 */
export const defineConfig = (config: Config): Config => config;

/** A pattern as plain data: a name, or a regular expression's parts. */
export type WrittenPattern = string | { readonly source: string; readonly flags: string };

/** A configuration as plain data: it is read in another process than the one that goes by it. */
export interface SerializedConfig extends Omit<Config, 'redact'> {
  readonly redact?: readonly WrittenPattern[] | undefined;
}

const isOption = (value: unknown): boolean => ['string', 'number', 'boolean'].includes(typeof value) || (Array.isArray(value) && value.every(isText));

const configSpecs: OptionSpecs<Config> = {
  files: listOf('patterns', isText),
  lanes: integerAtLeast(0),
  concurrency: integerAtLeast(1),
  timeout: integerAtLeast(1),
  tags: recordOf('a description for each tag', isText),
  redact: listOf('names and regular expressions', (item) => isText(item) || item instanceof RegExp),
  strict: booleanSpec,
  profiles: recordOf('sets of options', (item) => recordOf('options', isOption).matches(item)),
};

/** A configuration as plain data, with all that is wrong with it. */
export function serializeConfig(given: unknown): { readonly config: SerializedConfig; readonly problems: readonly Problem[] } {
  const owner = 'the configuration';
  if (typeof given !== 'object' || given === null)
    return { config: {}, problems: [{ code: 'invalid-type', expected: 'default export created with defineConfig(…)', got: String(given), owner }] };
  const problems = findInvalidOptions(given, configSpecs, owner, 'setting');
  const { redact, ...config } = given as Config;
  const written = Array.isArray(redact)
    ? redact.map((item): WrittenPattern => (item instanceof RegExp ? { source: item.source, flags: item.flags } : item))
    : undefined;
  return { config: written ? { ...config, redact: written } : config, problems };
}
