import { suite } from 'red-lattice';
import { type PoolAddress, parsePoolAddress } from '../../src/node/pool/address.ts';
import { openPool } from '../../src/node/pool/lane-pool.ts';
import type { Problem } from '../../src/problems/problem.ts';
import { until } from './machines.ts';
import { all, begun, numbered, poolOptions, withServer } from './office.ts';

export const runs = suite('runs of a pool', poolOptions, [
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
]);
