import { readFileSync } from 'node:fs';
import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { cell, dataFile, testWith } from 'red-lattice';
import { root, runCommand } from '../../program.ts';
import { projectOf } from '../../project.ts';

const readOffice = (name: string): string => readFileSync(`${root}tests/office/${name}`, 'utf8');
const files = {
  'office.lattice.ts': readOffice('office.ts'),
  'stays.csv': readOffice('stays.csv'),
  'tides.lattice.ts': readOffice('tides.ts'),
  'red-lattice.config.mjs': 'export default { lanes: 1 };\n',
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

/** A command, or `cat` and the path of a file, or files that are written. */
type Step = string | { readonly write: Readonly<Record<string, string | null>> };

/** Texts that differ from run to run, and what stands for them. */
const varying: readonly (readonly [pattern: RegExp, text: string])[] = [
  [/(?<=::error file=)tmp\/red-lattice-\w+/g, '<folder>'],
  [/ *\d+(?:\.\d+)? (?:µs|ms|s)\b/g, ' … ms'],
  [/\d{8}-\d{6}-\d+/g, '<record>'],
  [/\bseed \d+/g, 'seed <n>'],
  [/^\d+\.\d+\.\d+$/gm, '<version>'],
  [/Red Lattice \d\S+ Node v[\d.]+/g, 'Red Lattice <version>, Node <version>'],
  [/("(?:seed|pace|milliseconds|\w*(?:Ms|times?))": )[\d.]+/g, '$1<n>'],
  [/\d{4}-\d\d-\d\d[T ]\d\d:\d\d(?::[\d.]+Z| UTC)/g, '<time>'],
  [/^slow: .*\n/gm, ''],
  [/^(?:- )?the median case took .*\n/gm, ''],
  [/(?<=,)(?:\d+(?:\.\d+)?,){3}(?=\d+,\d+,\d+,)/g, '…,…,…,'],
  [/ *(?:[▒█░─]+ *)+$/gm, ' █'],
];

function settle(text: string, folder: string): string {
  return varying.reduce((settled, [pattern, by]) => settled.replace(pattern, by), text.replaceAll(folder, '<folder>'));
}

/** Plays a step. Returns what a terminal would show of it. */
async function play(step: Step, folder: string): Promise<string> {
  if (typeof step !== 'string') {
    for (const [name, text] of Object.entries(step.write)) {
      await mkdir(dirname(join(folder, name)), { recursive: true });
      await writeFile(join(folder, name), text ?? '');
    }
    return '';
  }
  const words = (step.match(/"[^"]*"|\S+/g) ?? []).map((word) => word.replaceAll('"', ''));
  if (words[0] === 'cat') return `$ ${step}\n${await readFile(join(folder, words[1] ?? ''), 'utf8').catch(() => '(no such file)')}\n`;
  const first = words.findIndex((word) => !/^[A-Z_]+=/.test(word));
  const env = Object.fromEntries(words.slice(0, first).map((word) => [word.slice(0, word.indexOf('=')), word.slice(word.indexOf('=') + 1)]));
  const { status, output } = await runCommand(words.slice(first), folder, env);
  return `$ ${step}\n${output}${status === 0 ? '' : `(exit status ${status})\n`}\n`;
}

/** Commands that follow each other in one project. What they print is in the folder `said`. */
export const testSessions = (file: URL) =>
  testWith({ project: projectOf(files) })(
    'commands of one project: {what}',
    { timeout: 60_000, cases: dataFile(file, { columns: { what: cell.text, steps: cell.json } }) },
    async ({ row, check }, { project }) => {
      let said = '';
      for (const step of row.steps as readonly Step[]) said += settle(await play(step, project), project);
      await check.file(`said/${row.what.replaceAll(/\W+/g, '-')}.txt`, said);
    },
  );
