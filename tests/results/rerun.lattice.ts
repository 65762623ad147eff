import { join } from 'node:path';
import { cell, dataFile, table, testWith } from 'red-lattice';
import { runCommand } from '../program.ts';
import { projectOf } from '../project.ts';

const head = "import { cell, dataFile, suite, table, test } from 'red-lattice';\nconst fails = ({ check }) => check.holds(false);\n";

const project = projectOf({
  'plain.lattice.ts': `${head}export const alone = test('alone', fails);
export const [one, two] = ['one', 'two'].map((title) => test(title, fails));
export const left = test('left', fails), right = test('right', fails);
export const office = suite('office', [test('in a suite', fails)]);
`,
  'rows.lattice.ts': `${head}export const single = test('single', { cases: table(['hull', 'loa'], [['cat', 9]]) }, fails);
export const column = test('column', { cases: table(['hull', 'loa'], [['cat', 9], ['cat', 12], ['mono', 12]]) }, ({ row, check }) => check.holds(row.loa !== 9));
export const pair = test('pair', { cases: table(['hull', 'loa', 'season'], [['cat', 9, 's'], ['cat', 12, 's'], ['mono', 12, 's']]) }, ({ row, check }) => check.holds(row.hull !== 'cat' || row.loa !== 12));
export const twins = test('twins', { cases: table(['hull', 'loa'], [['cat', 9], ['cat', 9]]) }, fails);
export const texts = test('texts', { cases: table(['note', 'size'], [['north quay', 1], [' padded', 2], ['a=b', 2], ['', 1], ["the skipper's", 3], ['12', 3], [12, 4]]) }, fails);
export const dates = test('dates', { cases: table(['from', 'n'], [[new Date('2031-04-10'), 1], [new Date('2031-04-10T06:00:00Z'), 1], [new Date('2031-04-11'), 1]]) }, fails);
export const values = test('values', { cases: table(['what'], [[null], [undefined], [12n], [Number.NaN], [true], [{ nights: 3 }], [[1]]]) }, fails);
`,
  'suites.lattice.ts': `${head}export const quays = suite('{quay}', { cases: table(['quay'], [['north'], ['south']]) }, [
  test('plain', fails),
  test('with rows', { cases: table(['loa'], [[9], [12]]) }, ({ row, check }) => check.holds(row.loa !== 9)),
]);
`,
  'data.lattice.ts': `${head}export const file = test('from a file', { cases: dataFile(new URL('stays.csv', import.meta.url), { columns: { vessel: cell.text, nights: cell.integer } }) }, ({ row, check }) => check.holds(row.nights < 3));\n`,
  'stays.csv': 'vessel,nights\nGull,1\nTern,3\n"Old ""Salt""",4\n',
  'shared.ts': `${head}export const shared = suite('shared', [test('with rows', { cases: table(['n'], [[1], [2]]) }, ({ row, check }) => check.holds(row.n === 1))]);\n`,
  'adapted.lattice.ts': "import { shared } from './shared.ts';\nexport const adapted = shared.adapt('adapted', {});\n",
  'crash.lattice.ts': `${head}export const first = test('first', fails);\nexport const second = test('second', () => process.exit());\n`,
  'notes/berths.txt': '',
  'hidden.lattice.ts': `${head}export const hidden = test('hidden', { cases: table(['key', 'n'], [['k1', 1], ['k2', 1]]) }, fails);\n`,
  'causes.lattice.ts': `${head}const stays = table(['hull', 'season', 'loa'], [9, 12, 15, 18].flatMap((loa) => ['mono', 'cat', 'tri'].flatMap((hull) => ['summer', 'winter'].map((season) => [hull, season, loa]))));
const priced = ({ row, check }) => check.holds(row.hull !== 'cat' || row.season !== 'winter');
export const fine = test('fine', { cases: stays }, ({ row, check }) => check.holds(row.loa > 0));
export const draft = test('draft', { cases: stays, tags: ['draft'], onRequest: 'not decided' }, priced);
`,
  'red-lattice.config.ts': "export default { redact: ['key'] };\n",
});

/** The arguments of the `rerun` commands in an output. */
const rerunsIn = (out: string): string[] => [...out.matchAll(/^ {2}rerun: npx red-lattice run (.*)$/gm)].map(([, selection]) => selection as string);

/** Splits a command into words, as a shell does. */
const wordsOf = (command: string): string[] =>
  [...command.matchAll(/(?:[^\s']+|'[^']*')+/g)].map(([word]) => word.replace(/'([^']*)'/g, '$1').replaceAll("\\'", "'"));

export const selections = testWith({ project })(
  'the shortest selection of each failing case in {file}',
  {
    timeout: 120_000,
    cases: dataFile('selections.yaml', { columns: { file: cell.text, selections: cell.list(cell.text) } }),
  },
  async ({ row, check, attach }, { project }) => {
    const { out } = await runCommand(['run', `${row.file}.lattice.ts`], project);
    attach('output.txt', out);
    const reruns = rerunsIn(out);
    for (const selection of row.selections)
      check.holds(
        reruns.some((one) => (selection === '--id' ? one.startsWith('--id ') : one === selection)),
        selection,
      );
    for (const selection of reruns.filter((one) => !one.startsWith('--id '))) {
      // The commands work in any folder of the project.
      const { out: again } = await runCommand(['run', ...wordsOf(selection)], join(project, 'notes'));
      check.matches(again, /^0 passed, 1 failed$/m, selection);
    }
  },
);

export const causes = testWith({ project })(
  '{command}: the rerun command of a cause selects its cases, also on request',
  {
    cases: table(
      ['command', 'rerun'],
      [
        ['run causes.lattice.ts --on-request', 'causes.lattice.ts:6 --row hull=cat --row season=winter'],
        ['run causes.lattice.ts --tag draft --row loa>9', 'causes.lattice.ts:6 --row hull=cat --row season=winter --tag draft --row loa>9'],
        ['narrow causes.lattice.ts --tag draft', 'causes.lattice.ts:6 --row hull=cat --row season=winter --tag draft'],
      ],
    ),
  },
  async ({ row, check }, { project }) => {
    const { out } = await runCommand(row.command.split(' '), project);
    const [, command = ''] = /^ {4}rerun: npx red-lattice run (.*)$/m.exec(out) ?? [];
    check.equal(wordsOf(command).join(' '), row.rerun, out);
    const { out: again } = await runCommand(['run', ...wordsOf(command)], project);
    check.matches(again, /^0 passed, [34] failed$/m);
  },
);
