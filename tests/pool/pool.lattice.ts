import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { namedRows, suite, table, testWith } from 'red-lattice';
import { type PoolAddress, parsePoolAddress } from '../../src/node/pool/address.ts';
import { PoolConnection } from '../../src/node/pool/connection.ts';
import { openPool } from '../../src/node/pool/lane-pool.ts';
import type { Problem } from '../../src/problems/problem.ts';
import { type Checkouts, Command, checkouts, until } from './machines.ts';
import { ownServer, type Server, server, withoutServer } from './server.ts';

/** Slow cases, a fixture of the run, a lock, a data file, bodies that end their process, and one that loops. */
const files = {
  'data/dues.csv': 'ship,due\nGull,5\nTern,6\n',
  'tariff.ts': 'export const due = 5;\n',
  'all.lattice.ts': `import { appendFileSync, existsSync, rmSync, writeFileSync } from 'node:fs';
import { cell, dataFile, fixture, range, test } from 'red-lattice';
import { due } from './tariff.ts';
const pause = (ms: number) => new Promise((done) => setTimeout(done, ms));
const office = fixture('office', { scope: 'run', setup: () => { appendFileSync('opened.txt', 'x'); return { pid: process.pid }; } });
export const berths = test('berth {n}', { cases: range('n', 1, 40) }, async ({ row, check }) => { await pause(25); check.holds(row.n > 0); });
export const offices = test('office {n}', { needs: { office }, cases: range('n', 1, 6) }, ({ row, check, attach }, { office }) => {
  if (row.n === 3) attach('note', 'the third');
  check.holds(office.pid !== process.pid);
});
export const prices = test('{ship} pays', { cases: dataFile('data/dues.csv', { columns: { ship: cell.text, due: cell.number } }) }, ({ row, check }) => check.equal(row.due, due));
export const cranes = test('crane {n}', { cases: range('n', 1, 8), locks: ['crane'] }, async ({ row, check }) => {
  const held = process.env['CRANE'] ?? '../crane';
  check.holds(!existsSync(held));
  writeFileSync(held, '');
  await pause(5);
  rmSync(held);
  if (row.n === 4) process.exit(3);
});
export const tides = test('tide {n}', { cases: range('n', 1, 2), timeout: 200 }, ({ row, check }) => {
  if (row.n === 2) for (;;);
  check.holds(true);
});
export const sinks = test('sinks', async () => { process.kill(process.pid, 'SIGKILL'); await pause(5000); });
`,
};

const numbered = (title: string, count: number): string[] => Array.from({ length: count }, (_, i) => `${title} ${i + 1}: passed`);
const all = [
  ...numbered('berth', 40),
  ...numbered('office', 6),
  'Gull pays: passed',
  'Tern pays: failed/check',
  'tide 1: passed',
  'tide 2: failed/timeout',
  'sinks: errored/crash',
  ...numbered('crane', 8).map((result) => (result.startsWith('crane 4') ? 'crane 4: errored/crash' : result)),
].sort();

interface Scene {
  readonly at: Checkouts;
  readonly url: string;

  readonly server: Server;
}

/** Starts machines and a run, disturbs them, and returns the run. */
interface Scenario {
  /** `prefix`: the prefix of the pool's keys. */
  happens(scene: Scene & { readonly prefix: string }): Promise<Command>;
  readonly says: readonly string[];
}

/** Waits until the server has refused a command for lack of memory. */
async function untilRefused(server: Server): Promise<void> {
  let statistics = '';
  while (!statistics.includes('errorstat_OOM')) statistics = String(await server.command('INFO', 'errorstats'));
}

const twoMachines = async ({ at, url }: Scene): Promise<readonly [Command, Command]> => [await at.join(url, 'east', { lanes: 2 }), await at.join(url, 'west')];

/** Starts two machines and a run, and waits for the first results. */
async function begun(scene: Scene): Promise<{ run: Command; east: Command; west: Command }> {
  const [east, west] = await twoMachines(scene);
  const run = await scene.at.run(scene.url);
  await until(() => scene.at.results().length > 2);
  return { run, east, west };
}

const scenarios: Readonly<Record<string, Scenario>> = {
  'machines that joined before': {
    async happens(scene) {
      await twoMachines(scene);
      return scene.at.run(scene.url);
    },
    says: [],
  },
  'a machine that joins later': {
    async happens({ at, url }) {
      const run = await at.run(url);
      await run.says('waiting for red-lattice join');
      await at.join(url, 'east', { lanes: 2 });
      return run;
    },
    says: [],
  },
  'a machine that is killed': {
    async happens(scene) {
      const { run, east } = await begun(scene);
      east.process.kill('SIGKILL');
      return run;
    },
    says: ['on east was given up: no sign of life for 3000 ms; its cases run elsewhere'],
  },
  'a machine that stands still, and goes on': {
    async happens(scene) {
      const { run, east } = await begun(scene);
      east.process.kill('SIGSTOP');
      await until(() => run.process.exitCode !== null || scene.at.hasLostLane());
      east.process.kill('SIGCONT');
      return run;
    },
    says: ['on east was given up: no sign of life for 3000 ms; its cases run elsewhere'],
  },
  'a machine that leaves': {
    async happens(scene) {
      const { run, east } = await begun(scene);
      east.process.kill('SIGTERM');
      return run;
    },
    says: ['on east was given up: its machine left the pool; its cases run elsewhere'],
  },
  'machines with another data file, another module and another test file': {
    async happens({ at, url }) {
      const run = await at.run(url);
      const changes = { 'data/dues.csv': 'ship,due\nGull,5\nTern,5\n', 'tariff.ts': 'export const due = 6;\n', 'all.lattice.ts': '' };
      for (const file of Object.keys(changes) as (keyof typeof changes)[]) {
        const machine = await at.join(url, file.replace(/\W.*/, ''), { lanes: 2, changes: { [file]: changes[file] } });
        await machine.says('does not take part');
      }
      await at.join(url, 'west');
      return run;
    },
    says: [
      'machine data does not take part: data/dues.csv differs',
      'machine tariff does not take part: tariff.ts differs',
      'machine all does not take part: all.lattice.ts differs',
    ],
  },
  'messages that nobody understands, and no memory for a while': {
    async happens(scene) {
      const { run } = await begun(scene);
      const [results = ''] = (await scene.server.command('KEYS', `${scene.prefix}:run:*:results`)) as string[];
      for (const message of ['{', '{"kind":"journal"}', '{"kind":"exit","code":"x","output":1}', '[]'])
        await scene.server.command('XADD', results, '*', 'seat', '0-1', 'n', '1', 'message', message);
      await scene.server.command('CONFIG', 'SET', 'maxmemory', '1');
      await untilRefused(scene.server);
      await scene.server.command('CONFIG', 'SET', 'maxmemory', '0');
      return run;
    },
    says: [],
  },
};

const withServer = testWith({ at: checkouts, server });
const withOwnServer = testWith({ at: checkouts, server: ownServer });
const skips = withoutServer ? { skip: withoutServer } : {};

export const pool = suite('a pool', { ...skips, timeout: 240_000, concurrency: 3, overrides: [checkouts.with({ files })] }, [
  withServer(
    'gives every case its one result with {what}',
    { cases: namedRows(scenarios).derive((row) => ({ what: nameOf(row) })) },
    async ({ row, check }, { at, server }) => {
      const prefix = row.what.replace(/\W+/g, '-');
      const run = await row.happens({ at, server, prefix, url: server.url(prefix) });
      check.equal(await run.ended, 1, run.output);
      check.equal(at.results(), all, run.output);
      check.includes(run.output, 'the process was ended by SIGKILL');
      for (const text of row.says) check.holds(run.output.includes(text), `${text}:\n${run.output}`);
      check.equal(
        / on (?:east|west) was given up/.test(run.output),
        row.says.some((text) => text.includes('given up')),
        run.output,
      );
      check.equal(await readFile(join(at.folder, 'office', 'opened.txt'), 'utf8'), 'x', 'the office is opened once, where the run was begun');
      const [note] = await readdir(join(at.folder, 'office', 'record', 'attachments'));
      check.equal(await readFile(join(at.folder, 'office', 'record', 'attachments', `${note}`), 'utf8'), 'the third');
      check.equal(await server.command('KEYS', `${prefix}:run:*`), [], 'nothing of the run is left on the server');
    },
  ),

  withOwnServer(
    'continues when the server comes back with its data',
    { overrides: [ownServer.with({ isPersistent: true })] },
    async ({ check }, { at, server }) => {
      const { run, west } = await begun({ at, server, url: server.url('restart') });
      check.matches(west.output, /^run [0-9a-f]{8}: takes part$/m);
      await server.stop();
      await west.says('the server cannot be reached');
      await server.start();
      check.equal(await run.ended, 1, run.output);
      check.equal(at.results(), all, run.output);
    },
  ),

  withOwnServer('reports that the server has lost the run, which can be resumed', async ({ check }, { at, server }) => {
    const { run } = await begun({ at, server, url: server.url('lost') });
    await server.stop();
    await server.start();
    check.equal(await run.ended, 1);
    check.holds(run.output.includes('it does not have the run any more'), run.output);
    check.holds(at.results().length < all.length);
    const resumed = await at.run(server.url('lost'), ['--resume']);
    check.equal(await resumed.ended, 1, resumed.output);
    check.equal(at.results(), all, resumed.output);
  }),

  withServer('survives the end of its coordinator: machines are free for the run that resumes it', async ({ check }, { at, server }) => {
    const url = server.url('coordinator', 1500);
    const { run } = await begun({ at, server, url });
    run.process.kill('SIGKILL');
    await run.ended;
    const resumed = await at.run(url, ['--resume']);
    check.equal(await resumed.ended, 1, resumed.output);
    check.equal(at.results(), all, resumed.output);
  }),

  withServer('an interruption tears down on all machines, and --stop-after stops them', async ({ check }, { at, server }) => {
    const { run, east } = await begun({ at, server, url: server.url('interrupt') });
    run.process.kill('SIGINT');
    check.equal(await run.ended, 130, run.output);
    check.holds(run.output.includes('not run: the run was interrupted'), run.output);
    await east.says('ended');
    // With several lanes, a second case can fail before a lane learns of the first.
    east.process.kill('SIGTERM');
    await east.ended;
    const stopped = await at.run(server.url('interrupt'), ['--resume', '--stop-after', '1']);
    check.equal(await stopped.ended, 1, stopped.output);
    check.holds(stopped.output.includes('the run stopped after 1 failed'), stopped.output);
  }),

  withServer('two runs share the machines of one server', async ({ check }, { at, server }) => {
    const url = server.url('two');
    await at.join(url, 'east', { lanes: 2 });
    const runs = [await at.run(url, ['--title', 'berth']), await at.run(url, ['--title', 'berth', '--record', 'other'])];
    for (const run of runs) check.equal(await run.ended, 0, run.output);
    for (const name of ['record', 'other']) check.equal(at.results(name), numbered('berth', 40).sort());
  }),

  withServer('a machine with another version of the library takes no part', async ({ check }, { at, server }) => {
    const url = server.url('versions');
    const pool = await openPool(parsePoolAddress(url, {}) as PoolAddress, { root: at.folder, tool: '0.0.1', files: {} });
    const warnings: Problem[] = [];
    pool.observe({ onWarning: (problem) => warnings.push(problem), onGone: ({ code }) => check.fail(code) });
    const east = await at.join(url, 'east');
    await east.says('does not take part: red-lattice 0.1.0 instead of 0.0.1');
    await until(() => warnings.length > 0);
    check.equal(warnings, [{ code: 'pool-machine-refused', machine: 'east', reasons: ['red-lattice 0.1.0 instead of 0.0.1'] }]);
    await pool.close();
  }),

  withServer('machines serve one run after the other, or one with --once', async ({ check }, { at, server }) => {
    const url = server.url('once');
    const west = await at.join(url, 'west', { args: ['--once'] });
    const first = await at.run(url, ['--title', 'office']);
    check.equal(await first.ended, 0, first.output);
    check.equal(await west.ended, 0, west.output);
    const east = await at.join(url, 'east');
    // Machines ignore announced runs that are gone or malformed.
    for (const fields of [
      ['run', 'gone'],
      ['other', ''],
    ])
      await server.command('XADD', 'once:runs', '*', ...fields);
    for (const title of ['berth', 'office']) check.equal(await (await at.run(url, ['--title', title])).ended, 0);
    await until(() => east.output.split(': ended').length === 3);
    check.equal(east.process.exitCode, null, east.output);
    check.matches(east.output, /^joined \S+ as east with 1 lane; waiting for runs\n/);
    east.process.kill('SIGTERM');
    check.equal(await east.ended, 143, east.output);
  }),

  withOwnServer('a command is repeated while the server refuses it temporarily', async ({ check }, { server }) => {
    const connection = await PoolConnection.open(parsePoolAddress(server.url('full'), {}) as PoolAddress);
    await server.command('CONFIG', 'SET', 'maxmemory', '1');
    const stored = connection.send('SET', 'berth', 'N10');
    await until(() => connection.trouble?.startsWith('OOM') === true);
    await server.command('CONFIG', 'SET', 'maxmemory', '0');
    check.equal(await stored, 'OK');
    await check.throws(() => connection.send('INCR', 'berth'), /not an integer/);
    connection.close();
  }),

  withOwnServer(
    'reports why {server} cannot be used',
    {
      cases: table(
        ['server', 'user', 'says'],
        [
          ['a server that needs a password', '', 'NOAUTH'],
          ['a server that refuses the password', ':tide@', 'WRONGPASS'],
          ['a server with other keys for the user', 'ben:reef@', 'NOPERM'],
          ['an absent server', '', 'ECONNREFUSED'],
        ],
      ),
    },
    async ({ row, check }, { at, server }) => {
      await server.command('ACL', 'SETUSER', 'ben', 'on', '>reef', '~other:*', '+@all');
      await server.command('CONFIG', 'SET', 'requirepass', 'harbour');
      if (row.server === 'an absent server') await server.stop();
      const url = server.url('refused').replace('//', `//${row.user}`);
      const commands = [new Command(['join', url], await at.checkout('east')), await at.run(url)];
      for (const command of commands) {
        check.equal(await command.ended, 2, command.output);
        check.matches(command.output, new RegExp(`^! the pool at 127\\.0\\.0\\.1:${server.port} cannot be used: .*${row.says}.*[.?]\n$`));
      }
    },
  ),
]);

const nameOf = (row: Scenario): string => Object.keys(scenarios).find((name) => scenarios[name]?.happens === row.happens) ?? '';
