import { mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { suite, table, testWith, values } from 'red-lattice';
import { runCommand, startCommand } from '../program.ts';
import { isAlive, projectOf } from '../project.ts';

const nights = `import { cell, dataFile, test } from 'red-lattice';
import { most } from './most.ts';
export const stays = test('{nights} nights', { cases: dataFile('stays.csv', { columns: { nights: cell.integer } }) }, ({ row, check, attach }) => {
  attach('row.txt', String(row.nights));
  check.holds(row.nights <= most);
});
`;

const project = projectOf({
  'nights.lattice.ts': nights,
  'most.ts': 'export const most = 18;\n',
  'stays.csv': `nights\n${Array.from({ length: 20 }, (_, i) => `${i + 1}\n`).join('')}`,
  'other.lattice.ts': "import { test } from 'red-lattice';\nexport const other = test('other', ({ check }) => check.holds(true));\n",
});
const inProject = testWith({ project });

/** A result of a JSON report. */
interface Attached {
  readonly row: { readonly nights?: number };
  readonly attachments: readonly { readonly file: string }[];
}

const last = (output: string): string | undefined => output.trimEnd().split('\n').at(-1);

export const again = suite('running again', { timeout: 60_000 }, [
  inProject('the latest twenty records are kept, and the record of a run in progress, and everything that is not a record', async ({ check }, { project }) => {
    const runs = join(project, '.red-lattice', 'runs');
    const names = Array.from({ length: 24 }, (_, i) => `20310401-0000${i + 10}-1`);
    const info = { kind: 'red-lattice run record' };
    for (const name of [...names, '0-notes']) await mkdir(join(runs, name), { recursive: true });
    for (const name of names) await writeFile(join(runs, name, 'run.json'), JSON.stringify(info));
    await writeFile(join(runs, names[0] as string, 'lock.json'), JSON.stringify({ process: process.pid }));
    await writeFile(join(runs, names[1] as string, 'lock.json'), JSON.stringify({ process: process.pid, started: 'at another time' }));
    await runCommand(['run', 'other.lattice.ts'], project);
    const left = await readdir(runs);
    check.equal(
      ['0-notes', ...names].filter((name) => !left.includes(name)),
      names.slice(1, 5),
    );
  }),

  inProject('--failed selects cases that failed when they last ran', async ({ check }, { project }) => {
    check.equal(last((await runCommand(['run'], project)).out), '19 passed, 2 failed');
    check.includes((await runCommand(['plan', '--failed'], project)).output, '2 cases in 1 test, 1 file');
    // A run of other files in between changes nothing.
    await runCommand(['run', 'other.lattice.ts'], project);
    check.equal(last((await runCommand(['run', '--failed'], project)).out), '0 passed, 2 failed');
    await writeFile(join(project, 'most.ts'), 'export const most = 19;\n');
    check.equal(last((await runCommand(['run', '--failed'], project)).out), '1 passed, 1 failed');
    check.equal(last((await runCommand(['run', '--failed'], project)).out), '0 passed, 1 failed');
    await writeFile(join(project, 'most.ts'), 'export const most = 20;\n');
    await runCommand(['run', '--failed'], project);
    check.equal((await runCommand(['run', '--failed'], project)).status, 3, 'nothing is left');
  }),

  inProject('--stop-after starts no further cases', async ({ check }, { project }) => {
    await writeFile(join(project, 'most.ts'), 'export const most = 0;\n');
    const { status, out } = await runCommand(['run', '--stop-after', '1', '--lanes', '1'], project);
    check.equal(status, 1);
    check.equal(last(out), '0 passed, 1 failed');
  }),

  inProject(
    'cases left out by --stop-after are counted, and --resume runs them: {lanes} lanes',
    {
      cases: values('lanes', ['0', '1', '2']),
    },
    async ({ row, check }, { project }) => {
      await writeFile(join(project, 'most.ts'), 'export const most = 0;\n');
      const { out } = await runCommand(['run', '--stop-after', '3', '--lanes', row.lanes], project);
      const [passed = 0, failed = 0] = last(out)?.match(/\d+/g)?.map(Number) ?? [];
      const notice = `? ${21 - passed - failed} not run: the run stopped after ${failed} failed`;
      check.holds(failed >= 3 && passed + failed < 21, last(out));
      check.includes(out, `${notice}; --resume continues`);
      for (const command of [['report'], ['report', '--format', 'markdown'], ['compare', 'latest', 'latest']])
        check.includes((await runCommand(command, project)).out, notice.slice(2), command.join(' '));
      const { run } = JSON.parse((await runCommand(['report', '--format', 'json'], project)).out) as { run: { counts: Record<string, number> } };
      check.equal(run.counts['not-run'], 21 - passed - failed);
      const again = await runCommand(['run', '--resume', '--stop-after', '2', '--lanes', '1'], project);
      check.includes(again.out, `the run stopped after 2 failed`);
      const { out: resumed } = await runCommand(['run', '--resume'], project);
      check.equal([last(resumed), resumed.includes('not run')], ['1 passed, 20 failed', false]);
      check.holds(!(await runCommand(['report'], project)).out.includes('not run'), 'nothing is left');
    },
  ),

  inProject(
    'of {what}, not all cases that did not run are counted',
    {
      cases: table(
        ['what', 'body', 'problem'],
        [
          [
            'rows without an end',
            '{ cases: rows(function* () { for (let n = 0; ; n++) yield { n }; }) }, ({ check }) => check.holds(false)',
            '? 100,000 and more not run: the run stopped after 1 failed',
          ],
          ['a lane that is gone', '{ timeout: 100 }, () => { for (;;); }', '? the rest not run: the run stopped after 1 failed'],
        ],
      ),
    },
    async ({ row, check }, { project }) => {
      await writeFile(join(project, 'left.lattice.ts'), `import { rows, test } from 'red-lattice';\nexport const t = test('t', ${row.body});\n`);
      check.includes((await runCommand(['run', 'left.lattice.ts', '--stop-after', '1', '--lanes', '1'], project)).out, row.problem);
    },
  ),

  inProject('an interrupted run of some files is resumed with these files', { timeout: 30_000 }, async ({ check, eventually }, { project }) => {
    const slow = (name: string): string =>
      `import { range, test } from 'red-lattice';\nexport { others } from './others.ts';\nexport const t = test('${name} {n}', { cases: range('n', 1, 30) }, async ({ check }) => { await new Promise((done) => setTimeout(done, 30)); check.holds(true); });\n`;
    const none = 'export const others = [];\n';
    await writeFile(join(project, 'others.ts'), none);
    for (const name of ['slow', 'slower']) await writeFile(join(project, `${name}.lattice.ts`), slow(name));
    const child = startCommand(['run', 'slow.lattice.ts', 'slower.lattice.ts', '--lanes', '2', '--record', 'ended'], project);
    let out = '';
    child.stdout?.on('data', (text) => {
      out += text;
    });
    const journal = (): Promise<string> => readFile(join(project, 'ended', 'lane-0.journal'), 'utf8').catch(() => '');
    await eventually(async () => (await journal()).split('\n+').length > 3, { within: 10_000 });
    child.kill('SIGINT');
    check.equal(await new Promise((resolve) => child.on('close', resolve)), 130);
    check.includes(out, `? ${60 - Number(last(out)?.split(' ')[0])} not run: the run was interrupted; --resume continues`);
    // What the files import can change which tests there are, and what they do.
    await writeFile(join(project, 'others.ts'), "import { test } from 'red-lattice';\nexport const others = [test('other', () => {})];\n");
    const other = await runCommand(['run', '--resume', '--record', 'ended'], project);
    check.equal([other.status, other.output.includes('cannot be resumed: others.ts changed since')], [2, true]);
    await writeFile(join(project, 'others.ts'), none);
    const { status, out: resumed } = await runCommand(['run', '--resume', '--record', 'ended'], project);
    check.equal([status, last(resumed)], [0, '60 passed, 0 failed']);
  }),

  inProject('a file that does not load is reported once, even if all lanes start at once', { timeout: 30_000 }, async ({ check }, { project }) => {
    await writeFile(join(project, 'broken.lattice.ts'), "throw new Error('broken at its top');\n");
    await writeFile(
      join(project, 'slow.lattice.ts'),
      "import { range, test } from 'red-lattice';\nexport const slow = test('slow', { cases: range('n', 1, 4) }, async ({ check }) => { await new Promise((done) => setTimeout(done, 250)); check.holds(true); });\n",
    );
    // The second run knows that the first took long.
    for (const time of ['first', 'second']) {
      const { status, output } = await runCommand(['run', 'broken.lattice.ts', 'slow.lattice.ts', '--lanes', '2'], project);
      check.equal([status, output.split('cannot load').length - 1], [2, 1], time);
    }
  }),

  inProject('a case that an interruption cut short has no result, and runs again with --resume', async ({ check, eventually }, { project }) => {
    await writeFile(
      join(project, 'long.lattice.ts'),
      `import { existsSync } from 'node:fs';
import { test } from 'red-lattice';
export const first = test('first', ({ check }) => check.holds(true));
export const long = test('long', { timeout: 60_000 }, ({ signal, check }) => existsSync('open') ? check.holds(true)
  : new Promise((_, reject) => signal.addEventListener('abort', () => reject(signal.reason))));\n`,
    );
    const child = startCommand(['run', 'long.lattice.ts', '--record', 'ended'], project);
    let out = '';
    child.stdout?.on('data', (text) => {
      out += text;
    });
    const journal = (): Promise<string> => readFile(join(project, 'ended', 'lane-0.journal'), 'utf8').catch(() => '');
    await eventually(async () => (await journal()).includes('"body","name":"long.lattice.ts#long"'), { within: 10_000 });
    child.kill('SIGINT');
    check.equal(await new Promise((resolve) => child.on('close', resolve)), 130);
    check.includes(out, '? 1 not run: the run was interrupted; --resume continues');
    check.equal(last(out), '1 passed, 0 failed');
    await writeFile(join(project, 'open'), '');
    const resumed = await runCommand(['run', 'long.lattice.ts', '--resume', '--record', 'ended'], project);
    check.equal([resumed.status, last(resumed.out)], [0, '2 passed, 0 failed']);
  }),

  inProject('--stop-after counts the failures of each part of a run that is resumed', async ({ check }, { project }) => {
    await writeFile(
      join(project, 'leaky.lattice.ts'),
      "import { range, test } from 'red-lattice';\nexport const leaky = test('{n}', { cases: range('n', 1, 9) }, ({ check }) => check.fail('leaks'));\n",
    );
    const stop = ['run', 'leaky.lattice.ts', '--stop-after', '2', '--record', 'parts'];
    check.equal(last((await runCommand(stop, project)).out), '0 passed, 2 failed');
    const { out } = await runCommand([...stop, '--resume'], project);
    check.includes(out, '? 5 not run: the run stopped after 2 failed');
    check.equal(last(out), '0 passed, 4 failed');
  }),

  inProject('an override that had an effect before a run was resumed is not reported', async ({ check }, { project }) => {
    await writeFile(
      join(project, 'desk.lattice.ts'),
      `import { fixture, suite, test } from 'red-lattice';
const pen = fixture('pen', { setup: () => 'blue' });
export const desk = suite('desk', { overrides: [pen.replaceWith(() => 'red')] }, [
  test('writes', { needs: { pen } }, ({ check }, { pen }) => check.equal(pen, 'blue')),
  test('reads', ({ check }) => check.holds(true)),
]);\n`,
    );
    await runCommand(['run', 'desk.lattice.ts', '--stop-after', '1', '--record', 'desk'], project);
    const { out } = await runCommand(['run', 'desk.lattice.ts', '--record', 'desk', '--resume'], project);
    check.equal([last(out), out.includes('without effect')], ['1 passed, 1 failed', false]);
  }),

  inProject('no lane is left when the command is killed, even if its thread is blocked', async ({ check, eventually, defer }, { project }) => {
    await writeFile(
      join(project, 'block.lattice.ts'),
      "import { writeFileSync } from 'node:fs';\nimport { test } from 'red-lattice';\nexport const block = test('block', () => { writeFileSync('pid', String(process.pid)); for (;;) Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 1000); });\n",
    );
    const child = startCommand(['run', 'block.lattice.ts'], project, { stdio: 'ignore' });
    const pid = Number(await eventually(() => readFile(join(project, 'pid'), 'utf8').catch(() => ''), { within: 10_000 }));
    defer(() => isAlive(pid) && process.kill(pid, 'SIGKILL'));
    check.holds(isAlive(pid), 'it runs');
    child.kill('SIGKILL');
    // It could have something to tear down, and is not killed immediately.
    await eventually(() => !isAlive(pid), { within: 15_000 });
  }),

  inProject('--failed works after the record has been removed', async ({ check }, { project }) => {
    const runs = join(project, '.red-lattice', 'runs');
    check.equal(last((await runCommand(['run'], project)).out), '19 passed, 2 failed');
    const [first = ''] = await readdir(runs);
    check.equal(last((await runCommand(['report', first], project)).out), '19 passed, 2 failed', 'a record by its name');
    check.includes((await runCommand(['report', `tests/${first}`], project)).output, 'is not a run record');
    await rm(runs, { recursive: true });
    check.equal(last((await runCommand(['run', '--failed'], project)).out), '0 passed, 2 failed');
    // A test that no longer exists is forgotten by the next run of everything, and by no other.
    const remembered = async (): Promise<number> =>
      (JSON.parse(await readFile(join(project, '.red-lattice', 'failed.json'), 'utf8')) as { ids: string[] }).ids.length;
    await rm(join(project, 'nights.lattice.ts'));
    await runCommand(['run', '--title', 'other'], project);
    check.equal(await remembered(), 2);
    await runCommand(['run'], project);
    check.equal(await remembered(), 0);
  }),

  inProject('a run whose data file outside of the project has changed cannot be resumed', async ({ check }, { project }) => {
    const office = join(project, 'office');
    await mkdir(office);
    await writeFile(join(office, 'package.json'), '{ "type": "module" }');
    await writeFile(join(office, 'nights.lattice.ts'), nights.replace("'./most.ts'", "'../most.ts'").replace("'stays.csv'", "'../stays.csv'"));
    await writeFile(join(project, 'most.ts'), 'export const most = 0;\n');
    await runCommand(['run', '--stop-after', '3'], office);
    check.equal(last((await runCommand(['run', '--resume', '--stop-after', '1'], office)).out)?.includes('failed'), true, 'nothing has changed yet');
    await writeFile(join(project, 'stays.csv'), 'nights\n1\n');
    const { status, output } = await runCommand(['run', '--resume'], office);
    check.equal(status, 2);
    check.matches(output, /cannot be resumed: \S*stays\.csv changed since/);
  }),

  inProject('a page has the history of earlier runs, newest first, and passed cases are compact lines', async ({ check }, { project }) => {
    const runs = join(project, '.red-lattice', 'runs');
    for (const most of [20, 18, 19]) {
      await writeFile(join(project, 'most.ts'), `export const most = ${most};\n`);
      await runCommand(['run', '--lanes', '1'], project);
    }
    const names = (await readdir(runs)).sort();
    const { out } = await runCommand(['report', '--format', 'html'], project);
    const [, history = '[]'] = /"history":(\[.*?\])[,}]/.exec(out.slice(out.indexOf('"format":"red-lattice page"'))) ?? [];
    check.equal(
      [...history.matchAll(/"name":"([\d-]+)"/g)].map(([, name]) => name),
      names.slice(0, 2).reverse(),
    );
    const journal = await readFile(join(runs, names[0] as string, 'lane-0.journal'), 'utf8');
    // Results with an attachment are complete.
    check.equal(journal.match(/"type":"ended"/g)?.length, 20, 'a passed case with nothing else to say is a compact line');
  }),

  inProject('a finished run cannot be resumed', async ({ check }, { project }) => {
    await runCommand(['run'], project);
    const { status, output } = await runCommand(['run', '--resume'], project);
    check.equal([status, output.includes('the last run is complete')], [2, true]);
  }),

  inProject('shards are disjoint and complete, and merge into one record', async ({ check, step }, { project }) => {
    for (const shard of ['1', '2', '3']) await runCommand(['run', '--shard', `${shard}/3`, '--record', `shard-${shard}`], project);
    await step('all of them', async ({ check }) => {
      const { status, out } = await runCommand(['merge', 'shard-1', 'shard-2', 'shard-3', '-o', 'whole'], project);
      check.equal([status, last(out)], [1, '19 passed, 2 failed']);
      check.includes(out, '\n  rerun: npx red-lattice run nights.lattice.ts:3 --row nights=19\n');
      const read = async (record: string) =>
        JSON.parse(await readFile(join(project, record, 'run.json'), 'utf8')) as { counts: { passed: number }; lanes: number };
      const [whole, ...shards] = await Promise.all(['whole', 'shard-1', 'shard-2', 'shard-3'].map(read));
      check.equal([whole?.counts.passed, whole?.lanes], [19, shards.reduce((sum, { lanes }) => sum + lanes, 0)]);
      const { results } = JSON.parse((await runCommand(['report', 'whole', '--format', 'json'], project)).out) as { results: readonly Attached[] };
      const attached = results.filter(({ attachments }) => attachments.length === 1);
      check.equal(attached.length, 20);
      for (const { row, attachments } of attached)
        check.equal(await readFile(join(project, 'whole', 'attachments', attachments[0]?.file ?? ''), 'utf8'), String(row.nights));
    });
    await step('one that is missing is named', async ({ check }) => {
      const { status, out } = await runCommand(['merge', 'shard-1', 'shard-3', '-o', 'part'], project);
      check.equal(status, 2);
      check.includes(out, 'shard 2/3 is missing');
    });
    await step('dealt by the times of a record, they are all, too', async ({ check }) => {
      const ids = async (shard: string): Promise<string[]> => {
        const { out } = await runCommand(['plan', '--shard', shard, '--balance-by', 'whole', '--format', 'json'], project);
        return (JSON.parse(out) as { cases: { id: string }[] }).cases.map(({ id }) => id);
      };
      const parts = await Promise.all(['1/4', '2/4', '3/4', '4/4'].map(ids));
      check.equal(new Set(parts.flat()).size, 21);
      check.equal(parts.flat().length, 21);
      check.equal(await ids('2/4'), parts[1] ?? [], 'the same again');
    });
    await step('one that is given twice', async ({ check }) => {
      check.includes((await runCommand(['merge', 'shard-1', 'shard-1'], project)).output, 'shard 1/3 was given twice');
    });
    await step('one of another state of a test file', async ({ check }) => {
      const [file] = (await readdir(project)).filter((name) => name.endsWith('.lattice.ts'));
      const text = await readFile(join(project, file as string), 'utf8');
      await writeFile(join(project, file as string), `${text}// Another state.\n`);
      await runCommand(['run', '--shard', '2/3', '--record', 'changed'], project);
      await writeFile(join(project, file as string), text);
      const { status, output } = await runCommand(['merge', 'shard-1', 'changed', 'shard-3'], project);
      check.equal(status, 2);
      check.includes(output, `changed ran another state of ${file} than shard-1`);
    });
    await step('one of another plan', async ({ check }) => {
      await writeFile(
        join(project, 'more.lattice.ts'),
        "import { test } from 'red-lattice';\nexport const more = test('more', ({ check }) => check.holds(true));\n",
      );
      await runCommand(['run', '--shard', '2/3', '--record', 'later'], project);
      check.includes((await runCommand(['merge', 'shard-1', 'later'], project)).output, 'later has another plan than shard-1');
    });
    check.includes((await runCommand(['merge', 'nowhere'], project)).output, 'nowhere is not a run record');
  }),

  inProject('--watch of a line still runs that line after a change of the configuration', async ({ check, eventually, defer }, { project }) => {
    const both = ['one', 'two'].map((name) => `export const ${name} = test('${name}', ({ check }) => check.holds(true));\n`).join('');
    await writeFile(join(project, 'both.lattice.ts'), `import { test } from 'red-lattice';\n${both}`);
    const child = startCommand(['run', '--watch', 'both.lattice.ts:2'], project);
    defer(() => child.kill('SIGKILL'));
    let out = '';
    child.stdout?.on('data', (text) => {
      out += text;
    });
    const runs = (): string[] => out.match(/^\d+ passed, \d+ failed$/gm) ?? [];
    await eventually(() => runs().length === 1 && /files$/.test(out.trimEnd()), { within: 15_000 });
    await writeFile(join(project, 'red-lattice.config.ts'), 'export default {};\n');
    await eventually(() => runs().length > 1, { within: 15_000 });
    check.equal([...new Set(runs())], ['1 passed, 0 failed']);
  }),

  inProject(
    '--watch runs what a change reaches, through imports, CommonJS, data files, folder options and settings',
    { timeout: 60_000 },
    async ({ check, eventually, defer }, { project }) => {
      const put = (name: string, text: string): Promise<void> => writeFile(join(project, name), text);
      await put('rates.cjs', "exports.rate = require('./deep.cjs').rate;\n");
      await put('deep.cjs', "exports.rate = require('./deepest.cjs').rate;\n");
      await put('deepest.cjs', 'exports.rate = 20;\n');
      await put(
        'common.lattice.ts',
        "import { test } from 'red-lattice';\nimport rates from './rates.cjs';\nexport const rate = test('rate', ({ check }) => check.equal(rates.rate, 20));\n",
      );
      const child = startCommand(['run', '--watch', '--title', 'nights', '--title', 'rate'], project);
      defer(() => child.kill('SIGKILL'));
      let out = '';
      child.stdout?.on('data', (text) => {
        out += text;
      });
      const lines = (): string[] => out.split('\n').filter((line) => / passed, .* failed/.test(line));
      /** Makes a change and waits for the run that it causes. A file system can report one change twice, which causes a second run. */
      const leads = async (change: () => Promise<unknown>, wanted: string, note?: string): Promise<void> => {
        const count = lines().length;
        await change();
        const hasRun = (): boolean => lines().length > count && /(?:files|configuration)$/.test(out.trimEnd());
        await eventually(() => hasRun() && lines().at(-1) === wanted, { within: 15_000 });
        check.equal(lines().at(-1), wanted, note);
      };
      await leads(async () => {}, '19 passed, 2 failed');
      await leads(() => put('most.ts', 'export const most = 20;\n'), '20 passed, 0 failed', 'an imported source');
      await leads(() => put('stays.csv', 'nights\n1\n30\n'), '1 passed, 1 failed', 'a data file');
      await leads(() => put('deepest.cjs', 'exports.rate = 21;\n'), '0 passed, 1 failed', 'a required source');
      await put('words.ts', 'export const words = 1;\n');
      const folderOptions = (skip: string): string =>
        `import { folder } from 'red-lattice';\nimport './words.ts';\nexport default folder({ tags: ['${skip}'] });\n`;
      const whole = '1 passed, 2 failed';
      await leads(() => put('folder.lattice.ts', folderOptions('one')), whole, 'folder options that are added');
      await leads(() => put('folder.lattice.ts', folderOptions('two')), whole, 'folder options that change');
      await leads(() => put('words.ts', 'export const words = 2;\n'), whole, 'what folder options import');
      await leads(() => rm(join(project, 'folder.lattice.ts')), whole, 'folder options that are removed');
      await leads(() => put('red-lattice.config.ts', "export default { files: ['common.*'] };\n"), '0 passed, 1 failed', 'a configuration');
      await put('red-lattice.config.ts', 'export default { filez: [] };\n');
      await eventually(() => out.includes('waiting for a change of the configuration'), { within: 15_000 });
      await leads(() => put('red-lattice.config.ts', 'export default {};\n'), whole, 'a configuration that is valid again');
      child.kill('SIGINT');
      const status = await new Promise((resolve) => child.on('close', resolve));
      check.equal(status, 130);
    },
  ),
]);
