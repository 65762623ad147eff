import { readFileSync, statSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import type { FileMatcher, TsConfigResult } from 'get-tsconfig';
import { hash } from '../../cases/hash.ts';

/** The settings of a `tsconfig.json` that affect compiled code. */
export interface TypeScriptSettings {
  /** The path of the file. */
  readonly file: string;
  /** The supported compiler options. */
  readonly compilerOptions: Readonly<Record<string, unknown>>;
  /** A hash that differs for settings that compile differently. */
  readonly hash: string;
  /** The paths that `paths` and `baseUrl` give for a module specifier, in order of preference. */
  readonly mapSpecifier: (specifier: string) => readonly string[];
  /** Whether `paths` and `baseUrl` apply to JavaScript too. */
  readonly allowsJavaScript: boolean;
}

/** The options that the compiler gets. All others are for type checkers. */
const HONOURED = [
  'emitDecoratorMetadata',
  'experimentalDecorators',
  'jsx',
  'jsxFactory',
  'jsxFragmentFactory',
  'jsxImportSource',
  'target',
  'useDefineForClassFields',
  'verbatimModuleSyntax',
] as const;

/** Settings, and the sources that they apply to. */
interface Candidate {
  readonly settings: TypeScriptSettings;
  readonly includes: (source: string) => boolean;
}

/** Reads each `tsconfig.json` once. The nearest one above a source applies to it, with what it extends. */
export class TypeScriptConfigs {
  readonly #files = new Map<string, string | undefined>();
  readonly #candidates = new Map<string, readonly Candidate[]>();

  /** The settings for a source; undefined without a `tsconfig.json`. Throws a SyntaxError if the file is invalid. */
  find(path: string): TypeScriptSettings | undefined {
    const file = this.#findNearest(dirname(path));
    if (file === undefined) return undefined;
    let candidates = this.#candidates.get(file);
    if (!candidates) this.#candidates.set(file, (candidates = readCandidates(file)));
    return candidates.find(({ includes }) => includes(path))?.settings;
  }

  #findNearest(folder: string): string | undefined {
    if (this.#files.has(folder)) return this.#files.get(folder);
    const file = join(folder, 'tsconfig.json');
    const above = dirname(folder);
    const found = statSync(file, { throwIfNoEntry: false })?.isFile() ? file : above === folder ? undefined : this.#findNearest(above);
    this.#files.set(folder, found);
    return found;
  }
}

/** The packages that read `tsconfig.json` are loaded only if there is one. */
const require = createRequire(import.meta.url);
const loadParser = () => require('get-tsconfig') as typeof import('get-tsconfig');

/** The settings of a file, preceded by those of its references if it has no files itself. Each applies to the sources that it includes. */
function readCandidates(file: string): readonly Candidate[] {
  const { createFilesMatcher } = loadParser();
  const own = parseConfig(file);
  const { references = [], files, include } = own.config;
  const isOnlyReferences = references.length > 0 && files?.length === 0 && include === undefined;
  const targets = isOnlyReferences ? references.map(({ path }) => join(dirname(file), path)) : [];
  const referred = targets.map((target) => parseConfig(target.endsWith('.json') ? target : join(target, 'tsconfig.json')));
  return [
    ...referred.map((config) => ({ settings: toSettings(config), includes: isIncluded(createFilesMatcher(config)) })),
    { settings: toSettings(own), includes: () => true },
  ];
}

/** The matcher returns the configuration for sources that it includes. */
const isIncluded =
  (match: FileMatcher) =>
  (source: string): boolean =>
    match(source) !== undefined;

/** Reads a file and those that it extends. Throws if it cannot be read, or is not JSON with comments. */
function parseConfig(file: string): TsConfigResult {
  const { parse, printParseErrorCode } = require('jsonc-parser') as typeof import('jsonc-parser');
  try {
    const text = readFileSync(file, 'utf8');
    const faults: import('jsonc-parser').ParseError[] = [];
    parse(text, faults, { allowTrailingComma: true });
    const [first] = faults;
    if (first) throw new Error(`line ${text.slice(0, first.offset).split('\n').length}: ${printParseErrorCode(first.error)}`);
    return { path: file, config: loadParser().parseTsconfig(file) };
  } catch (error) {
    throw new SyntaxError(`invalid ${file}: ${(error as Error).message}`);
  }
}

function toSettings(result: TsConfigResult): TypeScriptSettings {
  const given: Readonly<Record<string, unknown>> = result.config.compilerOptions ?? {};
  const compilerOptions = Object.fromEntries(HONOURED.flatMap((name) => (given[name] === undefined ? [] : [[name, given[name]]])));
  const match = loadParser().createPathsMatcher(result);
  return {
    file: result.path,
    compilerOptions,
    hash: hash(JSON.stringify(compilerOptions)),
    mapSpecifier: (specifier) => match?.(specifier) ?? [],
    allowsJavaScript: given['allowJs'] === true || given['checkJs'] === true,
  };
}
