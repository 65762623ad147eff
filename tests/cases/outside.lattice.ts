import { planSuites, type rows, suite, table, test, testWith, values } from 'red-lattice';
import { runCommand } from '../program.ts';
import { projectOf } from '../project.ts';

const head = "import { cell, dataFile, fixture, test } from 'red-lattice';\nimport { dataFiles } from 'red-lattice/node';\n";
const project = projectOf({
  'package.json': '{"type":"module"}',
  'data/stays.csv': 'nights,note,clerk,berth no.\n1,a,x,N4\n2,b,y,N5\n',
  'shared/fixtures.js': `${head}export const all = fixture('all', { scope: 'file', async setup() {
  const seen = [];
  for await (const row of dataFile('../data/stays.csv', { columns: { nights: cell.integer } })) seen.push(row.nights);
  return seen;
} });\n`,
  'plans/north/a.txt': 'north',
  'plans/south/a.txt': 'south',
  'plans/south/b.txt': 'b',
  'tests/a.lattice.js': `${head}import { all } from '../shared/fixtures.js';
export const outside = test('outside', { needs: { all } }, async ({ check }, { all }) => {
  const rows = [];
  for await (const row of dataFile('../data/stays.csv').rename({ 'berth no.': 'berth' }).select('berth')) rows.push(row);
  check.equal([all, rows], [[1, 2], [{ berth: 'N4' }, { berth: 'N5' }]]);
  const names = [];
  for await (const { name } of dataFiles('../plans/*/*.txt')) names.push(name);
  for await (const { name } of dataFiles('../plans/north')) names.push(name);
  check.equal(names.length, 3, 'a folder is not a data file');
});
export const files = test('plan', { cases: dataFiles('../plans/*/*.txt') }, async ({ row, check }) => check.holds(await row.text()));
export const unread = test('{nights} nights', { cases: dataFile('../data/stays.csv', { columns: { nights: cell.integer } }) }, ({ check }) => check.holds(1));
export const ignored = test('ignored {note}', { cases: dataFile('../data/stays.csv', { columns: { note: cell.text }, ignore: ['nights', 'clerk', 'berth no.'] }) }, ({ check }) => check.holds(1));\n`,
});

/** The rows of a source, or the message of its problem. */
async function read(source: () => ReturnType<typeof rows<object>>): Promise<unknown> {
  try {
    const seen: object[] = [];
    for await (const row of source()) seen.push(row);
    return seen;
  } catch (error) {
    return (error as Error).message;
  }
}

const stays = table(['berth no.', 'nights'], [['N4', 1]]);

export const outside = suite('sources', { timeout: 30_000 }, [
  testWith({ project })('are read in bodies and fixtures, from the folder of the file that creates them', async ({ check }, { project }) => {
    const { out, output } = await runCommand(['run', '--show', 'cases'], project);
    check.matches(out, /^8 passed, 0 failed$/m, output);
    for (const name of ['north/a.txt', 'south/a.txt', 'south/b.txt']) check.includes(out, `plan › ${name}`);
  }),

  testWith({ project })('list unread columns in one line, unless these are ignored', async ({ check }, { project }) => {
    const { output } = await runCommand(['plan'], project);
    check.equal(
      output
        .split('\n')
        .filter((line) => line.includes('nothing reads'))
        .map((line) => line.replace(/^.*nothing/, 'nothing')),
      ['nothing reads columns `note`, `clerk`, `berth no.`. List columns that are not needed in `ignore`.'],
    );
  }),

  test(
    '{what} gives {rows}',
    {
      cases: table(
        ['what', 'source', 'rows'],
        [
          ['select', () => stays.select('nights'), [{ nights: 1 }]],
          ['rename', () => stays.rename({ 'berth no.': 'berth' }), [{ berth: 'N4', nights: 1 }]],
          ['rename onto a column', () => stays.rename({ 'berth no.': 'nights' }), 'duplicate column `nights` in a table. Rename one of them.'],
          ['select of nothing known', () => stays.select('night' as 'nights'), 'missing column `night`; did you mean `nights`?'],
          ['rename of nothing known', () => stays.rename({ berth: 'x' } as {}), 'missing column `berth`; known: `berth no.`, `nights`'],
          [
            'rename, then cross',
            () =>
              stays
                .rename({ nights: 'n' })
                .cross(values('nights', [2]))
                .select('n', 'nights'),
            [{ n: 1, nights: 2 }],
          ],
        ],
      ),
    },
    async ({ row, check }) => check.equal(await read(row.source), row.rows),
  ),

  test('have ids of their columns after reshaping', async ({ check }) => {
    const ids: string[] = [];
    for await (const { id } of planSuites([test('t', { cases: stays.rename({ 'berth no.': 'berth' }) }, () => {})])) ids.push(id);
    check.equal(ids, ['suites#t/berth=N4,nights=1']);
  }),
]);
