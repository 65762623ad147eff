import { readFileSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { FileMatcher, TsConfigResult } from 'get-tsconfig';
import { hash } from '../../cases/hash.ts';

/** The settings of a `tsconfig.json` that change what a source means. */
export interface TypeScriptSettings {
  /** The path of the file. */
  readonly file: string;
  /** The compiler options that are honoured. */
  readonly compilerOptions: Readonly<Record<string, unknown>>;
  /** Differs between settings that compile differently. */
  readonly hash: string;
  /** The paths that `paths` and `baseUrl` give for a module specifier, best first. */
  readonly mapSpecifier: (specifier: string) => readonly string[];
  /** Whether `paths` and `baseUrl` apply to JavaScript too. */
  readonly allowsJavaScript: boolean;
}

/** What the compiler is given; all else is for type checkers. */
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
  readonly #candidates = new Map<string, Promise<readonly Candidate[]>>();

  /** The settings for a source; undefined without a `tsconfig.json`. Rejects if the file is invalid. */
  find(path: string): Promise<TypeScriptSettings | undefined> | undefined {
    const file = this.#nearest(dirname(path));
    if (file === undefined) return undefined;
    let candidates = this.#candidates.get(file);
    if (!candidates) this.#candidates.set(file, (candidates = readCandidates(file)));
    return candidates.then((all) => all.find(({ includes }) => includes(path))?.settings);
  }

  #nearest(folder: string): string | undefined {
    if (this.#files.has(folder)) return this.#files.get(folder);
    const file = join(folder, 'tsconfig.json');
    const above = dirname(folder);
    const found = statSync(file, { throwIfNoEntry: false })?.isFile() ? file : above === folder ? undefined : this.#nearest(above);
    this.#files.set(folder, found);
    return found;
  }
}

/** The settings of a file; before them those of its references, if it has nothing else: each applies to the sources that it includes. */
async function readCandidates(file: string): Promise<readonly Candidate[]> {
  const { createFilesMatcher } = await import('get-tsconfig');
  const own = await parseConfig(file);
  const { references = [], files, include } = own.config;
  const isOnlyReferences = references.length > 0 && files?.length === 0 && include === undefined;
  const targets = isOnlyReferences ? references.map(({ path }) => join(dirname(file), path)) : [];
  const referred = await Promise.all(targets.map((target) => parseConfig(target.endsWith('.json') ? target : join(target, 'tsconfig.json'))));
  return Promise.all([
    ...referred.map(async (config) => ({ settings: await toSettings(config), includes: isIncluded(createFilesMatcher(config)) })),
    toSettings(own).then((settings) => ({ settings, includes: () => true })),
  ]);
}

/** A matcher gives the configuration for the sources that it includes. */
const isIncluded =
  (match: FileMatcher) =>
  (source: string): boolean =>
    match(source) !== undefined;

/** A file with what it extends. Rejects if it cannot be read, or is not JSON with comments. */
async function parseConfig(file: string): Promise<TsConfigResult> {
  const [{ parseTsconfig }, { parse, printParseErrorCode }] = await Promise.all([import('get-tsconfig'), import('jsonc-parser')]);
  try {
    const text = readFileSync(file, 'utf8');
    const faults: import('jsonc-parser').ParseError[] = [];
    parse(text, faults, { allowTrailingComma: true });
    const [first] = faults;
    if (first) throw new Error(`line ${text.slice(0, first.offset).split('\n').length}: ${printParseErrorCode(first.error)}`);
    return { path: file, config: parseTsconfig(file) };
  } catch (error) {
    throw new SyntaxError(`invalid ${file}: ${(error as Error).message}`);
  }
}

async function toSettings(result: TsConfigResult): Promise<TypeScriptSettings> {
  const { createPathsMatcher } = await import('get-tsconfig');
  const given: Readonly<Record<string, unknown>> = result.config.compilerOptions ?? {};
  const compilerOptions = Object.fromEntries(HONOURED.flatMap((name) => (given[name] === undefined ? [] : [[name, given[name]]])));
  const match = createPathsMatcher(result);
  return {
    file: result.path,
    compilerOptions,
    hash: hash(JSON.stringify(compilerOptions)),
    mapSpecifier: (specifier) => match?.(specifier) ?? [],
    allowsJavaScript: given['allowJs'] === true || given['checkJs'] === true,
  };
}
