import { mkdir, symlink, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { fixture } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { root } from './program.ts';

/** Makes a folder a project of ES modules in which the built package is installed. */
export async function makeProject(folder: string, files: Readonly<Record<string, string>> = {}): Promise<void> {
  await mkdir(join(folder, 'node_modules'), { recursive: true });
  await symlink(root, join(folder, 'node_modules', 'red-lattice'));
  for (const [name, text] of Object.entries({ 'package.json': '{"type":"module"}', ...files })) {
    await mkdir(dirname(join(folder, name)), { recursive: true });
    await writeFile(join(folder, name), text);
  }
}

/** The folder of a project of these files, in which the built package is installed. */
export const projectOf = (files: Readonly<Record<string, string>>) =>
  fixture('project', {
    needs: { folder: tempDirectory() },
    async setup(_, { folder }) {
      await makeProject(folder, files);
      return folder;
    },
  });

/** Whether a process still exists. */
export function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
}
