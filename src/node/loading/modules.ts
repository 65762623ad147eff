import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { dirname, extname } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import vm from 'node:vm';
import type { Config, WrittenLoader } from '../../suites/config.ts';
import type { CompileCache, Compiled } from './cache.ts';
import { isInspected, withSource } from './debugging.ts';
import { ImportGraph, isOfProject } from './import-graph.ts';
import { noteImport, noteSyntaxError } from './import-place.ts';
import { explainUnknownExtension, findLoader, hasFunctions, type Loaders } from './loaders.ts';
import type { Compile, ModuleLoader } from './module-loader.ts';
import { isCommonJs, isTypeScript, type Resolved, resolveModule } from './resolve.ts';
import { TypeScriptConfigs, type TypeScriptSettings } from './tsconfig.ts';

// The types of Node 20 lack some of its properties.
type AnyModule = vm.Module;
type Attributes = Readonly<Record<string, string>>;

/** Whether this process has the flags to create modules from source. */
export const canMakeModules = (): boolean => 'SourceTextModule' in vm;

/**
 * Creates modules from source, with the runtime's interface for virtual machines.
 *
 * A loader hook of Node would start a thread, which takes longer than everything else. Modules created here run in the same realm, with
 * top-level await, cycles and import.meta. Packages are loaded by Node.
 */
export class Modules implements ModuleLoader {
  readonly #cache: CompileCache;
  readonly #compile: Compile;
  readonly #loaders: Loaders;
  /** The loaders of the configuration, after it has been evaluated. */
  #functions: Promise<Config['loaders']> | undefined;
  readonly #modules = new Map<string, Promise<AnyModule>>();
  readonly #configs = new TypeScriptConfigs();
  /** The settings that apply to the imports of each source, by URL. */
  readonly #settings = new Map<string, TypeScriptSettings>();
  readonly graph = new ImportGraph();
  readonly maps = new Map<string, string>();
  #linking: Promise<unknown> = Promise.resolve();
  readonly #isInspected = isInspected();

  constructor(cache: CompileCache, loaders: Loaders, compile: Compile) {
    this.#cache = cache;
    this.#loaders = loaders;
    this.#compile = compile;
  }

  async import(url: string): Promise<Record<string, unknown>> {
    // Before any linking: a module that is loaded during linking would wait for itself.
    if (hasFunctions(this.#loaders)) await (this.#functions ??= this.#importFunctions());
    return (await this.#linkAndEvaluate({ url, from: 'source' }, {})).namespace as Record<string, unknown>;
  }

  async #importFunctions(): Promise<Config['loaders']> {
    const { namespace } = await this.#linkAndEvaluate({ url: this.#loaders.configuration, from: 'source' }, {});
    return (namespace as { default?: Config }).default?.loaders;
  }

  #resolveAndTrack(specifier: string, from: string): Resolved {
    const resolved = resolveModule(specifier, from, this.#settings.get(from));
    if (isOfProject(resolved.url)) this.graph.track(from, resolved.url);
    return resolved;
  }

  async #linkAndEvaluate(resolved: Resolved, attributes: Attributes): Promise<AnyModule> {
    const module = await this.#module(resolved, attributes);
    // One at a time: two roots that link a shared module at the same time would find it half linked.
    const linked = this.#linking.then(async () => {
      if (module.status === 'unlinked')
        await module.link(async (specifier, referrer, extra) => {
          try {
            return await this.#module(this.#resolveAndTrack(specifier, referrer.identifier), findAttributes(extra));
          } catch (error) {
            noteImport(error, referrer.identifier, specifier);
            throw error;
          }
        });
    });
    this.#linking = linked.catch(() => undefined);
    await linked;
    await module.evaluate();
    return module;
  }

  #module(resolved: Resolved, attributes: Attributes): Promise<AnyModule> {
    const key = `${resolved.url} ${attributes['type'] ?? ''}`;
    let module = this.#modules.get(key);
    if (!module) {
      const loader = findLoader(this.#loaders, resolved.url);
      module = loader
        ? this.#load(resolved.url, loader)
        : attributes['type'] === 'json' || new URL(resolved.url).pathname.endsWith('.json')
          ? this.#json(resolved.url)
          : resolved.from === 'node' || isCommonJs(resolved.url)
            ? this.#native(resolved.url)
            : this.#source(resolved.url);
      this.#modules.set(key, module);
    }
    return module;
  }

  async #source(url: string): Promise<AnyModule> {
    const path = fileURLToPath(url);
    const settings = this.#configs.find(path);
    if (settings) this.graph.track(url, pathToFileURL(settings.file).href);
    if (settings && (isTypeScript(url) || settings.allowsJavaScript)) this.#settings.set(url, settings);
    const code = isTypeScript(url) ? await this.#compiled(url, path, settings?.hash) : await readFile(path, 'utf8');
    try {
      return this.#sourceModule(url, path, code, settings);
    } catch (error) {
      await noteSyntaxError(error, url, code);
      throw error;
    }
  }

  #sourceModule(url: string, path: string, code: string, settings: TypeScriptSettings | undefined): AnyModule {
    return new vm.SourceTextModule(code, {
      identifier: url,
      initializeImportMeta(meta) {
        Object.assign(meta, { url, filename: path, dirname: dirname(path), resolve: (specifier: string) => resolveModule(specifier, url, settings).url });
        Object.defineProperty(meta, 'require', { get: () => createRequire(url) });
      },
      importModuleDynamically: (async (specifier: string, _referrer: unknown, attributes: Attributes) =>
        this.#linkAndEvaluate(this.#resolveAndTrack(specifier, url), attributes)) as never,
    });
  }

  async #compiled(url: string, path: string, settings: string | undefined): Promise<string> {
    const source = await readFile(path, 'utf8');
    const key = this.#cache.key(path, source, settings);
    let compiled = this.#cache.read(key);
    if (!compiled) {
      await this.#compile(path, source, key);
      compiled = this.#cache.read(key);
    }
    if (!compiled) throw new Error(`${path} was compiled, but its output cannot be read`);
    this.maps.set(url, compiled.map);
    return this.#isInspected ? withSource(compiled.code, await readFile(compiled.map, 'utf8'), url, source) : compiled.code;
  }

  async #native(url: string): Promise<AnyModule> {
    try {
      const namespace = (await import(url)) as Record<string, unknown>;
      if (isOfProject(url)) this.#trackRequired(fileURLToPath(url));
      return createSyntheticModule(url, namespace);
    } catch (error) {
      throw explainUnknownExtension(error, url);
    }
  }

  /** Records the modules that a CommonJS module requires, directly or not. The runtime has loaded them. */
  #trackRequired(path: string): void {
    const from = pathToFileURL(path).href;
    for (const { filename } of requireCache[path]?.children ?? []) {
      const url = pathToFileURL(filename).href;
      if (!isOfProject(url) || this.graph.has(from, url)) continue;
      this.graph.track(from, url);
      this.#trackRequired(filename);
    }
  }

  /** Loads a file that is not a module with a loader of the configuration. */
  async #load(url: string, loader: WrittenLoader): Promise<AnyModule> {
    if (loader === 'url') return createSyntheticModule(url, { default: url });
    if (loader === 'empty') return createSyntheticModule(url, { default: {} });
    const path = fileURLToPath(url);
    const text = await readFile(path, 'utf8');
    if (loader === 'text') return createSyntheticModule(url, { default: text });
    const load = (await this.#functions)?.[extname(path)];
    if (typeof load !== 'function') throw new TypeError(`the configuration imports a ${extname(path)} file, which needs a function of the same configuration`);
    const made = await load(text, path);
    const { code, map } = typeof made === 'string' ? { code: made } : made;
    if (typeof code !== 'string') throw new TypeError(`the loader for ${extname(path)} files returned no code for ${path}`);
    if (map) {
      const key = this.#cache.key(path, code, 'loader');
      this.#cache.write(key, { code, map: typeof map === 'string' ? map : JSON.stringify(map) });
      this.maps.set(url, (this.#cache.read(key) as Compiled).map);
    }
    return this.#sourceModule(url, path, code, undefined);
  }

  async #json(url: string): Promise<AnyModule> {
    return createSyntheticModule(url, { default: JSON.parse(await readFile(fileURLToPath(url), 'utf8')) as unknown });
  }
}

const requireCache = createRequire(import.meta.url).cache;

const findAttributes = (extra: unknown): Attributes => {
  const { attributes, assert } = extra as { attributes?: Attributes; assert?: Attributes };
  return attributes ?? assert ?? {};
};

/** Creates a module that exports an existing namespace. */
function createSyntheticModule(url: string, namespace: Record<string, unknown>): AnyModule {
  const names = Object.keys(namespace);
  return new vm.SyntheticModule(
    names,
    function (this: vm.SyntheticModule) {
      for (const name of names) this.setExport(name, namespace[name]);
    },
    { identifier: url },
  );
}
