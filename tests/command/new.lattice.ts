import { mkdir, readdir, readFile, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { dataFile, fixture, suite, table, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { root, runCommand, runNode } from '../program.ts';
import { makeProject } from '../project.ts';

const project = fixture('project', {
  needs: { folder: tempDirectory() },
  async setup(_, { folder }) {
    await makeProject(folder);
    await writeFile(join(folder, 'package.json'), '{"name":"office"}');
    return folder;
  },
});
const inProject = testWith({ project });

export const starters = suite('new', { timeout: 60_000 }, [
  inProject('writes a starter that compiles and runs as it is', async ({ check }, { project }) => {
    const { status, out } = await runCommand(['new', 'tests/berths'], project);
    check.equal([status, out], [0, 'Wrote tests/berths.lattice.ts\nWrote tests/berths.csv\n\nRun it:  npx red-lattice run tests/berths.lattice.ts\n']);
    const run = await runCommand(['run', 'tests/berths.lattice.ts'], project);
    check.equal(run.status, 0);
    check.matches(run.out, /\n5 passed, 0 failed\n$/);
    const tsconfig = {
      extends: join(root, 'tests', 'tsconfig.json'),
      compilerOptions: { typeRoots: [join(root, 'node_modules', '@types')] },
      include: ['tests'],
    };
    await writeFile(join(project, 'tsconfig.json'), JSON.stringify(tsconfig));
    const types = await runNode([join(root, 'node_modules', 'typescript', 'bin', 'tsc'), '-p', 'tsconfig.json'], project);
    check.equal([types.status, types.output], [0, '']);
  }),

  inProject('never overwrites: {there}', { cases: table(['there'], [['berths.lattice.ts'], ['berths.csv']]) }, async ({ row, check }, { project }) => {
    await writeFile(join(project, row.there), 'mine');
    const { status, output } = await runCommand(['new', 'berths.lattice.ts'], project);
    check.equal(status, 2);
    check.includes(output, `${row.there} already exists and was not changed`);
    check.equal(await readFile(join(project, row.there), 'utf8'), 'mine');
    check.equal(
      (await readdir(project)).filter((name) => name.startsWith('berths')),
      [row.there],
    );
  }),

  inProject(
    'matches a project with {what}',
    {
      cases: dataFile('projects.yaml'),
    },
    async ({ row: given, check }, { project }) => {
      const row = given as unknown as { files: Record<string, string>; name: string; wrote: readonly string[]; script: string };
      for (const [name, text] of Object.entries(row.files)) {
        await mkdir(dirname(join(project, name)), { recursive: true });
        await writeFile(join(project, name), text);
      }
      const { out } = await runCommand(['new', row.name, '--config'], project);
      check.equal(out.split('\n\n')[0], [...row.wrote.map((name) => `Wrote ${name}`), `Added the script "${row.script}" to package.json`].join('\n'));
      if (row.wrote.includes('tsconfig.json')) {
        const types = await runNode([join(root, 'node_modules', 'typescript', 'bin', 'tsc'), '-p', 'tsconfig.json'], project);
        check.equal([types.status, types.output], [0, '']);
      }
      const { scripts } = JSON.parse(await readFile(join(project, 'package.json'), 'utf8'));
      check.equal(scripts[row.script], 'red-lattice run');
      if (row.script === 'lattice')
        check.equal(
          await readFile(join(project, 'package.json'), 'utf8'),
          '{\n\t"scripts": {\n\t\t"test": "make check",\n\t\t"lattice": "red-lattice run"\n\t}\n}\n',
        );
      check.matches((await runCommand(['run'], project)).out, /\n5 passed, 0 failed\n$/);
    },
  ),

  inProject('says what a name is', async ({ check }, { project }) => {
    const { status, output } = await runCommand(['new', '..'], project);
    check.equal(status, 2);
    check.includes(output, 'is not a valid test file name');
  }),
]);
