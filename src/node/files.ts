import { createReadStream } from 'node:fs';
import { readdir } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import type { FileReader } from '../cases/row.ts';

const piece = 64 * 1024;

/** Files as the core reads them. */
export const nodeFiles: FileReader = {
  read: (url) => createReadStream(fileURLToPath(url), { highWaterMark: piece }),
  async names(folder) {
    try {
      return await readdir(fileURLToPath(folder));
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code === 'ENOENT' || code === 'ENOTDIR') return [];
      throw error;
    }
  },
};
