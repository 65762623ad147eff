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

/** Some cases near the end take longer than the interval at which results of a stream are reported, so that few of them wait at the end. */
const stream = `import { range, test } from 'red-lattice';
const takes = (milliseconds) => { for (const end = performance.now() + milliseconds; performance.now() < end; ); };
const [one, two, three, four, five, six] = [1, 1, 1, 1, 2, 3].map((fromEnd, i) =>
  test('many ' + i, { cases: range('n', 1, 3000) }, ({ row, check }) => { if (row.n === 3000 - fromEnd) takes(1.5); check.holds(true); }));
export { one, two, three, four, five, six };
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
    for (let i = 0; i < 6; i++) check.includes(out, `\n  ▪ many ${i}  3,000 passed`);
  },
);

const details = `import { fixture, suite, table, test } from 'red-lattice';
const quay = fixture('quay', { settings: { berth: 'N4' }, setup: ({ settings }) => settings });
export const all = suite('a case', [
  test('logs', ({ check, log }) => { log('one'); check.holds(true); }),
  test('attaches', ({ check, attach }) => { attach('a.txt', 'one'); check.holds(true); }),
  test('has a step', ({ check, step }) => { step('one', () => {}); check.holds(true); }),
  test('skips', ({ check, skip }) => { check.holds(true); skip('no tide'); }),
  test('has a lock', { locks: ['crane'] }, ({ check }) => check.holds(true)),
  test('passes', ({ check }) => check.holds(true)),
  test('at {berth}', { needs: { quay }, cases: table(['berth'], [['S1'], ['S2']]), overrides: (row) => [quay.with(row)] }, ({ check, log, row }) => { log('one'); check.holds(row.berth === 'S2'); }),
  test('at N4', { needs: { quay } }, ({ check }) => check.fail('taken')),
]);
`;

interface Detailed {
  readonly title: string;
  readonly status: string;
  readonly attempts: number;
  readonly output: readonly unknown[];
  readonly attachments: readonly unknown[];
  readonly steps: readonly unknown[];
  readonly reason?: string;
  readonly fixtures?: readonly { readonly settings: readonly { readonly value: string }[] }[];
}

export const recorded = test(
  'everything that a case leaves is recorded, and nothing else: {lanes} lanes',
  { needs: { folder: tempDirectory() }, cases: values('lanes', [0, 2]), timeout: 60_000 },
  async ({ row, check }, { folder }) => {
    await makeProject(folder, { 'a.lattice.mjs': details, 'b.lattice.mjs': details.replaceAll('all =', 'other =') });
    const { out } = await runCommand(['run', '--lanes', String(row.lanes), '--format', 'json'], folder);
    const { results } = JSON.parse(out) as { results: readonly Detailed[] };
    const lines = results.map(({ title, status, attempts, output, attachments, steps, reason = '', fixtures }) =>
      [title.replace('a case › ', ''), status, attempts, output.length, attachments.length, steps.length, reason, fixtures?.[0]?.settings[0]?.value].join(),
    );
    check.equal(
      lines.sort(),
      [
        'at N4,failed,1,0,0,0,,',
        'at S1,failed,1,1,0,0,,S1',
        'at S2,passed,1,1,0,0,,',
        'attaches,passed,1,0,1,0,,',
        'has a lock,passed,1,0,0,0,,',
        'has a step,passed,1,0,0,1,,',
        'logs,passed,1,1,0,0,,',
        'passes,passed,1,0,0,0,,',
        'skips,skipped,1,0,0,0,no tide,',
      ].flatMap((line) => [line, line]),
    );
  },
);
