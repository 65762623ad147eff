import { readFileSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { isInstanceOf } from '../../problems/instance-of.ts';
import type { WrittenLoader } from '../../suites/config.ts';
import type { CompileCache } from './cache.ts';
import { compileNow, isCompileError } from './compile.ts';
import { isInspected, withSource } from './debugging.ts';
import { type Load, type LoadedByHook, type Resolve, type ResolvedByHook, registerHooks } from './hooks.ts';
import { ImportGraph, isOfProject } from './import-graph.ts';
import { noteImport, noteSyntaxError } from './import-place.ts';
import { explainUnknownExtension, findLoader, type Loaders } from './loaders.ts';
import { type Compile, compileFailure, type ModuleLoader } from './module-loader.ts';
import { isCommonJs, isTypeScript, resolveModule } from './resolve.ts';
import { TypeScriptConfigs, type TypeScriptSettings } from './tsconfig.ts';

/** How a file becomes a module. */
type Kind = 'source' | 'json' | WrittenLoader;

/** The name that compiled code uses for CommonJS's `require`, and the function that replaces it. */
const compiledRequire = 'import.meta.require';
const ownRequire = '__requireFrom';

/**
 * Loads modules by hooks of the runtime. Loaded modules belong to the whole process, so there is one instance.
 * Hooks are synchronous: configurations with loader functions use `Modules`.
 */
export class HookedModules implements ModuleLoader {
  readonly #cache: CompileCache;
  readonly #compile: Compile;
  readonly #configs = new TypeScriptConfigs();
  /** URLs that are imported from here. */
  readonly #roots = new Set<string>();
  readonly #kinds = new Map<string, Kind>();
  /** The first import of each file. */
  readonly #importers = new Map<string, { readonly parent: string; readonly specifier: string }>();
  /** The settings that apply to the imports of a source, by URL. */
  readonly #settings = new Map<string, TypeScriptSettings>();
  readonly #isInspected = isInspected();
  loaders: Loaders;
  readonly graph = new ImportGraph();
  readonly maps = new Map<string, string>();

  constructor(cache: CompileCache, loaders: Loaders, compile: Compile) {
    this.#cache = cache;
    this.#compile = compile;
    this.loaders = loaders;
    registerHooks?.({ resolve: (...given) => this.#resolve(...given), load: (...given) => this.#load(...given) });
  }

  async import(url: string): Promise<Record<string, unknown>> {
    this.#roots.add(url);
    if (isTypeScript(url)) await this.#compileAhead(url);
    try {
      return (await import(url)) as Record<string, unknown>;
    } catch (error) {
      if (isInstanceOf(error, SyntaxError)) await this.#findSyntaxError(error, url);
      throw error;
    }
  }

  /** Compiles before the hook has to, which is faster. */
  async #compileAhead(url: string): Promise<void> {
    const path = fileURLToPath(url);
    const source = await readFile(path, 'utf8');
    const key = this.#cache.key(path, source, this.#configs.find(path)?.hash);
    if (!this.#cache.read(key)) await this.#compile(path, source, key);
  }

  #resolve(...[specifier, context, next]: Parameters<Resolve>): ResolvedByHook {
    const { parentURL: parent, conditions = [], importAttributes = {} } = context;
    const importer = parent !== undefined && this.#kinds.has(parent) ? parent : undefined;
    if (conditions.includes('require') || (importer === undefined && !this.#roots.has(specifier))) {
      const found = next(specifier, context);
      if (parent !== undefined && isOfProject(parent) && isOfProject(found.url)) this.graph.track(parent, found.url);
      return found;
    }
    try {
      let found: ResolvedByHook | undefined;
      const byRuntime = (name: string): string => (found = next(name, context)).url;
      const { url, from } =
        importer === undefined ? ({ url: specifier, from: 'source' } as const) : resolveModule(specifier, importer, this.#settings.get(importer), byRuntime);
      if (importer !== undefined && isOfProject(url)) this.graph.track(importer, url);
      if (importer !== undefined && !this.#importers.has(url)) this.#importers.set(url, { parent: importer, specifier });
      const isJson = new URL(url).pathname.endsWith('.json');
      const loader = findLoader(this.loaders, url);
      const kind = loader ?? (isJson ? 'json' : from === 'source' && !isCommonJs(url) ? 'source' : undefined);
      // The runtime loads JSON that is imported with its attribute.
      if (kind === undefined || (!loader && importAttributes['type'] === 'json')) return found ?? next(url, context);
      this.#kinds.set(url, kind);
      return { url, format: 'module', importAttributes, shortCircuit: true };
    } catch (error) {
      if (importer !== undefined) noteImport(error, importer, specifier);
      throw error;
    }
  }

  #load(...[url, context, next]: Parameters<Load>): LoadedByHook {
    const kind = this.#kinds.get(url);
    try {
      // The runtime loads imports with attributes.
      return kind === undefined || context.importAttributes?.['type'] !== undefined
        ? next(url, context)
        : { format: 'module', source: kind === 'source' ? this.#code(url) : writeModule(kind, url), shortCircuit: true };
    } catch (error) {
      const explained = explainUnknownExtension(error, url);
      const { parent, specifier } = this.#importers.get(url) ?? {};
      if (parent !== undefined && specifier !== undefined) noteImport(explained, parent, specifier);
      throw explained;
    }
  }

  #code(url: string): string {
    const path = fileURLToPath(url);
    const settings = this.#configs.find(path);
    if (settings) this.graph.track(url, pathToFileURL(settings.file).href);
    if (settings && (isTypeScript(url) || settings.allowsJavaScript)) this.#settings.set(url, settings);
    const source = readFileSync(path, 'utf8');
    return isTypeScript(url) ? this.#compiled(url, path, source, settings) : source;
  }

  #compiled(url: string, path: string, source: string, settings: TypeScriptSettings | undefined): string {
    const key = this.#cache.key(path, source, settings?.hash);
    let compiled = this.#cache.read(key);
    if (!compiled) {
      const outcome = compileNow(path, source, settings);
      if (isCompileError(outcome)) throw compileFailure(path, outcome);
      this.#cache.write(key, outcome);
      compiled = this.#cache.read(key);
    }
    if (!compiled) throw new Error(`${path} was compiled, but its output cannot be read`);
    this.maps.set(url, compiled.map);
    const code = this.#isInspected ? withSource(compiled.code, readFileSync(compiled.map, 'utf8'), url, source) : compiled.code;
    if (!code.includes(compiledRequire)) return code;
    return `${code.replaceAll(compiledRequire, `${ownRequire}(import.meta.url)`)}\nimport { createRequire as ${ownRequire} } from 'node:module';\n`;
  }

  /** Finds the JavaScript source with the syntax error, since the runtime does not report it. */
  async #findSyntaxError(error: unknown, root: string): Promise<void> {
    for (const url of this.graph.reachedFrom(root))
      if (this.#kinds.get(url) === 'source' && !isTypeScript(url)) await noteSyntaxError(error, url, await readFile(fileURLToPath(url), 'utf8'));
  }
}

/** Writes a module that exports the content of a file, or its URL. */
function writeModule(kind: Exclude<Kind, 'source'>, url: string): string {
  if (kind === 'url') return `export default ${JSON.stringify(url)};`;
  if (kind === 'empty') return 'export default {};';
  const text = readFileSync(fileURLToPath(url), 'utf8');
  if (kind === 'text') return `export default ${JSON.stringify(text)};`;
  // Parse it here, so that an error names the file.
  if (kind === 'json') return `export default JSON.parse(${JSON.stringify(JSON.stringify(JSON.parse(text)))});`;
  throw new TypeError(`the loader for ${url} is a function, which hooks cannot wait for`);
}
