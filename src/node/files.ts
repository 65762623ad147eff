import { createReadStream } from 'node:fs';
import { mkdir, readdir, readFile, rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { FileSource, KeyValueCache } from '../cases/row.ts';
import { fetchedFiles } from '../running/fetched-files.ts';

const READ_CHUNK_BYTES = 64 * 1024;

/** File access for sources in Node. */
export const nodeFiles: FileSource = {
  read: (url) => (url.protocol === 'file:' ? createReadStream(fileURLToPath(url), { highWaterMark: READ_CHUNK_BYTES }) : fetchedFiles.read(url)),
  async list(folder) {
    try {
      return await readdir(fileURLToPath(folder));
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code === 'ENOENT' || code === 'ENOTDIR') return [];
      throw error;
    }
  },
};

/** Creates a cache of values as files in a folder. If that is not possible, values are computed again. */
export const createFileCache = (folder: string): KeyValueCache => ({
  async get(key) {
    try {
      return JSON.parse(await readFile(join(folder, `${key}.json`), 'utf8'));
    } catch {
      return undefined;
    }
  },
  async set(key, value) {
    const path = join(folder, `${key}.json`);
    try {
      await mkdir(folder, { recursive: true });
      await writeFile(`${path}.${process.pid}`, JSON.stringify(value));
      await rename(`${path}.${process.pid}`, path);
    } catch {
      // A full or read-only disk only costs the time that the cache would have saved.
    }
  },
});
