import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { namedRows, suite } from 'red-lattice';
import { type Command, until } from './machines.ts';
import { all, begun, poolOptions, type Scene, twoMachines, withServer } from './office.ts';
import type { Server } from './server.ts';

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

export const pool = suite('a pool', poolOptions, [
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
      for (const key of (await server.command('KEYS', `${prefix}:*`)) as string[])
        check.holds(Number(await server.command('PTTL', key)) > 0, `${key} is on the server for ever`);
    },
  ),
]);

const nameOf = (row: Scenario): string => Object.keys(scenarios).find((name) => scenarios[name]?.happens === row.happens) ?? '';
