import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { cell, dataFile, testWith } from 'red-lattice';
import { runCommand } from '../program.ts';
import { projectOf } from '../project.ts';

const files = {
  'a.lattice.mjs': `import { range, test } from 'red-lattice';
export const waits = test('waits', { tags: ['slow'] }, async ({ check }) => { await new Promise((done) => setTimeout(done, 60)); check.holds(true); });
export const berths = test('berth {n}', { cases: range('n', 1, 2) }, ({ check }) => check.holds(true));
export const always = test('always', ({ check }) => check.holds(true));\n`,
  'dues/dues.lattice.mjs': `import { cell, dataFile, test } from 'red-lattice';
import { rate } from './rate.mjs';
export const dues = test('{loa} m', { cases: dataFile('dues.csv', { columns: { loa: cell.number, due: cell.number } }) }, ({ row, check }) => void check.columns({ due: row.loa * rate }));\n`,
  'dues/rate.mjs': 'export const rate = 2;\n',
  'dues/dues.csv': 'loa,due\n6,12\n8,15\n',
};

interface Step {
  /** The arguments of the command. */
  readonly run: string;
  /** Default: 0. */
  readonly status?: number;
  /** Parts of the output, in this order. */
  readonly says?: readonly string[];
  readonly omits?: readonly string[];
  readonly env?: Readonly<Record<string, string>>;
  /** Files that are written before, by their paths. */
  readonly write?: Readonly<Record<string, string>>;
}

export const sessions = testWith({ project: projectOf(files) })(
  'commands after each other',
  { timeout: 60_000, cases: dataFile('sessions.yaml', { columns: { what: cell.text, steps: cell.json } }).nameBy(({ what }) => what) },
  async ({ row, check, step, attach }, { project }) => {
    for (const { run, status = 0, says = [], omits = [], env, write = {} } of row.steps as readonly Step[]) {
      for (const [name, text] of Object.entries(write)) await writeFile(join(project, name), text);
      await step(run, async ({ check }) => {
        const found = await runCommand(run.split(' '), project, env);
        attach('output.txt', found.output);
        check.equal(found.status, status);
        let at = 0;
        for (const text of says) {
          const next = found.output.indexOf(text, at);
          check.holds(next >= 0, text);
          at = Math.max(at, next);
        }
        check.equal(
          omits.filter((text) => found.output.includes(text)),
          [],
        );
      });
    }
    check.holds((row.steps as readonly Step[]).length > 0);
  },
);
