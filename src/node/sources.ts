import { existsSync, readFileSync, realpathSync, statSync } from 'node:fs';
import { dirname, join, resolve, sep } from 'node:path';

/** Larger files are not shown. In bytes. */
const MAX_SOURCE_SIZE = 8_000_000;

/** The folder of the repository that contains a project, or the project's own. */
function findRepository(root: string): string {
  for (let folder = root; ; folder = dirname(folder)) {
    if (existsSync(join(folder, '.git'))) return folder;
    if (folder === dirname(folder)) return root;
  }
}

/**
 * Reads sources for messages, reports and the page. Records can come from anywhere and name any file, so only regular files inside the
 * repository of `root` are read, by their real paths.
 */
export function createSourceReader(root: string): (path: string) => string | undefined {
  const texts = new Map<string, string | undefined>();
  let repository: string | undefined;
  const read = (path: string): string | undefined => {
    try {
      repository ??= realpathSync(findRepository(root));
      const real = realpathSync(resolve(root, path));
      const status = statSync(real);
      return real.startsWith(repository + sep) && status.isFile() && status.size <= MAX_SOURCE_SIZE ? readFileSync(real, 'utf8') : undefined;
    } catch {
      return undefined;
    }
  };
  return (path) => {
    if (!texts.has(path)) texts.set(path, read(path));
    return texts.get(path);
  };
}
