import { chmodSync, realpathSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join, relative, sep } from 'node:path';

/** Replaces the content of a file at once: it has the old content or the new one, whatever happens. Keeps its mode and follows links. */
export function replaceFile(path: string, content: string | Uint8Array): void {
  const real = realpathSync(path);
  const beside = join(dirname(real), `.${basename(real)}.${process.pid}.new`);
  try {
    writeFileSync(beside, content, { flag: 'wx' });
    chmodSync(beside, statSync(real).mode);
    renameSync(beside, real);
  } catch (error) {
    rmSync(beside, { force: true });
    throw error;
  }
}

/** Whether a file is in a folder, links followed. */
export function isInside(path: string, folder: string): boolean {
  try {
    const near = relative(realpathSync(folder), realpathSync(path));
    return near !== '' && near !== '..' && !near.startsWith(`..${sep}`);
  } catch {
    return false;
  }
}
