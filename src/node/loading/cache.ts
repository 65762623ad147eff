import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { hash } from '../../cases/hash.ts';

/** What a source was compiled to, and the map back. */
export interface Compiled {
  readonly code: string;
  readonly map: string;
}

/** Rises when what is compiled to changes. */
const generation = 2;

/** Compiled sources by their content: unchanged files are not compiled again, by any process. */
export class CompileCache {
  readonly #folder: string;

  constructor(folder: string) {
    this.#folder = folder;
  }

  key(path: string, source: string): string {
    return `${hash(`${generation} ${path}`)}${hash(source)}${source.length.toString(36)}`;
  }

  read(key: string): Compiled | undefined {
    try {
      return { code: readFileSync(join(this.#folder, `${key}.mjs`), 'utf8'), map: join(this.#folder, `${key}.map`) };
    } catch {
      return undefined;
    }
  }

  /** Keeps a result; the map first, so that whoever finds the code finds its map. */
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
}
