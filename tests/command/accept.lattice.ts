import { createHash } from 'node:crypto';
import { mkdir, mkdtemp, readFile, rename, rm, symlink, utimes, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { dataFile, fixture, namedRows, suite, table, testWith } from 'red-lattice';
import { runCommand } from '../program.ts';
import { makeProject, projectOf } from '../project.ts';
import { runInTerminal } from '../terminal.ts';
import { writeWorkbook } from '../workbook.ts';

const dues = `
import { cell, dataFile, table, test } from 'red-lattice';
const columns = { loa: cell.number, due: cell.number.within(0.005), note: cell.text.heading('Note') };
export const file = test('dues for {loa} m', { cases: dataFile('data/dues.csv', { columns }) }, ({ row, check }) => {
  check.columns({ due: row.loa * 2.5, note: row.loa > 10 ? 'large, heavy' : row.note });
});
export const inline = test('bands of {loa} m', { cases: table(['loa', 'band'], [[6, 'small'],
  [12, 'small']]) }, ({ row, check }) => {
  check.columns({ band: row.loa > 10 ? 'large' : 'small' });
});`;
const notices = `
import { test } from 'red-lattice';
export const notice = test('a notice', { tags: ['paper'] }, async ({ check }) => {
  await check.file('notices/n4.txt', 'Berth N4\\ncosts 15\\n', { normalize: (text) => text.replace(/printed .*/, '') });
});
export const stamped = test('a stamped notice', { normalize: (text) => text.replace(/by .*/, 'by …') }, async ({ check }) => {
  await check.file('notices/stamp.txt', 'signed by A\\n');
});
export const quote = test('a quote', async ({ check }) => {
  await check.file('notices/quote.json', { berth: 'N4', due: 15 });
});`;
const csv = '# the tariff of 2031\r\nloa,due,Note\r\n6,15.00,old\r\n\r\n12, 30.004 ,"small"\r\n8,19,x\r\n';

const files = {
  'a.lattice.mjs': dues,
  'b.lattice.mjs': notices,
  'data/dues.csv': csv,
  'notices/n4.txt': 'Berth N4\r\ncosts 12\r\n',
  'notices/old.txt': 'x',
  'notices/stamp.txt': 'signed by B\n',
};
const project = projectOf(files);
const inProject = testWith({ project });

/** The same project with the record of a run, for tests that change nothing. */
const recorded = fixture('recorded', {
  scope: 'file',
  async setup() {
    const folder = await mkdtemp(join(tmpdir(), 'red-lattice-accept-'));
    await makeProject(folder, files);
    await runCommand(['run'], folder);
    return folder;
  },
  teardown: (folder) => rm(folder, { recursive: true, force: true }),
});
const inRecorded = testWith({ recorded });

export const accepting = suite('accept', { timeout: 60_000 }, [
  inProject('shows the length and hash of binary files, and writes them', async ({ check }, { project }) => {
    const [before, after] = [Uint8Array.of(1, 2), Uint8Array.of(1, 2, 255)];
    await writeFile(join(project, 'chart.bin'), before);
    const chart =
      "import { test } from 'red-lattice';\nexport const chart = test('chart', ({ check }) => check.file('chart.bin', Uint8Array.of(1, 2, 255)));\n";
    await writeFile(join(project, 'c.lattice.mjs'), chart);
    const { out } = await runCommand(['run', 'c.lattice.mjs'], project);
    const summary = (bytes: Uint8Array): string => `${bytes.length} bytes, SHA-256 ${createHash('sha256').update(bytes).digest('hex').slice(0, 12)}`;
    check.includes(out, 'differs from chart.bin');
    check.includes(out, `actual    ${summary(after)}`);
    check.includes(out, `expected  ${summary(before)}`);
    check.equal((await runCommand(['accept', 'c.lattice.mjs', '--check'], project)).status, 1, 'one change');
    check.equal((await runCommand(['accept', 'c.lattice.mjs', '--yes'], project)).status, 0);
    check.equal(new Uint8Array(await readFile(join(project, 'chart.bin'))), after);
  }),

  inProject(
    'asks for confirmation in a terminal: {answer} means {is}',
    {
      cases: table(
        ['answer', 'is'],
        [
          ['y', 'yes'],
          ['YES', 'yes'],
          ['', 'no'],
          ['later', 'no'],
        ],
      ),
    },
    async ({ row, check }, { project }) => {
      await runCommand(['run'], project);
      const { status, out } = await runInTerminal('accept a.lattice.mjs', project, { typed: [{ after: '? ', keys: `${row.answer}\r` }] });
      check.equal(status, row.is === 'yes' ? 0 : 1, out);
      check.equal((await readFile(join(project, 'data', 'dues.csv'), 'utf8')) === csv, row.is === 'no');
    },
  ),

  inProject('shows what would change, writes it, and then the tests pass', async ({ check, ensure }, { project }) => {
    const read = (name: string): Promise<string> => readFile(join(project, name), 'utf8');
    check.equal((await runCommand(['accept'], project)).output, 'red-lattice: no run has been recorded; red-lattice run creates a record\n');
    ensure.equal((await runCommand(['run'], project)).status, 1);
    const looked = await runCommand(['accept', '--check'], project);
    check.equal(looked.status, 1);
    check.equal(
      looked.out,
      `
data/dues.csv  2 values in 2 rows
  a.lattice.mjs
  line 5  Note  small → large, heavy  dues for 12 m
  line 6  due      19 →           20  dues for 8 m

a.lattice.mjs  1 value in 1 row
  a.lattice.mjs › bands of 12 m
  line 8  band  'small' → 'large'

notices/n4.txt
  b.lattice.mjs › a notice
    Berth N4
  - costs 12
  + costs 15
    

notices/quote.json
  b.lattice.mjs › a quote
  new file of 33 bytes

1 file that no test reads any more
  notices/old.txt

3 values in 2 files and 2 whole files would change; nothing was written
`,
    );
    // Without a terminal, the command cannot ask for confirmation.
    const unasked = await runCommand(['accept'], project, { CI: 'true' });
    check.equal(unasked.status, 2);
    check.includes(unasked.output, 'accept writes without a question only with --yes');
    check.equal(await read('data/dues.csv'), csv);
    const accepted = await runCommand(['accept', '--yes'], project);
    check.equal(accepted.status, 0);
    check.includes(
      accepted.out,
      `accepted 3 values in 2 files and 2 whole files; run the tests again

Accept new expected values in 4 files

data/dues.csv: Note in 1 row, due in 1 row
a.lattice.mjs: band in 1 row
notices/n4.txt: the whole file
notices/quote.json: the whole file
Computed by a.lattice.mjs, b.lattice.mjs
`,
    );
    check.equal(await read('data/dues.csv'), csv.replace('"small"', '"large, heavy"').replace('8,19', '8,20'));
    check.equal(await read('a.lattice.mjs'), dues.replace("[12, 'small']", "[12, 'large']"));
    check.equal(await read('notices/n4.txt'), 'Berth N4\r\ncosts 15\r\n');
    const nothing = 'nothing to accept: no failed check compares values with columns or files\n';
    const unread = '\n1 file that no test reads any more\n  notices/old.txt\n';
    // Only a run of all cases shows which files no test reads.
    for (const [args, out] of [
      [[], nothing + unread],
      [['b.lattice.mjs'], nothing],
      [['--shard', '1/1'], nothing],
    ] as const) {
      check.equal((await runCommand(['run', ...args], project)).status, 0);
      check.equal(await runCommand(['accept'], project), { status: 0, out, output: out }, args.join(' '));
    }
  }),

  inRecorded(
    'can be limited to a selection: {args}',
    {
      cases: namedRows<{ args: readonly string[]; accepts: string }>({
        'title and column': { args: ['--title', 'dues for', '--column', 'note'], accepts: '1 value in 1 file' },
        row: { args: ['--row', 'loa=12'], accepts: '2 values in 2 files' },
        'data row': { args: ['data/dues.csv:6'], accepts: '1 value in 1 file' },
        'line of a test': { args: ['a.lattice.mjs:7'], accepts: '1 value in 1 file' },
        tag: { args: ['--tag', 'paper'], accepts: '1 whole file' },
      }),
    },
    async ({ row, check }, { recorded }) => {
      const { status, out } = await runCommand(['accept', '--check', ...row.args], recorded);
      check.includes(out, `\n${row.accepts} would change; nothing was written\n`);
      check.equal(status, 1);
    },
  ),

  inRecorded('refuses a column that no failed check computes, and suggests one', async ({ check }, { recorded }) => {
    const { status, output } = await runCommand(['accept', '--check', '--column', 'noet'], recorded);
    check.includes(output, '--column: no failed check computes values of `noet`; did you mean `note`?');
    check.equal(status, 2);
  }),

  inProject(
    'writes nothing if {what}',
    {
      cases: namedRows<{ what: string; change: (folder: string) => Promise<unknown>; says: string }>({
        'data changed': {
          what: 'the data changed since the run',
          change: (folder) => writeFile(join(folder, 'data/dues.csv'), `${csv}7,1,\r\n`),
          says: 'data/dues.csv changed since the run. Run the tests again, then accept.',
        },
        'test changed': {
          what: 'a test changed since the run',
          change: (folder) => writeFile(join(folder, 'b.lattice.mjs'), `${notices}\n`),
          says: 'b.lattice.mjs changed since the run.',
        },
        'expected file changed': {
          what: 'an expected file changed since the run',
          change: (folder) => writeFile(join(folder, 'notices/n4.txt'), 'Berth N4\ncosts 13\n'),
          says: 'notices/n4.txt changed since the run.',
        },
        'new file': {
          what: 'a new file was created since the run',
          change: (folder) => writeFile(join(folder, 'notices/quote.json'), '{}'),
          says: 'notices/quote.json: it was created since the run. Run the tests again, then accept.',
        },
        outside: {
          what: 'a link leads out of the project',
          async change(folder) {
            await mkdir(join(folder, '..', 'outside'), { recursive: true });
            await rename(join(folder, 'data/dues.csv'), join(folder, '..', 'outside', 'dues.csv'));
            await symlink(join(folder, '..', 'outside', 'dues.csv'), join(folder, 'data/dues.csv'));
          },
          says: 'data/dues.csv:5 Note: the file is not in the project',
        },
      }),
    },
    async ({ row, check }, { project }) => {
      await runCommand(['run'], project);
      await row.change(project);
      const { status, output } = await runCommand(['accept', '--yes'], project);
      check.includes(output, row.says);
      check.holds(status !== 0);
      check.equal((await readFile(join(project, 'data/dues.csv'), 'utf8')).replace('7,1,\r\n', ''), csv);
    },
  ),

  inProject('accepts a file that was touched, since its content counts', async ({ check }, { project }) => {
    await runCommand(['run'], project);
    await utimes(join(project, 'data/dues.csv'), new Date(), new Date(Date.now() + 60_000));
    check.equal((await runCommand(['accept', '--yes', 'a.lattice.mjs'], project)).status, 0);
  }),

  inProject(
    'refuses {what}',
    {
      cases: dataFile('refused.yaml'),
    },
    async ({ row: given, check }, { project }) => {
      const row = given as unknown as { test: string; says: readonly string[] };
      await writeFile(join(project, 'dues.yaml'), '- due: &due 3\n  note: a\n  parts:\n    - 2\n- due: *due\n  note: b\n');
      await writeFile(
        join(project, 'dues.xlsx'),
        writeWorkbook({
          S: [
            ['due', 'sum'],
            [5, { formula: 'A2+1', result: '6' }],
          ],
        }),
      );
      await writeFile(join(project, 'c.lattice.mjs'), `import { cell, dataFile, table, test } from 'red-lattice';\n${row.test}`);
      await runCommand(['run', 'c.lattice.mjs'], project);
      const { status, out } = await runCommand(['accept', '--yes'], project);
      for (const text of row.says) check.includes(out, text);
      check.equal(status, 1);
    },
  ),

  inRecorded('prints planned changes as JSON', async ({ check }, { recorded }) => {
    const { out } = await runCommand(['accept', '--check', '--format', 'json', 'data/dues.csv:6'], recorded);
    check.equal(JSON.parse(out), {
      written: false,
      files: [
        {
          file: 'data/dues.csv',
          values: [{ line: 6, heading: 'due', before: '19', after: '20', cases: ['a.lattice.mjs › dues for 8 m'] }],
        },
      ],
      refused: [],
    });
  }),
]);
