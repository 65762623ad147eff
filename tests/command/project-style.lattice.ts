import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { cell, dataFile, namedRows, suite, testWith } from 'red-lattice';
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

const nodeNext = '{ "compilerOptions": { "module": "NodeNext" } }';
const typed = { language: 'ts', isModule: false, extension: 'ts', testFolder: undefined };
const plain = { language: 'js', isModule: false, extension: 'mjs', testFolder: undefined };

export const styles = suite('the style of a project', [
  inFolder(
    'is found by its files',
    {
      cases: namedRows<{ files: Readonly<Record<string, string>>; style: object }>({
        'no file': { files: {}, style: typed },
        'a configuration of the compiler beside JavaScript': { files: { 'tsconfig.json': '{}', 'src/a.js': '' }, style: typed },
        'the compiler as a dependency': { files: { 'package.json': '{"dependencies":{"typescript":"5"}}', 'a.js': '' }, style: typed },
        'the compiler for development': { files: { 'package.json': '{"devDependencies":{"typescript":"5"}}', 'a.js': '' }, style: typed },
        'a source file': { files: { 'src/a.mts': '', 'a.js': '' }, style: typed },
        'declarations beside JavaScript': { files: { 'lib/a.d.ts': '', 'lib/a.cjs': '' }, style: plain },
        'JavaScript alone': { files: { 'a.jsx': '' }, style: plain },
        'JavaScript in ES modules': { files: { 'package.json': '{"type":"module"}', 'a.js': '' }, style: { ...plain, isModule: true, extension: 'js' } },
        'a damaged package file': { files: { 'package.json': '{', 'a.js': '' }, style: plain },
        'modules as the package says': { files: { 'tsconfig.json': nodeNext }, style: { ...typed, extension: 'mts' } },
        'ES modules as the package says': { files: { 'tsconfig.json': nodeNext, 'package.json': '{"type":"module"}' }, style: { ...typed, isModule: true } },
        'a folder of tests': { files: { 'test/a.ts': '' }, style: { ...typed, testFolder: 'test' } },
        'two folders of tests': { files: { 'test/a.ts': '', 'tests/a.ts': '' }, style: { ...typed, testFolder: 'tests' } },
      }),
    },
    async ({ row, check }, { folder }) => {
      await writeAll(folder, row.files);
      check.equal(findProjectStyle(folder) as object, row.style);
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
