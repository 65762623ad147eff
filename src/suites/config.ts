import type { Problem } from '../problems/problem.ts';
import { count, isText, listOf, recordOf, strange, type WantedOf } from '../problems/wanted.ts';

/** What `red-lattice.config.ts` may say; the command line wins over it. */
export interface Config {
  /** Patterns of the test files; `**\/*.lattice.{ts,mts,js,mjs}` unless said. */
  files?: readonly string[] | undefined;
  /** How many processes run cases; as many as there are processors unless said. 0 counts as 1 here: one process for all is `--lanes 0`. */
  lanes?: number | undefined;
  /** How many cases may be under way at once within a lane, where nothing else is said; 1 unless said here. */
  concurrency?: number | undefined;
  /** Milliseconds for each case's body, where nothing else is said; 10,000 unless said here. */
  timeout?: number | undefined;
  /** The tags in use, each with its meaning; any other tag is an error. */
  tags?: Readonly<Record<string, string>> | undefined;
  /** Columns and settings, at any depth, whose values stand in no record, output or page; so do those of columns that rows bind such settings to. */
  redact?: readonly (string | RegExp)[] | undefined;
  /** Named sets of command-line options: `red-lattice run --profile night`. */
  profiles?: Readonly<Record<string, Readonly<Record<string, string | number | boolean | readonly string[]>>>> | undefined;
}

/** The default export of `red-lattice.config.ts`. */
export const defineConfig = (config: Config): Config => config;

/** A pattern as plain data: a name, or a regular expression's parts. */
export type WrittenPattern = string | { readonly source: string; readonly flags: string };

/** A configuration as plain data: it is read in another process than the one that goes by it. */
export interface WrittenConfig extends Omit<Config, 'redact'> {
  readonly redact?: readonly WrittenPattern[] | undefined;
}

const isOption = (value: unknown): boolean => ['string', 'number', 'boolean'].includes(typeof value) || (Array.isArray(value) && value.every(isText));

const wanted: WantedOf<Config> = {
  files: listOf('patterns', isText),
  lanes: count(0),
  concurrency: count(1),
  timeout: count(1),
  tags: recordOf('a description for each tag', isText),
  redact: listOf('names and regular expressions', (item) => isText(item) || item instanceof RegExp),
  profiles: recordOf('sets of options', (item) => recordOf('options', isOption).fits(item)),
};

/** A configuration as plain data, with all that is wrong with it. */
export function writeConfig(given: unknown): { readonly config: WrittenConfig; readonly problems: readonly Problem[] } {
  const owner = 'the configuration';
  if (typeof given !== 'object' || given === null)
    return { config: {}, problems: [{ code: 'invalid-type', expected: 'default export created with defineConfig(…)', got: String(given), owner }] };
  const problems = strange(given, wanted, owner, 'setting');
  const { redact, ...config } = given as Config;
  const written = Array.isArray(redact)
    ? redact.map((item): WrittenPattern => (item instanceof RegExp ? { source: item.source, flags: item.flags } : item))
    : undefined;
  return { config: written ? { ...config, redact: written } : config, problems };
}
