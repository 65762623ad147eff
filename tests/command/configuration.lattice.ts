import { readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { cell, dataFile, fixture, suite, test, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { runCommand } from '../program.ts';
import { makeProject } from '../project.ts';

const tests = `import { suite, table, test } from 'red-lattice';
export const dues = suite('dues', { tags: ['money'] }, [
  test('one', ({ check }) => check.holds(true)),
  test('two', { tags: ['slow'], onRequest: 'takes a minute' }, ({ check }) => check.holds(true)),
  test('{n} nights', { cases: table(['n'], [[1], [2]]).annotate(({ n }) => (n === 2 ? { tags: ['lnog'] } : {})) }, ({ check }) => check.holds(true)),
]);
`;

/** A small project with a configuration. */
const project = fixture('project', {
  settings: { config: '' },
  needs: { folder: tempDirectory() },
  async setup({ settings }, { folder }) {
    await makeProject(folder);
    await writeFile(join(folder, 'red-lattice.config.ts'), settings.config);
    await writeFile(join(folder, 'dues.lattice.ts'), tests);
    return folder;
  },
});

const configured = (config: string): string => `import { defineConfig } from 'red-lattice';\nexport default defineConfig(${config});\n`;

export const configuration = suite('the configuration', { timeout: 60_000 }, [
  test(
    '{what}',
    {
      needs: { project },
      cases: dataFile('configurations.yaml', {
        columns: { what: cell.text, config: cell.text, args: cell.list(cell.text).default([]), status: cell.integer, says: cell.list(cell.text) },
      }),
      overrides: ({ config }) => [project.with({ config })],
    },
    async ({ row, check }, { project }) => {
      const { status, output } = await runCommand(['run', ...row.args], project);
      check.equal(status, row.status, output);
      for (const line of row.says) check.includes(output, line);
    },
  ),

  test(
    'hides values from every record, output and name',
    {
      needs: { project },
      overrides: [project.with({ config: configured("{ redact: ['token', /^pass/] }") })],
    },
    async ({ check }, { project }) => {
      await writeFile(
        join(project, 'dues.lattice.ts'),
        `import { fixture, suite, table, test } from 'red-lattice';
const logins = table(['who', 'key', 'login', 'earlier'], [['Cy', 'fifth-key', { user: 'Cy', password: 'sixth-word' }, [{ password: 'eighth-word' }, 'no other']]]);
const [payers, computed] = [table(['who', 'token'], [['Di', 'ninth-token']]), { token: 'computed-token' }];
const keysBound = table(['key'], [['seventh-key']]);
const office = fixture('office', { settings: { password: 'from-the-settings' }, setup: ({ settings, log }) => { log('opens with ' + settings.password); return settings; } });
export const keys = suite('keys', [
  test('{who} has {token}', { needs: { office }, cases: table(['who', 'token'], [['Ann', 'first-token'], ['Ann', 'second-token'], ['Bo', 'third-token']]) }, ({ row, check, attach, log }, { office }) => {
    log('uses', row.token);
    attach('request.txt', 'Authorization: ' + row.token + ' ' + office.password);
    check.equal({ sent: row.token, by: office }, { sent: 'none', by: { password: '' } });
  }),
  test('{who} is bound', { needs: { office }, cases: logins, overrides: (row) => [office.with({ password: row.key })] }, ({ row, check, log }, { office }) => {
    log('opens with', row.key, row.login, row.earlier);
    check.equal({ key: row.key, login: row.login }, { key: '', login: { user: '', password: office.password } });
  }),
  suite('bound to {key}', { cases: keysBound, overrides: (row) => [office.with({ password: row.key })] }, [
    test('within', { needs: { office } }, ({ check, row }, { office }) => check.equal([row, office.password], [])),
  ]),
  suite('with {token}', { cases: table(['token'], [['fourth-token']]) }, [test('inside', ({ check, row }) => check.equal(row, {}))]),



  test('{who} pays', { cases: payers }, ({ check }) => check.columns(computed)),
]);
`,
      );
      const run = await runCommand(['run', '--record', 'record', '--show', 'cases'], project);
      check.equal(run.status, 1, run.output);
      const explained = await runCommand(['explain', 'Bo', '--format', 'json'], project);
      const planned = await runCommand(['plan', '--all'], project);
      const kept: string[] = [run.output, explained.output, planned.output];
      for (const file of await readdir(join(project, 'record'), { recursive: true, withFileTypes: true }))
        if (file.isFile()) kept.push(await readFile(join(file.parentPath, file.name), 'utf8'));
      check.holds(kept.length > 6, `${kept.length} texts`);
      for (const secret of [
        'first-token',
        'second-token',
        'third-token',
        'fourth-token',
        'from-the-settings',
        'fifth-key',
        'sixth-word',
        'seventh-key',
        'eighth-word',
        'ninth-token',
        'computed-token',
      ])
        check.equal(
          kept.filter((text) => text.includes(secret)).map((text) => text.slice(Math.max(0, text.indexOf(secret) - 80), text.indexOf(secret) + 40)),
          [],
          secret,
        );
      check.includes(run.output, 'Ann has ‹hidden›');
    },
  ),

  testWith({ folder: tempDirectory() })(
    'of a workspace applies to a package without its own, and data of another package finds its tests',
    async ({ check }, { folder }) => {
      await makeProject(folder, {
        'package.json': '{"workspaces":["app","lib"]}',
        'red-lattice.config.mjs': "export default { tags: { money: 'dues' } };\n",
        'app/package.json': '{"type":"module"}',
        'app/stays.csv': 'nights\n1\n2\n3\n',
        'app/stays.lattice.js':
          "import { dataFile, test } from 'red-lattice';\nexport const stays = test('{nights}', { tags: ['money'], cases: dataFile('stays.csv') }, ({ check }) => check.holds(true));\n",
        'lib/package.json': '{"type":"module"}',
        'lib/red-lattice.config.mjs': "export default { tags: { slow: 'a minute' } };\n",
      });
      check.matches((await runCommand(['run', '--tag', 'slow'], join(folder, 'app'))).output, /unknown tag `slow`; known: `money`/);
      check.matches((await runCommand(['run', '--tag', 'money'], join(folder, 'lib'))).output, /unknown tag `money`; known: `slow`/);
      await rm(join(folder, 'lib', 'red-lattice.config.mjs'));
      check.matches((await runCommand(['run', '../app/stays.csv:3'], join(folder, 'lib'))).out, /^1 passed, 0 failed$/m);
    },
  ),
]);
