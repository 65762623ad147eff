import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { cell, dataFile, suite, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { writeConfiguration } from '../../src/command/new-configuration.ts';
import { findProjectStyle } from '../../src/command/project-style.ts';

const inFolder = testWith({ folder: tempDirectory() });

async function writeAll(folder: string, files: Readonly<Record<string, string>>): Promise<void> {
  for (const [name, text] of Object.entries(files)) {
    await mkdir(dirname(join(folder, name)), { recursive: true });
    await writeFile(join(folder, name), text);
  }
}

export const styles = suite('the style of a project', [
  inFolder(
    'is found by its files',
    {
      cases: dataFile('project-styles.yaml', { columns: { files: cell.json, style: cell.json } }),
    },
    async ({ row, check }, { folder }) => {
      await writeAll(folder, row.files as Readonly<Record<string, string>>);
      check.equal<object>(findProjectStyle(folder), { testFolder: undefined, ...(row.style as object) });
    },
  ),

  inFolder(
    'is kept when a script is added: {before} becomes {after}',
    {
      cases: dataFile('scripts.jsonl', { columns: { before: cell.text, after: cell.text } }),
    },
    async ({ row, check }, { folder }) => {
      await writeAll(folder, { 'package.json': row.before, 'red-lattice.config.mjs': '', 'tsconfig.json': '{}' });
      const done = await writeConfiguration(folder, findProjectStyle(folder), true);
      check.equal(await readFile(join(folder, 'package.json'), 'utf8'), row.after);
      check.equal(done.length, row.before === row.after ? 0 : 1);
    },
  ),
]);
