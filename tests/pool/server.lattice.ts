import { suite, table } from 'red-lattice';
import { type PoolAddress, parsePoolAddress } from '../../src/node/pool/address.ts';
import { PoolConnection } from '../../src/node/pool/connection.ts';
import { Command, until } from './machines.ts';
import { all, begun, poolOptions, withOwnServer } from './office.ts';
import { ownServer } from './server.ts';

export const poolServer = suite('the server of a pool', poolOptions, [
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
