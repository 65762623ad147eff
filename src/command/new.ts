import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { basename, dirname, join, relative, resolve } from 'node:path';
import { escapeToOneLine } from '../formats/style.ts';
import { findRoot } from '../node/find-files.ts';
import type { CommandContext } from './command-context.ts';
import { writeConfiguration } from './new-configuration.ts';
import { findProjectStyle } from './project-style.ts';
import { failWith } from './terminal.ts';

const quote = (text: string): string => `'${text.replace(/[\\']/g, '\\$&')}'`;

/** The starter: a test file with a fixture, a table and a data file, which runs without changes. */
const starter = (title: string, file: string): string => `import { cell, dataFile, fixture, suite, table, test } from 'red-lattice';

/** A fixture: set up before each case that needs it, torn down afterwards, whatever happens. */
const book = fixture('berth book', {
  setup: () => new Map<string, string>(),
  teardown: (book) => book.clear(),
});

export const starter = suite(${quote(title.replaceAll('{', '{{'))}, [
  // One body, many cases: each row has its own name and result.
  test(
    '{vessel} is entered at berth {berth}',
    {
      needs: { book },
      cases: table(
        ['berth', 'vessel'],
        [
          ['N4', 'Gull'],
          ['S1', 'Tern'],
        ],
      ),
    },
    ({ row, check }, { book }) => {
      book.set(row.berth, row.vessel);
      check.equal(book.get(row.berth), row.vessel, 'the vessel at the berth');
      check.equal(book.size, 1, 'number of vessels');
    },
  ),

  // Rows from a data file. An invalid cell is reported with file, line and column, and fails only its own case.
  test(
    '{nights} nights cost {due}',
    { cases: dataFile(${quote(file)}, { columns: { nights: cell.integer, due: cell.number } }) },
    ({ row, check }) => {
      const perNight = row.nights >= 7 ? 18 : 20;
      check.equal(row.nights * perNight, row.due);
    },
  ),
]);
`;

const rows = 'nights,due\n1,20\n3,60\n7,126\n';

/** Writes a starter that matches the project, without replacing files. With `config`, also writes what the project lacks to run it. */
export async function newCommand(name: string, { config }: { readonly config?: boolean }, { folder, terminal }: CommandContext): Promise<number> {
  const [, bare = name, given] = /^(.*?)(?:\.lattice)?\.(m?[jt]s)$/.exec(name) ?? [];
  const root = findRoot(folder);
  const style = findProjectStyle(root);
  // A bare name is put into the existing test folder; ./name is not.
  const path = folder === root && style.testFolder !== undefined && !/[/\\]/.test(bare) ? join(root, style.testFolder, bare) : resolve(folder, bare);
  const extension = given ?? style.extension;
  const title = basename(bare);
  if (!/^[\p{L}\p{N}]/u.test(title))
    return failWith(terminal, `${name} is not a valid test file name. It must begin with a letter or a digit, like berths or tests/berths.`);
  const code = starter(title, `${title}.csv`);
  const test = `${path}.lattice.${extension}`;
  const files = { [test]: /ts$/.test(extension) ? code : code.replace('<string, string>', ''), [join(dirname(path), `${title}.csv`)]: rows };
  const there = Object.keys(files).find((file) => existsSync(file));
  const near = (file: string): string => relative(folder, file) || file;
  if (there) return failWith(terminal, `${near(there)} already exists and was not changed. Choose another name.`);
  mkdirSync(dirname(path), { recursive: true });
  for (const [file, text] of Object.entries(files)) {
    writeFileSync(file, text, { flag: 'wx' });
    terminal.out(`Wrote ${escapeToOneLine(near(file))}`);
  }
  if (config) for (const line of await writeConfiguration(root, style, /ts$/.test(extension))) terminal.out(line);
  terminal.out(`\nRun it:  npx red-lattice run ${escapeToOneLine(near(test))}`);
  return 0;
}
