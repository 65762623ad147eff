import { execFile } from 'node:child_process';
import { access, copyFile, cp, mkdir, readdir, readFile, stat, symlink, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { promisify } from 'node:util';
import { build } from 'esbuild';
import { fixture, namedRows, suite, table, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { root, runNode } from '../program.ts';

const run = promisify(execFile);

/** An empty project in which the package is installed from its published archive. */
const installed = fixture('installed', {
  scope: 'file',
  needs: { folder: tempDirectory('file') },
  timeout: 180_000,
  async setup(_, { folder }) {
    // A copy, since packing changes links in the documentation, which other tests read.
    const copy = join(folder, 'source');
    for (const name of ['dist', 'docs', 'schema', 'README.md', 'CHANGELOG.md', 'LICENSE', 'package.json'])
      await cp(join(root, name), join(copy, name), { recursive: true });
    await runNode([join(root, 'scripts', 'pack-links.mjs'), copy], copy);
    await run('npm', ['pack', '--silent', '--ignore-scripts', '--pack-destination', folder], { cwd: copy });
    const archive = (await readdir(folder)).find((name) => name.endsWith('.tgz')) ?? '';
    const { size } = await stat(join(folder, archive));
    await writeFile(join(folder, 'package.json'), '{"name":"office","private":true}');
    await run('npm', ['install', '--no-audit', '--no-fund', '--prefer-offline', '--loglevel=error', `./${archive}`], { cwd: folder });
    return { folder, size };
  },
});

/** A separate project for a case, next to the installed package. */
const project = fixture('project', {
  needs: { installed, folder: tempDirectory() },
  async setup(_, { installed, folder }) {
    await symlink(join(installed.folder, 'node_modules'), join(folder, 'node_modules'));
    const command = (args: readonly string[]): ReturnType<typeof runNode> =>
      runNode([join(folder, 'node_modules', 'red-lattice', 'dist', 'command.js'), ...args], folder);
    return { folder, command };
  },
});
const inProject = testWith({ project });

const sample = `import { factory, fixture, matrix, runSuites, suite, table, test } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
const place = fixture('place', { needs: { folder: tempDirectory() }, setup: (_, { folder }) => folder });
export const stays = suite('stays', [
  test('{nights} nights', { needs: { place }, cases: table(['nights'], [[1], [2]]) }, ({ row, check }, { place }) => { check.holds(row.nights > 0 && place.length > 0); }),
  test('{hull} {season}', { cases: matrix({ hull: ['mono', 'cat'], season: ['summer', 'winter'] }) }, ({ row, check }) => { check.includes(['mono', 'cat'], row.hull); }),
]);
export const used = { factory, runSuites };
`;

export const packed = suite('the package', { timeout: 120_000 }, [
  testWith({ installed })('is under 1 MB, with few dependencies', async ({ check }, { installed: { folder, size } }) => {
    check.holds(size < 1_000_000, `${size} bytes`);
    const own = await readdir(join(folder, 'node_modules', 'red-lattice'));
    check.equal(own.sort(), ['CHANGELOG.md', 'LICENSE', 'README.md', 'dist', 'docs', 'package.json', 'schema']);
    const others = (await readdir(join(folder, 'node_modules'))).filter((name) => !name.startsWith('.'));
    check.holds(others.length < 25, others.join(', '));
  }),

  inProject(
    'runs tests in a project of type {type}, written as {file}',
    {
      cases: table(
        ['type', 'file'],
        [
          ['module', 'stays.lattice.ts'],
          ['commonjs', 'stays.lattice.ts'],
          ['commonjs', 'stays.lattice.mjs'],
          ['module', 'stays.lattice.js'],
          ['commonjs', 'stays.lattice.js'],
        ],
      ),
    },
    async ({ row, check }, { project: { folder, command } }) => {
      await writeFile(join(folder, 'package.json'), JSON.stringify({ name: 'office', type: row.type }));
      await writeFile(join(folder, row.file), sample);
      const { status, output } = await command(['run']);
      check.equal(status, 0, output);
      check.matches(output, /\n6 passed, 0 failed\n$/);
    },
  ),

  inProject(
    'has types that compile {with}',
    {
      cases: namedRows({
        dom: { with: 'with the types of the DOM', lib: ['es2023', 'dom', 'dom.iterable', 'esnext.disposable'], compiler: 'typescript', skipsLibraries: false },
        'TypeScript 5.4': {
          with: 'in TypeScript 5.4, without the types of the DOM',
          lib: ['es2023', 'esnext.disposable'],
          compiler: 'typescript-5.4',
          skipsLibraries: false,
        },
        'TypeScript 5.9': { with: 'in TypeScript 5.9', lib: ['es2023', 'esnext.disposable'], compiler: 'typescript-5.9', skipsLibraries: true },
      }),
    },
    async ({ row, check }, { project: { folder } }) => {
      await writeFile(join(folder, 'package.json'), '{"name":"office","type":"module"}');
      await writeFile(join(folder, 'stays.lattice.ts'), sample);
      for (const name of ['inline.ts', 'literals.ts', 'more.ts']) await copyFile(join(root, 'tests', 'types', name), join(folder, name));
      const compilerOptions = {
        target: 'es2022',
        module: 'nodenext',
        strict: true,
        exactOptionalPropertyTypes: true,
        skipLibCheck: row.skipsLibraries,
        noEmit: true,
        lib: row.lib,
        types: ['node'],
        typeRoots: [join(root, 'node_modules', '@types')],
      };
      await writeFile(join(folder, 'tsconfig.json'), JSON.stringify({ compilerOptions, include: ['*.ts'] }));
      const { status, output } = await runNode([join(root, 'node_modules', row.compiler, 'bin', 'tsc'), '-p', 'tsconfig.json'], folder);
      check.equal([status, output], [0, '']);
    },
  ),

  inProject('can be bundled into a page', async ({ check }, { project: { folder } }) => {
    await mkdir(join(folder, 'src'));
    await writeFile(
      join(folder, 'src', 'page.js'),
      "import { runSuites, test } from 'red-lattice';\nrunSuites([test('a', ({ check }) => check.equal(1, 1))]);\n",
    );
    const { warnings, errors } = await build({
      entryPoints: [join(folder, 'src', 'page.js')],
      bundle: true,
      write: false,
      format: 'esm',
      platform: 'browser',
      logLevel: 'silent',
    });
    check.equal([warnings, errors], [[], []]);
  }),

  testWith({ installed })('has documentation without broken links', async ({ check }, { installed }) => {
    const folder = join(installed.folder, 'node_modules', 'red-lattice');
    const { homepage } = JSON.parse(await readFile(join(folder, 'package.json'), 'utf8'));
    const pages = ['README.md', ...(await readdir(join(folder, 'docs'))).filter((name) => name.endsWith('.md')).map((name) => `docs/${name}`)];
    let links = 0;
    for (const page of pages) {
      for (const [, target = ''] of (await readFile(join(folder, page), 'utf8')).matchAll(/\]\(([^)#\s]+)/g)) {
        links++;
        // Links to files outside the package lead to the repository, where they exist.
        const path = target.startsWith(homepage)
          ? join(root, target.slice(homepage.length).replace(/^\/(?:blob|raw)\/main\//, ''))
          : join(folder, dirname(page), target);
        if (!/^https?:/.test(target) || target.startsWith(homepage))
          check.equal(
            await access(path).then(
              () => 'there',
              () => 'missing',
            ),
            'there',
            `${page}: ${target}`,
          );
      }
    }
    check.holds(links > 70, `${links} links`);
  }),

  inProject('has a starter and a first example that type-check with a new tsconfig.json', async ({ check, step }, { project: { folder, command } }) => {
    const tsc = (args: readonly string[]): ReturnType<typeof runNode> => runNode([join(root, 'node_modules', 'typescript', 'bin', 'tsc'), ...args], folder);
    await writeFile(join(folder, 'package.json'), '{"name":"office","type":"module"}');
    await step('the first example of the README', async ({ ensure }) => {
      const readme = await readFile(join(root, 'README.md'), 'utf8');
      const [, name = '', code = ''] = /^```ts file=(\S+)\n(.*?)^```$/ms.exec(readme) ?? [];
      const [, lines = ''] = /^\{ "compilerOptions": \{ (.*) \} \}$/m.exec(readme) ?? [];
      await writeFile(join(folder, name), code);
      await command(['new', 'tests/berths']);
      ensure.equal((await tsc(['--init'])).status, 0);
      const created = await readFile(join(folder, 'tsconfig.json'), 'utf8');
      const typeRoots = JSON.stringify([join(root, 'node_modules', '@types')]);
      const changed = created.replace(/"types": \[\],?/, '').replace('"compilerOptions": {', `"compilerOptions": { "typeRoots": ${typeRoots}, ${lines},`);
      await writeFile(join(folder, 'tsconfig.json'), changed);
    });
    const { status, output } = await tsc(['--noEmit']);
    check.equal([status, output], [0, '']);
    check.matches((await command(['run'])).output, /where it fails\n {2}✗ hull=cat & season=winter [\s\S]*\n40 passed, 7 failed\n$/);
  }),

  inProject('writes a starter that runs', async ({ check }, { project: { folder, command } }) => {
    await writeFile(join(folder, 'package.json'), '{"name":"office"}');
    await command(['new', 'berths']);
    check.matches((await command(['run'])).output, /\n5 passed, 0 failed\n$/);
  }),
]);
