import { existsSync, readdirSync } from 'node:fs';
import { dirname, extname, join } from 'node:path';

/**
 * Files that no test compares with any more, though they look like those that tests do: in the same folder, with the same ending. `read` are
 * all paths that a whole run read. Folders with test files are left out: they hold other things, too.
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
