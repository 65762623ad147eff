export interface Config {
  /** Patterns of the test files; `*.lattice.{ts,mts,js,mjs}` unless said. */
  files?: readonly string[] | undefined;
  lanes?: number | undefined;
  concurrency?: number | undefined;
  timeout?: number | undefined;
  /** The tags in use, each with its meaning; any other tag is an error. */
  tags?: Readonly<Record<string, string>> | undefined;
  /** Columns and settings whose values stand in no record, output or page. */
  redact?: readonly (string | RegExp)[] | undefined;
  /** Named sets of command-line options: `red-lattice run --profile night`. */
  profiles?: Readonly<Record<string, Readonly<Record<string, string | number | boolean | readonly string[]>>>> | undefined;
}

/** The default export of `red-lattice.config.ts`. */
export const configure = (config: Config): Config => config;
