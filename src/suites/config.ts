import { booleanSpec, findInvalidOptions, integerAtLeast, isObject, isText, listOf, type OptionSpecs, recordOf } from '../problems/option-specs.ts';
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
  /** How to import files that are not modules, by extension: `{ '.css': 'empty', '.svg': 'url' }`. Default: such an import is an error. */
  loaders?: Readonly<Record<string, 'text' | 'url' | 'empty' | Loader>> | undefined;
  /** Treat warnings as failures, as `--strict` does. Default: false. */
  strict?: boolean | undefined;
  /** Named sets of command-line options, for `red-lattice run --profile night`. */
  profiles?: Readonly<Record<string, Readonly<Record<string, string | number | boolean | readonly string[]>>>> | undefined;
}

/**
 * Turns a file that is not a module into one.
 *
 * Receives the text of the file and its path, and returns the code of an ES module in JavaScript, with a source map if there is one.
 */
export type Loader = (text: string, path: string) => string | LoadedCode | Promise<string | LoadedCode>;

/** The code of an ES module. */
export interface LoadedCode {
  readonly code: string;
  /** A source map (ECMA-426), as an object or as JSON. */
  readonly map?: string | object | null | undefined;
}

/**
 * Define the configuration: the default export of `red-lattice.config.ts`.
 *
 * ```ts
 * export default defineConfig({ files: ['tests/**\/*.lattice.ts'], lanes: 4, redact: ['password'] });
 * ```
 */
export const defineConfig = (config: Config): Config => config;

/** A pattern as plain data: a name, or the parts of a regular expression. */
export type WrittenPattern = string | { readonly source: string; readonly flags: string };

/** A loader as plain data. A lane gets a function from the configuration itself. */
export type WrittenLoader = 'text' | 'url' | 'empty' | 'function';

/** A configuration as plain data: it is loaded in another process than the one that uses it. */
export interface SerializedConfig extends Omit<Config, 'redact' | 'loaders'> {
  readonly loaders?: Readonly<Record<string, WrittenLoader>> | undefined;
  readonly redact?: readonly WrittenPattern[] | undefined;
}

const isOption = (value: unknown): boolean => ['string', 'number', 'boolean'].includes(typeof value) || (Array.isArray(value) && value.every(isText));

const isLoaders = (value: unknown): boolean =>
  isObject(value) &&
  Object.entries(value).every(
    ([extension, loader]) => /^\.[^./\\]+$/.test(extension) && (['text', 'url', 'empty'].includes(loader as string) || typeof loader === 'function'),
  );

const configSpecs: OptionSpecs<Config> = {
  files: listOf('patterns', isText),
  lanes: integerAtLeast(0),
  concurrency: integerAtLeast(1),
  timeout: integerAtLeast(1),
  tags: recordOf('a description for each tag', isText),
  redact: listOf('names and regular expressions', (item) => isText(item) || item instanceof RegExp),
  loaders: { expected: "object from extensions, like '.svg', to 'text', 'url', 'empty' or functions", matches: isLoaders },
  strict: booleanSpec,
  profiles: recordOf('sets of options', (item) => recordOf('options', isOption).matches(item)),
};

/** Converts a configuration to plain data, and lists its problems. */
export function serializeConfig(given: unknown): { readonly config: SerializedConfig; readonly problems: readonly Problem[] } {
  const owner = 'the configuration';
  if (typeof given !== 'object' || given === null)
    return { config: {}, problems: [{ code: 'invalid-type', expected: 'default export created with defineConfig(…)', got: String(given), owner }] };
  const problems = findInvalidOptions(given, configSpecs, owner, 'setting');
  const { redact, loaders, ...config } = given as Config;
  const written = Array.isArray(redact)
    ? redact.map((item): WrittenPattern => (item instanceof RegExp ? { source: item.source, flags: item.flags } : item))
    : undefined;
  const writtenLoaders = isObject(loaders)
    ? Object.fromEntries(
        Object.entries(loaders).map(([extension, loader]) => [extension, typeof loader === 'function' ? ('function' as const) : (loader as WrittenLoader)]),
      )
    : undefined;
  return { config: { ...config, ...(written && { redact: written }), ...(writtenLoaders && { loaders: writtenLoaders }) }, problems };
}
