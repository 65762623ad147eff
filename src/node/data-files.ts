import { readFile } from 'node:fs/promises';
import { relative, sep } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { withOwnBase } from '../cases/ambient-host.ts';
import { type CaseSource, CaseSourceImpl } from '../cases/source.ts';
import { throwProblem } from '../problems/problem-error.ts';
import { captureStack } from '../problems/source-location.ts';

/** One file as a row. */
export interface DataFileRow {
  /** Its absolute path. */
  path: string;
  /** Its path from the folder of the pattern, with `/`. */
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
  const origin = captureStack(dataFiles, 1);
  return new CaseSourceImpl<DataFileRow>({
    description: pattern,
    columns: ['path', 'name', 'text', 'bytes'],
    async *open(expansion) {
      const { base, files } = withOwnBase(expansion, origin);
      if (!base || !files) throwProblem({ code: 'no-file-source', path: pattern });
      const folder = fileURLToPath(new URL('.', base));
      const { glob } = await import('tinyglobby');
      const found = await glob(pattern, { cwd: folder, absolute: true, expandDirectories: false });
      const names = found.sort().map((path) => relative(folder, path).split(sep).join('/'));
      const outside = shortenNames(names.filter((name) => name.startsWith('..')));
      yield found.map((path, i) => {
        const name = names[i] as string;
        const row: DataFileRow = { path, name, text: () => readFile(path, 'utf8'), bytes: () => readFile(path) };
        return { row, name: outside.get(name) ?? name, location: { file: pathToFileURL(path).href, line: 1, column: 1 } };
      });
    },
  });
}

/** Names files outside the folder by the shortest path endings that differ. */
function shortenNames(paths: readonly string[]): Map<string, string> {
  const parts = paths.map((path) => path.split('/'));
  for (let length = 1; ; length++) {
    const names = parts.map((all) => all.slice(-length).join('/'));
    if (new Set(names).size === names.length || parts.every((all) => all.length <= length)) return new Map(paths.map((path, i) => [path, names[i] as string]));
  }
}
