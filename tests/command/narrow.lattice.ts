import { readdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { cell, dataFile, fixture, suite, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { runCommand } from '../program.ts';
import { makeProject } from '../project.ts';
import { runInTerminal } from '../terminal.ts';

const berths = `
import { fixture, matrix, suite, test } from 'red-lattice';
const office = fixture('office', { scope: 'file', setup: () => ({ price: (row) => (row.season === 'winter' && row.hull === 'cat' ? -1 : 1) }) });
export const dues = suite('dues', [
  test('price for {hull} in {season}', {
    needs: { office },
    cases: matrix({ season: ['summer', 'winter', 'spring'], hull: ['mono', 'cat', 'tri'], crew: ['a', 'b', 'c'], pet: ['no', 'cat', 'dog'] },
      { strength: 2, exclude: [{ pet: 'dog', hull: 'tri' }] }).derive(({ pet }) => ({ fee: pet === 'no' ? 0 : 5 })),
  }, ({ row, check, log }, { office }) => {
    if (row.pet === 'dog' && row.hull === 'tri') throw new Error('excluded');
    if (row.fee !== (row.pet === 'no' ? 0 : 5)) throw new Error('a derived column that is wrong');
    check.equal(office.price(row), 1);
  }),
  test('moors {hull} with {lines} lines', { cases: matrix({ hull: ['mono', 'cat'], lines: [2, 3, 4, 6, 8], wind: ['calm', 'breeze', 'gale'] }) }, ({ row }) => {
    if (row.wind === 'gale' && row.lines < 6) process.exit(3);
  }),
  test('is fine', { cases: matrix({ a: [1, 2], b: [1, 2] }) }, ({ check }) => check.holds(true)),
]);`;

const project = fixture('project', {
  needs: { folder: tempDirectory() },
  async setup(_, { folder }) {
    await makeProject(folder);
    await writeFile(join(folder, 'a.lattice.mjs'), berths);
    return folder;
  },
});
const inProject = testWith({ project });

interface Narrowed {
  readonly tests: readonly {
    readonly id: string;
    readonly causes: readonly { readonly conditions: readonly unknown[]; readonly failed: number; readonly passed: number; readonly proven: boolean }[];
    readonly unexplained: readonly { readonly id: string; readonly reason: string }[];
    readonly extraCases: number;
  }[];
}

export const narrowing = suite('narrow', { timeout: 60_000 }, [
  inProject('names the values that make tests fail, and leaves no record', async ({ check }, { project }) => {
    const { status, out } = await runCommand(['narrow', '--lanes', '2'], project);
    check.equal(status, 0);
    check.matches(out, /^✗ dues › price for \{hull\} in \{season\}\n {2}\d+ of \d+ cases failed {2}a\.lattice\.mjs:5$/m);
    check.matches(out, /^ {2}cause {2}season=winter & hull=cat {2}(\d+) of \1 fail; passes when either changes, (\d+) of \2; \d+ extra cases, [\d.]+ m?s$/m);
    check.includes(out, '    rerun: npx red-lattice run a.lattice.mjs:5 --row season=winter --row hull=cat\n');
    // A case that ends its process fails like any other.
    check.matches(out, /^ {2}cause {2}lines<=4 & wind=gale {2}/m);
    check.matches(out, /\n\d+ cases and \d+ extra in [\d.]{1,5} m?s\n2 of 2 failing tests explained\n$/);
    check.equal(
      (await readdir(join(project, '.red-lattice'))).filter((name) => name.startsWith('narrow')),
      [],
    );
  }),

  inProject('writes causes as JSON, and the rows that it tried as a data file', async ({ check }, { project }) => {
    const { status, out } = await runCommand(['narrow', '--title', 'price', '--format', 'json', '--export', 'tried.csv'], project);
    check.equal(status, 0);
    const { tests } = JSON.parse(out) as Narrowed;
    const [price] = tests;
    check.equal([tests.length, price?.id, price?.unexplained], [1, 'a.lattice.mjs#dues/price-for-hull-in-season', []]);
    check.equal(
      price?.causes.map(({ conditions, proven }) => ({ conditions, proven })),
      [
        {
          conditions: [
            { column: 'season', operator: '=', value: 'winter' },
            { column: 'hull', operator: '=', value: 'cat' },
          ],
          proven: true,
        },
      ],
    );
    const [head, ...rows] = (await readFile(join(project, 'tried.csv'), 'utf8')).trimEnd().split('\n');
    check.equal([head, rows.length], ['season,hull,crew,pet,fee,failed', tests[0]?.extraCases]);
    for (const row of rows) check.holds(row.endsWith(String(row.startsWith('winter,cat,'))));
  }),

  inProject('explains only the selected rows, using the others', async ({ check }, { project }) => {
    await writeFile(
      join(project, 'b.lattice.mjs'),
      `import { table, test } from 'red-lattice';
       export const rates = test('rates', { cases: table(['hull', 'zone'], [['mono', 'N'], ['cat', 'N'], ['tri', 'S'], ['cat', 'S'], ['mono', 'W'], ['tri', 'W']]) }, ({ row, check }) => {
         check.holds(row.hull !== 'cat' && row.zone !== 'W');
       });`,
    );
    const { status, out } = await runCommand(['narrow', 'b.lattice.mjs', '--row', 'hull=cat', '--row', 'zone=N', '--format', 'json'], project);
    const [rates] = (JSON.parse(out) as Narrowed).tests;
    check.equal(status, 0);
    check.equal(
      rates?.causes.map(({ conditions }) => conditions),
      [[{ column: 'hull', operator: '=', value: 'cat' }]],
    );
  }),

  inProject('shows on a terminal which combinations are still possible', async ({ check }, { project }) => {
    // Slow enough that each extra case is shown.
    const slow = berths.replace('check, log }, { office }) => {', '$& const until = Date.now() + 120; while (Date.now() < until);');
    await writeFile(join(project, 'a.lattice.mjs'), slow);
    const { out } = await runInTerminal('narrow --title price --lanes 1', project);
    const shown = out.replaceAll(/\u001b\[[\d;]*\w/g, '');
    check.matches(shown, /narrowing dues › price for \{hull\} in \{season\} +\d+ extra cases? /);
    check.matches(shown, / \d+ combinations? possible, likeliest \w/);
  }),

  inProject('hidden values are not printed', async ({ check }, { project }) => {
    await writeFile(join(project, 'red-lattice.config.mjs'), `export default { redact: ['hull'] };`);
    const { output } = await runCommand(['narrow', '--title', 'price', '--budget', '20'], project);
    check.holds(!output.includes('hull=cat'));
  }),

  inProject('varies nested values, also in rows with redacted columns', async ({ check }, { project }) => {
    await writeFile(join(project, 'red-lattice.config.mjs'), `export default { redact: ['hull'] };`);
    await writeFile(
      join(project, 'nested.lattice.mjs'),
      `import { table, test } from 'red-lattice';
const guests = [['mono', 'May', { class: 'A', years: { in: 3 } }], ['cat', 'June', { class: 'B', years: { in: 4 } }], ['tri', 'July', { class: 'C' }], ['mono', 'June', { class: 'D', years: { in: 5 } }]];
export const stays = test('stay {month}', { cases: table(['hull', 'month', 'guest'], guests) }, ({ row, check }) => check.holds(row.guest.class !== 'B'));
export const years = test('years {month}', { cases: table(['hull', 'month', 'guest'], guests) }, ({ row, check }) => check.holds(row.guest.years?.in !== 4));\n`,
    );
    const { out, status } = await runCommand(['narrow', 'nested.lattice.mjs'], project);
    check.equal(
      [...out.matchAll(/^ {2}cause {2}(\S+) {2}/gm)].map(([, cause]) => cause),
      ['guest.class=B', 'guest.years.in=4'],
    );
    check.equal(status, 0, out);
  }),

  inProject(
    '{what}: exit status {status}',
    {
      cases: dataFile('narrow-outcomes.yaml', {
        columns: { what: cell.text, args: cell.text, status: cell.integer, says: cell.text, test: cell.text.optional() },
      }),
    },
    async ({ row, check }, { project }) => {
      if (row.test !== undefined) await writeFile(join(project, 'c.lattice.mjs'), `import { fixture, test, values } from 'red-lattice';\n${row.test}`);
      const { status, output } = await runCommand(['narrow', ...row.args.split(' ')], project);
      check.equal(status, row.status);
      check.includes(output, row.says);
    },
  ),
]);
