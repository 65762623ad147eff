import { chmodSync, existsSync, mkdirSync, realpathSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join, relative, sep } from 'node:path';

/** Replaces or creates a file atomically: it always has either the old or the new content. Keeps its mode and follows links. */
export function replaceFile(path: string, content: string | Uint8Array): void {
  mkdirSync(dirname(path), { recursive: true });
  const exists = existsSync(path);
  const real = exists ? realpathSync(path) : path;
  const temporaryPath = join(dirname(real), `.${basename(real)}.${process.pid}.new`);
  try {
    writeFileSync(temporaryPath, content, { flag: 'wx' });
    if (exists) chmodSync(temporaryPath, statSync(real).mode);
    renameSync(temporaryPath, real);
  } catch (error) {
    rmSync(temporaryPath, { force: true });
    throw error;
  }
}

/** Whether a file is in a folder, following links. The file need not exist. */
export function isInside(path: string, folder: string): boolean {
  try {
    let nearest = path;
    while (!existsSync(nearest) && dirname(nearest) !== nearest) nearest = dirname(nearest);
    const near = relative(realpathSync(folder), join(realpathSync(nearest), relative(nearest, path)));
    return near !== '' && near !== '..' && !near.startsWith(`..${sep}`);
  } catch {
    return false;
  }
}
