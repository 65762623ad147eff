import { readFile } from 'node:fs/promises';
import { basename, relative, sep } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { type CaseSource, CaseSourceImpl } from '../cases/source.ts';
import { refuse } from '../problems/problem-error.ts';

/** One file as a row. */
export interface DataFileRow {
  /** Its absolute path. */
  path: string;
  /** Its path from the folder that the pattern starts in, with `/`. */
  name: string;
  text(): Promise<string>;
  bytes(): Promise<Uint8Array>;
}

/**
 * Create a case source from files: one case per file that matches, named after it, sorted by name. A relative pattern starts at the
 * folder of the test file.
 *
 * ```ts
 * test('{name} is a good plan', { cases: dataFiles('plans/*.json') }, async ({ row, check }) => check.matches(await row.text(), /berth/))
 * ```
 */
export function dataFiles(pattern: string): CaseSource<DataFileRow> {
  return new CaseSourceImpl<DataFileRow>({
    description: pattern,
    columns: ['path', 'name', 'text', 'bytes'],
    async *open({ base, files }) {
      if (!base || !files) refuse({ code: 'no-file-source', path: pattern });
      const folder = fileURLToPath(new URL('.', base));
      const { glob } = await import('tinyglobby');
      const found = await glob(pattern, { cwd: folder, absolute: true, expandDirectories: false });
      yield found.sort().map((path) => {
        const name = relative(folder, path).split(sep).join('/');
        const row: DataFileRow = { path, name, text: () => readFile(path, 'utf8'), bytes: () => readFile(path) };
        return { row, name: name.startsWith('..') ? basename(path) : name, location: { file: pathToFileURL(path).href, line: 1, column: 1 } };
      });
    },
  });
}
