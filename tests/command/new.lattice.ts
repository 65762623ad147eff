import { mkdir, readdir, readFile, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { fixture, namedRows, suite, table, testWith } from 'red-lattice';
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
      cases: namedRows<{ what: string; files: Record<string, string>; name: string; wrote: readonly string[]; script: string }>({
        nothing: {
          what: 'no files',
          files: {},
          name: 'berths',
          wrote: ['berths.lattice.ts', 'berths.csv', 'red-lattice.config.ts', 'tsconfig.json'],
          script: 'test',
        },
        package: {
          what: 'a package of ES modules alone',
          files: { 'package.json': '{"type":"module"}' },
          name: 'berths',
          wrote: ['berths.lattice.ts', 'berths.csv', 'red-lattice.config.ts', 'tsconfig.json'],
          script: 'test',
        },
        commonjs: {
          what: 'JavaScript and a test script',
          files: { 'src/dues.js': '', 'test/x.js': '', 'package.json': '{\n\t"scripts": {\n\t\t"test": "make check"\n\t}\n}\n' },
          name: 'berths',
          wrote: ['test/berths.lattice.mjs', 'test/berths.csv', 'red-lattice.config.mjs'],
          script: 'lattice',
        },
        modules: {
          what: 'ES modules in JavaScript',
          files: { 'lib/dues.js': '', 'package.json': '{"type":"module","scripts":{"test":"echo \\"Error: no test specified\\" && exit 1"}}' },
          name: './berths',
          wrote: ['berths.lattice.js', 'berths.csv', 'red-lattice.config.mjs'],
          script: 'test',
        },
        nodenext: {
          what: 'TypeScript of a CommonJS package',
          files: { 'tsconfig.json': '{ "compilerOptions": { "module": "NodeNext" } }', 'tests/x.ts': '' },
          name: 'berths',
          wrote: ['tests/berths.lattice.mts', 'tests/berths.csv', 'red-lattice.config.ts'],
          script: 'test',
        },
      }),
    },
    async ({ row, check }, { project }) => {
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
