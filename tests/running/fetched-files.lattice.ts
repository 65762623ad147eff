import { once } from 'node:events';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { dataFile, fixture, table, test, testWith } from 'red-lattice';
import { refusal, runInside } from '../inner.ts';

/** A server of CSV files that answers other paths with a page. */
const server = fixture('server', {
  scope: 'file',
  async setup({ defer }) {
    const listener = createServer(async ({ url }, response) => {
      const [status, type] =
        url === '/gone.csv' ? [404, 'text/plain'] : url === '/closed.csv' ? [503, 'text/html'] : [200, url?.endsWith('.csv') ? 'text/csv' : 'text/html'];
      response.writeHead(status as number, { 'content-type': `${type}; charset=utf-8` });
      response.write('berth,nights\nN4,');
      // The rest is a second chunk.
      await new Promise(setImmediate);
      response.end('2\n');
    }).listen(0, '127.0.0.1');
    await once(listener, 'listening');
    defer(() => listener.close());
    return new URL(`http://127.0.0.1:${(listener.address() as AddressInfo).port}`);
  },
});

export const fetched = testWith({ server })('a data file over HTTP is read in parts', async ({ check }, { server }) => {
  const { seen } = await runInside([test('row', { cases: dataFile(new URL('stays.csv', server)) }, () => {})]);
  check.equal(
    seen.map(({ row }) => row),
    [{ berth: 'N4', nights: '2' }],
  );
});

export const unfetched = testWith({ server })(
  'a data file over HTTP is missing: {path}',
  {
    cases: table(
      ['path', 'says'],
      [
        ['gone.csv', 'cannot read gone.csv: nothing found at <server>gone.csv'],
        ['page.yaml', 'cannot read page.yaml: nothing found at <server>page.yaml'],
        ['closed.csv', 'cannot read closed.csv: <server>closed.csv returned HTTP status 503'],
      ],
    ),
  },
  async ({ row, check }, { server }) => {
    const said = await refusal(() => [test('row', { cases: dataFile(new URL(row.path, server)) }, () => {})]);
    check.equal(said.replaceAll(server.href, '<server>'), row.says);
  },
);
