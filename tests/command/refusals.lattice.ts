import { execFileSync } from 'node:child_process';
import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { cell, dataFile, fixture, namedRows, range, suite, table, test, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { createRandom } from '../../src/cases/random.ts';
import { shellWord } from '../../src/formats/rerun-command.ts';
import { leaves, readTap } from '../formats/tap-reader.ts';
import { runCommand } from '../program.ts';
import { makeProject } from '../project.ts';

const project = fixture('project', {
  scope: 'file',
  needs: { folder: tempDirectory('file') },
  async setup(_, { folder }) {
    await makeProject(folder);
    await writeFile(
      join(folder, 'good.lattice.ts'),
      "import { test } from 'red-lattice';\nexport const one = test('holds', ({ check }) => check.equal(1, 1));\n",
    );
    await writeFile(
      join(folder, 'named.lattice.ts'),
      "import { test, values } from 'red-lattice';\nexport const power = test('shore power for a {hull}', { tags: ['money'], cases: values('hull', ['cat']) }, ({ check }) => check.equal(1, 1));\n",
    );
    await writeFile(join(folder, 'broken.lattice.ts'), "throw new Error('the office is closed');\n");
    await runCommand(['run', 'good.lattice.ts', '--record', 'one'], folder);
    await runCommand(['run', 'broken.lattice.ts', '--record', 'broken'], folder);
    const lines = (await runCommand(['report', 'one', '--format', 'jsonl'], folder)).out;
    await writeFile(join(folder, 'cut.jsonl'), lines.slice(0, -20));
    const [head = '', result = ''] = lines.split('\n');
    const changed = { ...JSON.parse(result), status: 'fine' };
    await writeFile(join(folder, 'changed.jsonl'), `${head}\n${JSON.stringify(changed)}\n`);
    await writeFile(join(folder, 'changed.json'), JSON.stringify({ ...JSON.parse(head), results: [JSON.parse(result), changed] }, null, 1));
    await writeFile(join(folder, 'line.json'), JSON.stringify({ ...JSON.parse(head), results: [JSON.parse(result), changed] }));
    await writeFile(join(folder, 'resultless.json'), JSON.stringify({ ...JSON.parse(head), results: 5 }));
    await writeFile(join(folder, 'headless.jsonl'), '{"format":"red-lattice report","version":"2.0"}\n');
    await writeFile(join(folder, 'listless.jsonl'), `${head.replace('"tests":[', '"tests":7,"was":[')}\n`);
    await writeFile(join(folder, 'untested.jsonl'), `${head.replace('"tests":[', '"tests":[{"test":"one"},')}\n`);
    await writeFile(join(folder, 'holds.mjs'), '');
    await writeFile(join(folder, 'elsewhere.lattice.js'), "import { tempDirectory } from 'red-lattice';\n");
    await writeFile(join(folder, 'misspelled.lattice.js'), "import { fixtur } from 'red-lattice';\n");
    await mkdir(join(folder, 'apart'));
    await writeFile(
      join(folder, 'apart', 'many.lattice.ts'),
      "import { range, test } from 'red-lattice';\nexport const many = test('berth {n}', { cases: range('n', 0, 11) }, ({ check }) => check.equal(1, 1));\n",
    );
    await mkdir(join(folder, 'newer'));
    await writeFile(join(folder, 'newer', 'run.json'), '{"kind":"red-lattice run record","version":99,"tool":"9.0.0"}');
    return folder;
  },
});
const inProject = testWith({ project });

export const refusals = suite('errors of commands', { timeout: 60_000 }, [
  inProject(
    '{command}: {says}',
    {
      cases: dataFile('refused-commands.csv', { columns: { command: cell.text, says: cell.text } }),
    },
    async ({ row, check }, { project }) => {
      const { status, output } = await runCommand(row.command.split(' '), project);
      check.equal(status, 2);
      check.matches(output, new RegExp(row.says, 'm'));
      check.equal(/\n\s+at /.test(output), false, 'a stack');
    },
  ),

  inProject(
    'nothing selected: {selection} says {says}',
    {
      cases: dataFile('nothing-selected.csv', { columns: { selection: cell.text, says: cell.text } }),
    },
    async ({ row, check }, { project }) => {
      const { output } = await runCommand(['run', ...row.selection.split(' ')], project);
      check.matches(output, new RegExp(row.says, 'm'));
    },
  ),

  inProject(
    'a file that does not load makes TAP bail out, and is reported in {as}',
    {
      cases: namedRows({ json: { as: 'json' }, markdown: { as: 'markdown' }, tap: { as: 'tap' } }),
    },
    async ({ row, check }, { project }) => {
      const { out } = await runCommand(['report', 'broken', '--format', row.as], project);
      check.includes(out, 'the office is closed');
      if (row.as !== 'tap') return;
      const { points, bailOut } = readTap(out);
      check.equal(leaves(points), []);
      check.matches(bailOut, /broken\.lattice\.ts/);
    },
  ),

  inProject(
    'explain shows one case by its id, and lists others that match: {target}',
    {
      cases: table(
        ['target', 'status', 'says'],
        [
          ['named.lattice.ts#shore-power-for-a-hull/hull=cat', 0, /shore power for a cat\nnamed\.lattice\.ts#/],
          ['holds', 0, /holds\ngood\.lattice\.ts#holds/],
          ['apart', 0, /^berth 0\n(?:.*\n)*11 more cases match "apart"; name one by its id:\n(?: {2}apart\/many\.lattice\.ts#berth-n\/n=\d+\n){10}$/],
          ['apart/many.lattice.ts:1', 3, /^red-lattice: no case matches "apart\/many\.lattice\.ts:1"\. red-lattice plan --all lists all cases\.$/m],
          ['no such case', 2, /the office is closed(?:.*\n)*red-lattice: no case matches "no such case"/],
        ],
      ),
    },
    async ({ row, check }, { project }) => {
      const { status, output } = await runCommand(['explain', row.target], project);
      check.equal(status, row.status);
      check.matches(output, row.says);
    },
  ),

  inProject('an existing file is replaced only by a complete report', async ({ check }, { project }) => {
    await writeFile(join(project, 'out.csv'), 'mine');
    check.equal((await runCommand(['report', 'cut.jsonl', '-o', 'out.csv'], project)).status, 2);
    check.equal(execFileSync('cat', ['out.csv'], { cwd: project, encoding: 'utf8' }), 'mine');
    check.equal((await runCommand(['report', 'one', '-o', 'out.csv'], project)).status, 0);
    check.matches(execFileSync('cat', ['out.csv'], { cwd: project, encoding: 'utf8' }), /^\(id\),\(status\)/);
  }),
]);

export const words = test('a shell reads a quoted word unchanged: seed {seed}', {
  cases: range('seed', 1, 10),
  skip: process.platform === 'win32' && 'needs a POSIX shell',
}, ({ row, check }) => {
  const random = createRandom(`words ${row.seed}`);
  const given = Array.from({ length: 20 }, () => random.text(random.integer(1, 12), 'aZ0 \'"`$\\;|&<>(){}[]*?!#~=%,:@-\n\tü'));
  // Each word ends with a separator, since a word can contain line breaks.
  const taken = execFileSync('sh', ['-c', `printf '%s\\001' ${given.map(shellWord).join(' ')}`], { encoding: 'utf8' });
  check.equal(taken.split('\u0001').slice(0, -1), given);
});
