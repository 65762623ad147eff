import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { namedRows, testWith } from 'red-lattice';
import { root, runCommand } from '../program.ts';
import { projectOf } from '../project.ts';

const read = (name: string): Promise<string> => readFile(`${root}tests/office/${name}`, 'utf8');
const project = projectOf({ 'office.lattice.ts': await read('office.ts'), 'tides.lattice.ts': await read('tides.ts'), 'stays.csv': await read('stays.csv') });

/** What differs from run to run: times, and the places of the project and of the package. */
const settle = (journal: string, folder: string): string =>
  journal
    .replaceAll(folder, '<folder>')
    .replaceAll(root, '<package>/')
    .replace(/"(start|milliseconds|setup|body|teardown|at)":[\d.]+/g, '"$1":0')
    .replace(/^(\+\d+ \d+ \d+)(?: \d+){4}/gm, '$1 0 0 0 0')
    .replace(/^=\d+ \d+/gm, '=0 0');

/** Without repeated announcements of a setup: they are made if the setups before took long. */
function withoutRepeats(journal: string): string {
  let announced: string | undefined;
  const lines = journal.split('\n').filter((line) => {
    if (line === announced) return false;
    if (!line.startsWith('{"type":"span"')) announced = line.startsWith('{"type":"activity","activity":{"kind":"setup"') ? line : undefined;
    return true;
  });
  return lines.join('\n');
}

/** A lane that crashes leaves a journal, and so do those that replace it. */
export const written = testWith({ project })(
  'a run with {what} writes these journals',
  {
    timeout: 60_000,
    cases: namedRows({
      lane: { what: 'one lane', args: ['--lanes', '1'] },
      process: { what: 'no lane', args: ['--lanes', '0', 'office.lattice.ts', '--stop-after', '9'] },
    }),
  },
  async ({ row, check }, { project }) => {
    await runCommand(['run', '--seed', '1', '--record', 'record', '--title', 'the office', '--title', 'quay', '--title', 'tides', ...row.args], project, {
      OFFICE: 'draft',
    });
    const names = (await readdir(join(project, 'record'))).filter((name) => name.endsWith('.journal')).sort();
    const journals: string[] = [];
    for (const name of names) journals.push(`${name}\n${withoutRepeats(settle(await readFile(join(project, 'record', name), 'utf8'), project))}`);
    await check.file(`written/${row.what.replace(' ', '-')}.txt`, journals.join('\n'));
  },
);
