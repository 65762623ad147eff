import { mkdir, symlink, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fixture } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { root } from './program.ts';

/** The folder of a project of these files, in which the built package is installed. */
export const projectOf = (files: Readonly<Record<string, string>>) =>
  fixture('project', {
    needs: { folder: tempDirectory() },
    async setup(_, { folder }) {
      await mkdir(join(folder, 'node_modules'));
      await symlink(root, join(folder, 'node_modules', 'red-lattice'));
      for (const [name, text] of Object.entries({ 'package.json': '{"type":"module"}', ...files })) await writeFile(join(folder, name), text);
      return folder;
    },
  });

/** Whether a process is still there. */
export function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
}
