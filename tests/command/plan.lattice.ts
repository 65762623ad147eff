import { cell, dataFile, suite, table, test, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { memoryFiles, runInside } from '../inner.ts';
import { runCommand } from '../program.ts';
import { makeProject, projectOf } from '../project.ts';

const project = projectOf({
  'stays.csv': 'nights,remark\n1,a\n2,b\n',
  'berths.lattice.ts': `import { matrix, test } from 'red-lattice';
export const berths = test('a berth', {
  tags: ['berths'],
  cases: matrix({ loa: [6, 9, 12], hull: ['mono', 'cat'], water: ['low', 'high'], never: [1, 2] }, { strength: 2, exclude: [{ never: 2 }] }).derive(({ loa }) => ({ sum: '=1+1', below: -loa })),
}, () => {});
`,
  'stays.lattice.ts': `import { cell, dataFile, namedRows, test } from 'red-lattice';
export const stays = test('{nights} nights', { cases: dataFile('stays.csv', { columns: { nights: cell.integer } }) }, () => {});
export const own = test('own', { cases: namedRows({ 'the first': { x: 1 }, 'the second': { x: 2 } }) }, () => {});
`,
});
const inProject = testWith({ project });

export const plans = suite('plan', { timeout: 60_000 }, [
  test(
    'lists {what}',
    {
      needs: { folder: tempDirectory() },
      cases: dataFile('listed.yaml', {
        columns: { what: cell.text, files: cell.integer, tests: cell.integer, has: cell.text, lacks: cell.text.optional(), args: cell.json.optional() },
      }),
    },
    async ({ row: { files, tests, args = [], has, lacks }, check }, { folder }) => {
      const text = `import { test, values } from 'red-lattice';\n${Array.from({ length: tests }, (_, i) => `export const t${i} = test('t${i}', { cases: values('n', [1, 2, 3, 4, 5, 6, 7]) }, () => {});`).join('\n')}`;
      await makeProject(folder, Object.fromEntries(Array.from({ length: files }, (_, i) => [`a${i}.lattice.mjs`, text])));
      const { status, out } = await runCommand(['plan', ...(args as string[])], folder);
      check.equal(status, 0);
      check.matches(out, new RegExp(has));
      check.holds(lacks === undefined || !new RegExp(lacks).test(out));
      check.equal(out.includes('plan <file> lists its tests and their first cases; --all lists every case'), lacks !== undefined);
      check.matches(out, new RegExp(`\\n${files * tests * 7} cases in ${files * tests} tests, ${files === 1 ? '1 file' : `${files} files`}\\n$`));
    },
  ),

  inProject(
    '--title {title} selects {cases} cases',
    {
      cases: table(
        ['title', 'cases'],
        [
          ['NIGHTS', 2],
          ['/^\\d night/', 2],
          ['/NIGHTS/', 0],
          ['/NIGHTS/i', 2],
          // A global expression is searched from the start of each title.
          ['/nights|own/g', 4],
          ['own › THE', 2],
        ],
      ),
    },
    async ({ row, check }, { project }) => {
      const { out } = await runCommand(['plan', 'stays.lattice.ts', '--title', row.title, '--format', 'json'], project);
      check.equal((JSON.parse(out) as { cases: object[] }).cases.length, row.cases);
    },
  ),

  inProject('as CSV is a data file with the same rows, safe in a spreadsheet', async ({ check }, { project }) => {
    const { out } = await runCommand(['plan', 'berths.lattice.ts', '--format', 'csv'], project);
    const columns = { loa: cell.integer, hull: cell.text, water: cell.text, never: cell.integer, sum: cell.text, below: cell.integer };
    const { seen } = await runInside([test('row', { cases: dataFile('frozen.csv', { columns }) }, () => {})], memoryFiles({ 'frozen.csv': out }));
    const { cases } = JSON.parse((await runCommand(['plan', 'berths.lattice.ts', '--format', 'json'], project)).out) as { cases: { row: object }[] };
    // A text like a formula has an apostrophe in front; a negative number has not.
    check.equal(
      seen.map(({ row }) => row),
      cases.map(({ row }) => ({ ...(row as Record<string, unknown>), sum: "'=1+1" })),
    );
  }),
]);
