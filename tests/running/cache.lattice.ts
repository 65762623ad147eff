import { readdir, utimes, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { test } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { CompileCache } from '../../src/node/loading/cache.ts';

export const tidied = test(
  'the cache of compiled sources keeps the most recently used ones',
  { needs: { folder: tempDirectory() } },
  async ({ check }, { folder }) => {
    const cache = new CompileCache(folder);
    for (let age = 0; age < 6; age++) {
      cache.write(`key-${age}`, { code: `// ${age}`, map: '{}' });
      for (const ending of ['mjs', 'map']) await utimes(join(folder, `key-${age}.${ending}`), 1000 - age, 1000 - age);
    }
    await writeFile(join(folder, 'rows-1.json'), '{}');
    cache.evictOld(12);
    check.equal((await readdir(folder)).length, 13, 'files, as long as there are not too many');
    cache.evictOld(9);
    check.equal((await readdir(folder)).sort(), ['key-0.map', 'key-0.mjs', 'key-1.map', 'key-1.mjs', 'rows-1.json']);
    check.equal(cache.read('key-1')?.code, '// 1');
    check.equal(cache.read('key-5'), undefined);
  },
);
