import { readFileSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { TsConfigResult } from 'get-tsconfig';
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

/** Reads each `tsconfig.json` once. The nearest one above a source applies to it, with what it extends. */
export class TypeScriptConfigs {
  readonly #files = new Map<string, string | undefined>();
  readonly #read = new Map<string, Promise<TypeScriptSettings | undefined>>();

  /** The settings for a source; undefined without a `tsconfig.json`. Rejects if the file is invalid. */
  find(path: string): Promise<TypeScriptSettings | undefined> | undefined {
    const file = this.#nearest(dirname(path));
    if (file === undefined) return undefined;
    // A file without options of its own refers to others, by the sources that each includes.
    let read = this.#read.get(file);
    if (!read) this.#read.set(file, (read = readSettings(file, undefined)));
    return read.then((settings) => (settings === undefined ? readSettings(file, path) : settings));
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

/** The settings of a file. Undefined for one that only refers to others; with `source`, those of the one that includes it. */
async function readSettings(file: string, source: string | undefined): Promise<TypeScriptSettings | undefined> {
  const { createFilesMatcher } = await import('get-tsconfig');
  const own = await parseConfig(file);
  const { references = [], files, include } = own.config;
  const isOnlyReferences = references.length > 0 && files?.length === 0 && include === undefined;
  if (!isOnlyReferences) return toSettings(own);
  if (source === undefined) return undefined;
  for (const { path } of references) {
    const target = join(dirname(file), path);
    const referred = await parseConfig(target.endsWith('.json') ? target : join(target, 'tsconfig.json'));
    if (createFilesMatcher(referred)(source)) return toSettings(referred);
  }
  return toSettings(own);
}

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
