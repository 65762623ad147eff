import { existsSync, readdirSync } from 'node:fs';
import { dirname, extname, join } from 'node:path';

/**
 * Finds files that no test compares with any more, although they are similar to those that tests use: in the same folder, with the same
 * extension. `read` are all paths that a whole run read. Folders with test files are left out, since they contain other files, too.
 */
export function findUnreadFiles(expected: readonly string[], read: ReadonlySet<string>, testFiles: readonly string[]): string[] {
  const shared = new Set(testFiles.map((path) => dirname(path)));
  const endings = new Map<string, Set<string>>();
  for (const path of expected) endings.set(dirname(path), (endings.get(dirname(path)) ?? new Set()).add(extname(path)));
  const known = new Set([...read, ...expected]);
  return [...endings].flatMap(([folder, ends]) =>
    existsSync(folder) && !shared.has(folder)
      ? readdirSync(folder, { withFileTypes: true })
          .filter((entry) => entry.isFile() && ends.has(extname(entry.name)) && !known.has(join(folder, entry.name)))
          .map((entry) => join(folder, entry.name))
      : [],
  );
}
