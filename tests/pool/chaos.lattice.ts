import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { range, suite, testWith } from 'red-lattice';
import { createRandom } from '../../src/cases/random.ts';
import { readJournals } from '../../src/node/journals.ts';
import { type Command, checkouts, until } from './machines.ts';
import { ownServer, withoutServer } from './server.ts';

/** 300 cases that record each start of their body. Some fail, and a few end their process. */
const files = {
  'all.lattice.ts': `import { appendFileSync } from 'node:fs';
import { range, test } from 'red-lattice';
const body = (part) => async ({ row, check }) => {
  appendFileSync('../bodies.txt', \`\${part}.\${row.n} \${process.cwd().split('/').at(-1)}\\n\`);
  await new Promise((done) => setTimeout(done, 20 + (row.n % 4) * 20));
  if (row.n % 50 === 7) process.exit(1);
  check.holds(row.n % 10 !== 3);
};
export const first = test('0.{n}', { cases: range('n', 1, 100) }, body(0));
export const second = test('1.{n}', { cases: range('n', 1, 100) }, body(1));
export const third = test('2.{n}', { cases: range('n', 1, 100) }, body(2));
`,
};

const expected = [0, 1, 2].flatMap((part) =>
  Array.from({ length: 100 }, (_, at) => {
    const n = at + 1;
    return `${part}.${n}: ${n % 50 === 7 ? 'errored/crash' : n % 10 === 3 ? 'failed/check' : 'passed'}`;
  }),
);

const withServer = testWith({ at: checkouts, server: ownServer });

export const chaos = suite('a pool in which everything breaks', { ...(withoutServer && { skip: withoutServer }), timeout: 240_000 }, [
  withServer(
    'has one result for each case, and repeats bodies only of leases that it lists: seed {seed}',
    { overrides: [checkouts.with({ files }), ownServer.with({ isPersistent: true })], cases: range('seed', 1, 2) },
    async ({ row, check, log }, { at, server }) => {
      const random = createRandom(`pool ${row.seed}`);
      const url = server.url('chaos', 1500);
      const machines = new Map<string, Command>();
      for (const name of ['north', 'east', 'south', 'west']) machines.set(name, await at.join(url, name));
      const run = await at.run(url, ['--seed', '1']);
      let restarts = 0;
      for (let mishap = 0; run.process.exitCode === null && mishap < 8; mishap++) {
        const seen = at.results().length;
        await until(() => run.process.exitCode !== null || at.results().length > seen + 20);
        const name = random.pick([...machines.keys()]);
        const machine = machines.get(name) as Command;
        const act = mishap < 2 ? 'restart' : random.pick(['kill', 'stop', 'leave']);
        log(`${seen} results: ${act} ${act === 'restart' ? 'the server' : name}`);
        if (act === 'restart') {
          restarts++;
          await server.stop();
          await server.start();
        } else if (act === 'stop') {
          machine.process.kill('SIGSTOP');
          const before = at.results().length;
          await until(() => run.process.exitCode !== null || at.results().length > before + 5);
          machine.process.kill('SIGCONT');
        } else {
          machine.process.kill(act === 'kill' ? 'SIGKILL' : 'SIGTERM');
          machines.set(name, await at.join(url, name));
        }
      }
      check.equal(await run.ended, 1, run.output);
      check.equal(restarts, 2, run.output);
      check.equal(at.results(), expected.toSorted(), run.output);
      const lost = [...readJournals(join(at.folder, 'office', 'record'))].flatMap((entry) =>
        entry.type === 'warning' && entry.problem.code === 'pool-lane-lost' ? [entry.problem] : [],
      );
      // Each line is a body and a machine.
      const ran = new Map<string, string[]>();
      for (const line of readFileSync(join(at.folder, 'bodies.txt'), 'utf8').trim().split('\n')) {
        const [body = ''] = line.split(' ');
        ran.set(body, [...(ran.get(body) ?? []), line]);
      }
      const repeated = [...ran.values()].filter((lines) => lines.length > 1);
      const machinesLost = new Set(lost.map(({ machine }) => machine));
      log(`${lost.length} lost leases, ${repeated.length} repeated bodies`);
      check.equal(
        repeated.filter((lines) => !lines.some((line) => machinesLost.has(line.split(' ')[1] ?? ''))),
        [],
        'bodies that ran twice without a lost lease',
      );
    },
  ),
]);
