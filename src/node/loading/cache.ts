import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { hash } from '../../cases/hash.ts';

/** Compiled code and its source map. */
export interface Compiled {
  readonly code: string;
  readonly map: string;
}

/** Raise this when compiled code changes. */
const CACHE_VERSION = 3;

/** The maximum number of files. Each edit of a source leaves two behind. */
const MAX_FILES = 4000;

/** Compiled sources by content: no process compiles an unchanged file again. */
export class CompileCache {
  readonly #folder: string;

  constructor(folder: string) {
    this.#folder = folder;
  }

  /** The cache key of a source. `settings` is the hash of its compiler settings. */
  key(path: string, source: string, settings = ''): string {
    return `${hash(`${CACHE_VERSION} ${settings} ${path}`)}${hash(source)}${source.length.toString(36)}`;
  }

  read(key: string): Compiled | undefined {
    try {
      return { code: readFileSync(join(this.#folder, `${key}.mjs`), 'utf8'), map: join(this.#folder, `${key}.map`) };
    } catch {
      return undefined;
    }
  }

  /** Stores a result, and the map before the code: if the code is found, so is its map. */
  write(key: string, { code, map }: Compiled): void {
    mkdirSync(this.#folder, { recursive: true });
    for (const [ending, text] of [
      ['.map', map],
      ['.mjs', code],
    ] as const) {
      const path = join(this.#folder, key + ending);
      const unfinished = `${path}.${process.pid}`;
      writeFileSync(unfinished, text);
      renameSync(unfinished, path);
    }
  }

  /** Removes the least recently used files if there are too many. A removed source is compiled again when it is needed. */
  evictOld(maxFiles = MAX_FILES): void {
    const files = existsSync(this.#folder) ? readdirSync(this.#folder).filter((name) => /\.(?:mjs|map)$/.test(name)) : [];
    if (files.length <= maxFiles) return;
    const aged = files.map((name) => {
      const stats = statSync(join(this.#folder, name), { throwIfNoEntry: false });
      return { name, used: Math.max(stats?.atimeMs ?? 0, stats?.mtimeMs ?? 0) };
    });
    aged.sort((a, b) => a.used - b.used);
    for (const { name } of aged.slice(0, files.length - Math.floor(maxFiles / 2))) rmSync(join(this.#folder, name), { force: true });
  }
}
