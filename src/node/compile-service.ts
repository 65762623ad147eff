import { readFileSync } from 'node:fs';
import { pathToFileURL } from 'node:url';
import { CompileCache } from './loading/cache.ts';
import { type CompileError, compile, isCompileError } from './loading/compile.ts';
import { isTypeScript } from './loading/resolve.ts';
import { TypeScriptConfigs } from './loading/tsconfig.ts';

/** Compiles sources for all lanes, each once. */
export class CompileService {
  readonly #cache: CompileCache;
  readonly #configs = new TypeScriptConfigs();
  #hasGrown = false;
  readonly #pending = new Map<string, Promise<CompileError | undefined>>();

  constructor(folder: string) {
    this.#cache = new CompileCache(folder);
  }

  /** Compiles test files while the lane that will request them starts. */
  compileAhead(paths: readonly string[]): void {
    for (const path of paths) if (isTypeScript(pathToFileURL(path).href)) void this.#ahead(path);
  }

  async #ahead(path: string): Promise<void> {
    try {
      const source = readFileSync(path, 'utf8');
      const key = this.#cache.key(path, source, this.#configs.find(path)?.hash);
      if (!this.#cache.read(key)) await this.#compile(path, source, key);
    } catch {
      // The lane that loads the file reports why it cannot be read.
    }
  }

  /** Compiles the source at a path into the cache. Resolves to its error, if any. */
  ask(path: string, key: string): Promise<CompileError | undefined> {
    return this.#pending.get(key) ?? this.#compile(path, readFileSync(path, 'utf8'), key);
  }

  /** Keeps the cache below its maximum size. It is only examined if anything was added. */
  prune(): void {
    if (this.#hasGrown) this.#cache.evictOld();
  }

  #compile(path: string, source: string, key: string): Promise<CompileError | undefined> {
    const compiled = this.#compileOnce(path, source, key);
    this.#pending.set(key, compiled);
    return compiled;
  }

  async #compileOnce(path: string, source: string, key: string): Promise<CompileError | undefined> {
    const outcome = await compile(path, source, this.#configs.find(path));
    if (isCompileError(outcome)) return outcome;
    this.#cache.write(key, outcome);
    this.#hasGrown = true;
    return undefined;
  }
}
