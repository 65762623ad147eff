import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { test, values } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { runCommand } from '../program.ts';
import { makeProject } from '../project.ts';

const text = `import { stdout } from 'node:process';
import { test } from 'red-lattice';
const early = process.stderr;
export const one = test('writes', ({ check, log }) => {
  console.log('console');
  process.stdout.write('stream\\n');
  stdout.write('by name\\n');
  early.write('kept from before\\n');
  log('log');
  check.fail('to be reported');
});
`;

export const output = test(
  'output of a case is recorded with it, however it is written: {lanes} lanes',
  {
    needs: { folder: tempDirectory() },
    cases: values('lanes', [0, 1]),
    timeout: 60_000,
  },
  async ({ row, check }, { folder }) => {
    await makeProject(folder);
    await writeFile(join(folder, 'writes.lattice.mjs'), text);
    const { status, out } = await runCommand(['run', '--lanes', String(row.lanes), '--format', 'json'], folder);
    const { results } = JSON.parse(out) as { results: { output: string[] }[] };
    check.equal([status, results[0]?.output.join('')], [1, 'console\nstream\nby name\nkept from before\nlog\n']);
  },
);

const stream = `import { range, test } from 'red-lattice';
export const many = test('many', { cases: range('n', 1, 3000) }, ({ check }) => check.holds(true));
`;

export const counted = test(
  'the line of a test counts all its cases, also in a stream: {lanes} lanes',
  {
    needs: { folder: tempDirectory() },
    cases: values('lanes', [0, 1]),
    timeout: 60_000,
  },
  async ({ row, check }, { folder }) => {
    await makeProject(folder, { 'a.lattice.mjs': stream });
    const { out } = await runCommand(['run', '--lanes', String(row.lanes)], folder);
    check.matches(out, /^ {2}▪ many {2}3,000 passed/m);
  },
);
