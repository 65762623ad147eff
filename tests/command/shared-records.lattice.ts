import { readdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { suite, testWith } from 'red-lattice';
import { runCommand, startCommand } from '../program.ts';
import { projectOf } from '../project.ts';

const project = projectOf({
  'stays.lattice.ts': `import { appendFileSync } from 'node:fs';
import { dataFile, test } from 'red-lattice';
import { pause } from './pause.ts';
export const stays = test('{nights} nights', { cases: dataFile('stays.csv') }, async ({ row, check }) => {
  appendFileSync('bodies.txt', row.nights + ' ');
  await new Promise((resolve) => setTimeout(resolve, pause));
  check.notEqual(row.nights, '7');
});
`,
  'pause.ts': 'export const pause = 0;\n',
  'stays.csv': `nights\n${Array.from({ length: 20 }, (_, i) => `${i + 1}\n`).join('')}`,
});
const inProject = testWith({ project });

const last = (output: string): string | undefined => output.trimEnd().split('\n').at(-1);

export const records = suite('records that several runs share', { timeout: 60_000 }, [
  inProject('two runs cannot write one record; the lock of a killed run is ignored', async ({ check, eventually }, { project }) => {
    await writeFile(join(project, 'pause.ts'), 'export const pause = 100;\n');
    const child = startCommand(['run', '--lanes', '1'], project, { stdio: 'ignore' });
    await eventually(() => readFile(join(project, 'bodies.txt'), 'utf8').catch(() => ''), { within: 10_000 });
    const alive = await runCommand(['run', '--resume'], project);
    check.equal(alive.status, 2);
    check.includes(alive.output, `cannot be resumed: process ${child.pid} is still running it`);
    child.kill('SIGKILL');
    await new Promise((resolve) => child.on('close', resolve));
    const both = await Promise.all([runCommand(['run', '--resume'], project), runCommand(['run', '--resume'], project)]);
    const [status, other] = both.map((run) => run.status).sort();
    check.equal([status, other], [1, 2], both.map(({ output }) => output).join('\n---\n'));
    check.equal(both.flatMap(({ out }) => last(out) ?? []).filter((line) => line === '19 passed, 1 failed').length, 1);
    const [record = ''] = await readdir(join(project, '.red-lattice', 'runs'));
    const { results } = JSON.parse((await runCommand(['report', join('.red-lattice', 'runs', record), '--format', 'json'], project)).out) as {
      results: { id: string }[];
    };
    check.equal([results.length, new Set(results.map(({ id }) => id)).size], [20, 20]);
    check.equal(
      (await readdir(join(project, '.red-lattice', 'runs', record))).filter((name) => name.startsWith('lock')),
      [],
      'no lock is left',
    );
  }),

  inProject('--resume refuses changed helpers and data files; compare names them', async ({ check }, { project }) => {
    await runCommand(['run', '--stop-after', '1', '--lanes', '1', '--record', 'first'], project);
    const helper = await readFile(join(project, 'pause.ts'), 'utf8');
    await writeFile(join(project, 'pause.ts'), 'export const pause = 1;\n');
    const changed = await runCommand(['run', '--resume', '--record', 'first'], project);
    check.equal([changed.status, changed.output.includes('cannot be resumed: pause.ts changed since')], [2, true]);
    await writeFile(join(project, 'pause.ts'), helper);
    const data = await readFile(join(project, 'stays.csv'), 'utf8');
    await writeFile(join(project, 'stays.csv'), `${data}21\n`);
    check.includes((await runCommand(['run', '--resume', '--record', 'first'], project)).output, 'stays.csv changed since');
    await writeFile(join(project, 'pause.ts'), 'export const pause = 1;\n');
    await runCommand(['run', '--record', 'second'], project);
    const { out } = await runCommand(['compare', 'first', 'second'], project);
    check.includes(out, 'changed between the runs: pause.ts, stays.csv');
    const json = JSON.parse((await runCommand(['compare', 'first', 'second', '--format', 'json'], project)).out) as { changedFiles: string[] };
    check.equal(json.changedFiles, ['pause.ts', 'stays.csv']);
    // The same content again: nothing has changed, whatever the modification time is.
    await writeFile(join(project, 'pause.ts'), helper);
    await writeFile(join(project, 'stays.csv'), data);
    check.equal(last((await runCommand(['run', '--resume', '--record', 'first'], project)).out), '19 passed, 1 failed');
  }),

  inProject('merge refuses shards that can lack cases', async ({ check, step }, { project }) => {
    for (const name of ['long', 'short']) await runCommand(['run', '--record', name, ...(name === 'short' ? ['--row', 'nights=3'] : [])], project);
    for (const [index, name] of ['long', 'short'].entries())
      await runCommand(['run', '--shard', `${index + 1}/2`, '--balance-by', name, '--record', `by-${name}`], project);
    const unlike = await runCommand(['merge', 'by-long', 'by-short'], project);
    check.equal(unlike.status, 2);
    check.includes(unlike.output, 'by-short and by-long were balanced by different records, so cases can be missing');

    for (const shard of [1, 2]) await runCommand(['run', '--shard', `${shard}/2`, '--record', `shard-${shard}`, '--lanes', '1'], project);
    await step('also if a journal is cut', async ({ check }) => {
      const journal = join(project, 'shard-2', 'lane-0.journal');
      const text = await readFile(journal, 'utf8');
      const lines = text.split('\n');
      const cut = lines.findIndex((line) => line.startsWith('+'));
      await writeFile(journal, `${lines.slice(0, cut).join('\n')}\n`);
      const { status, output } = await runCommand(['merge', 'shard-1', 'shard-2'], project);
      check.equal(status, 2);
      check.matches(output, /shard-2 lacks \d+ results? that its run counted/);
      await writeFile(journal, text);
    });
    await step('also if a data file differs', async ({ check }) => {
      const data = await readFile(join(project, 'stays.csv'), 'utf8');
      await writeFile(join(project, 'stays.csv'), data.replace('20', '2000'));
      await runCommand(['run', '--shard', '2/2', '--record', 'other'], project);
      check.includes((await runCommand(['merge', 'shard-1', 'other'], project)).output, 'other ran another state of stays.csv than shard-1');
      await writeFile(join(project, 'stays.csv'), data);
    });
    check.equal(last((await runCommand(['merge', 'shard-1', 'shard-2', '-o', 'whole'], project)).out), '19 passed, 1 failed');
  }),
]);
