import { existsSync } from 'node:fs';
import { readFile, writeFile } from 'node:fs/promises';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { dirname, join } from 'node:path';
import { cell, dataFile, fixture, namedRows, suite, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { pageHead, pageLines } from '../../src/node/page-lines.ts';
import { servePage } from '../../src/node/serve-page.ts';
import type { JournalEntry } from '../../src/results/journal/entries.ts';
import { ask } from '../http.ts';
import { later } from '../office/recorded.ts';

/** Notes its arguments and what is in a file of ids, and waits for an interruption. */
const command = `import { appendFileSync, readFileSync } from 'node:fs';
const ids = process.argv.indexOf('--id-file');
process.once('SIGINT', () => { appendFileSync('interrupted', ''); process.exit(130); });
appendFileSync('asked.jsonl', JSON.stringify({ args: process.argv.slice(2), ids: ids < 0 ? '' : readFileSync(process.argv[ids + 1], 'utf8') }) + '\\n');
setInterval(() => {}, 1000);
`;
const names = () => ({ nameFile: (file: string) => `files/${file}`, source: (file: string) => `${file}\ntwo` });
const record = { ...later(), info: { ...later().info, command: ['run', 'office.ts', '--tag', 'bill'] } };

/** A page that is served in this process. A run that is started from it only notes its arguments. */
const servedFor = <const S extends 'case' | 'file'>(scope: S) =>
  fixture('served', {
    scope,
    needs: { folder: tempDirectory(scope) },
    async setup({ defer }, { folder }) {
      await writeFile(join(folder, 'command.mjs'), command);
      const served = { record, follows: false, root: folder, port: 0, command: join(folder, 'command.mjs'), names };
      const serving = await servePage(served);
      defer(() => serving.close());
      const address = new URL(serving.address);
      const asker = { host: address.host, authorization: `Bearer ${address.searchParams.get('token')}` };
      const act = (body: object | string, headers: Record<string, string> = { 'content-type': 'application/json' }) =>
        ask(address, '/act', { method: 'POST', headers: { ...asker, ...headers }, body: typeof body === 'string' ? body : JSON.stringify(body) });
      return { served, serving, folder, address, asker, act };
    },
  });
const withServer = testWith({ served: servedFor('file') });
const withOwnServer = testWith({ served: servedFor('case') });

export const serving = suite('the server of the results page', [
  withServer(
    'answers {status} to {who}',
    {
      cases: dataFile('answered.csv', {
        columns: {
          who: cell.text,
          method: cell.oneOf('GET', 'POST'),
          path: cell.text,
          headers: cell.json.default({}),
          token: cell.boolean,
          status: cell.integer,
        },
      }),
    },
    async ({ row, check }, { served: { address, asker } }) => {
      const given = { host: address.host, ...(row.token && asker), ...(row.headers as object) } as Record<string, string>;
      const { status, text, headers } = await ask(address, row.path, {
        method: row.method,
        headers: given,
        body: row.method === 'POST' ? '{"kind":"all"}' : '',
      });
      check.equal(status, row.status);
      if (row.status !== 200) check.equal(text.includes('"format"'), false);
      check.equal(
        ['x-content-type-options', 'cache-control', 'referrer-policy', 'cross-origin-resource-policy', 'content-security-policy'].map((name) => headers[name]),
        ['nosniff', 'no-store', 'no-referrer', 'same-origin', "frame-ancestors 'none'"],
      );
    },
  ),

  withServer('sends the record to those who have its token, under both names of this machine', async ({ check }, { served: { served, address, asker } }) => {
    const name = `localhost:${address.port}`;
    const sent = await ask(address, '/record', { headers: { ...asker, host: name, origin: `http://${name}` } });
    const { nameFile, source } = names();
    check.equal(sent.text, `${[JSON.stringify(pageHead(record, served.root, false)), ...pageLines(record, nameFile, source)].join('\n')}\n`);
    check.equal(sent.headers['content-type'], 'application/x-ndjson; charset=utf-8');
  }),

  withServer(
    'answers a request to {what} with {status}: {says}',
    {
      cases: namedRows<{ what: string; body: string; status: number; says: string }>({
        text: { what: 'do something that is not JSON', body: 'all', status: 400, says: 'the request is not JSON' },
        other: { what: 'do something else', body: '{"kind":"rm"}', status: 400, says: 'unknown request' },
        none: { what: 'run no case', body: '{"kind":"ids","ids":[]}', status: 400, says: 'expected 1 to 5,000 ids' },
        list: { what: 'run cases without a list', body: '{"kind":"ids","ids":"a"}', status: 400, says: 'expected 1 to 5,000 ids' },
        number: { what: 'run a case that is a number', body: '{"kind":"ids","ids":[5]}', status: 400, says: 'expected 1 to 5,000 ids' },
        empty: { what: 'run a case without an id', body: '{"kind":"ids","ids":[""]}', status: 400, says: 'expected 1 to 5,000 ids' },
        control: { what: 'run a case with a line break in its id', body: '{"kind":"ids","ids":["a\\n"]}', status: 400, says: 'expected 1 to 5,000 ids' },
        many: {
          what: 'run too many cases',
          body: JSON.stringify({ kind: 'ids', ids: Array.from({ length: 5001 }, (_, i) => `a#${i}`) }),
          status: 400,
          says: 'expected 1 to 5,000 ids',
        },
        large: { what: 'do much', body: `{"kind":"${'a'.repeat(4_000_000)}"}`, status: 400, says: 'the request is too large' },
        stop: {
          what: 'stop a run that it has not started',
          body: '{"kind":"stop"}',
          status: 409,
          says: 'this run was not started from this page. Stop it where it was started.',
        },
      }),
    },
    async ({ row, check }, { served: { act } }) => {
      const { status, text } = await act(row.body);
      check.equal({ status, text }, { status: row.status, text: row.says });
    },
  ),

  withOwnServer(
    'starts a run of {what} with its options, one at a time',
    {
      cases: namedRows<{ what: string; request: object; options: readonly string[]; ids: string }>({
        all: { what: 'all cases', request: { kind: 'all' }, options: ['office.ts', '--tag', 'bill'], ids: '' },
        failed: { what: 'the failed cases', request: { kind: 'failed' }, options: ['office.ts', '--tag', 'bill', '--failed'], ids: '' },
        ids: { what: 'some cases', request: { kind: 'ids', ids: ['a.ts#one', '--record=taken'] }, options: ['--id-file'], ids: 'a.ts#one\n--record=taken\n' },
      }),
    },
    async ({ row, check, eventually }, { served: { act, folder } }) => {
      const answer = async (body: object): Promise<unknown[]> => Object.values(await act(body)).slice(0, 2);
      check.equal(await answer(row.request), [202, 'started']);
      check.equal(await answer(row.request), [409, 'a run started from this page is in progress']);
      await eventually(() => existsSync(join(folder, 'asked.jsonl')), { within: 10_000, every: 10 });
      const { args, ids } = JSON.parse(await readFile(join(folder, 'asked.jsonl'), 'utf8')) as { args: string[]; ids: string };
      const file = row.ids === '' ? undefined : args.pop();
      check.equal({ args, ids }, { args: ['run', '--show', 'summary', ...row.options], ids: row.ids });
      check.equal(await answer({ kind: 'stop' }), [200, 'stopping']);
      await eventually(async () => (await act({ kind: 'stop' })).status === 409, { within: 10_000, every: 10 });
      check.equal(file !== undefined && existsSync(dirname(file)), false, 'the file of ids is removed');
      check.equal(await answer(row.request), [202, 'started']);
    },
  ),

  withOwnServer('cuts the reply off if its record cannot be read further, and goes on serving', async ({ check }, { served: { served, asker } }) => {
    const entries = function* (): Generator<JournalEntry> {
      yield { type: 'header', version: 6, lane: 0 };
      throw new Error('the disk is gone');
    };
    const broken = await servePage({ ...served, record: { ...record, entries } });
    const address = new URL(broken.address);
    const headers = { ...asker, host: address.host, authorization: `Bearer ${address.searchParams.get('token')}` };
    for (let i = 0; i < 2; i++) await check.throws(() => ask(address, '/record', { headers }), /aborted|ECONNRESET|hang up/);
    broken.close();
  }),

  withOwnServer(
    'interrupts the run that was started from it when it ends',
    async ({ check, eventually }, { served: { act, serving, folder, address, asker } }) => {
      await act({ kind: 'all' });
      await eventually(() => existsSync(join(folder, 'asked.jsonl')), { within: 10_000, every: 10 });
      serving.close();
      await eventually(() => existsSync(join(folder, 'interrupted')), { within: 10_000, every: 10 });
      await check.throws(() => ask(address, '/record', { headers: asker }), /ECONNREFUSED|ECONNRESET|hang up/);
    },
  ),

  withOwnServer('refuses a port that is in use', async ({ check }, { served: { served } }) => {
    const other = createServer();
    await new Promise<void>((done) => other.listen(0, '127.0.0.1', done));
    const { port } = other.address() as AddressInfo;
    await check.throws(() => servePage({ ...served, port }), /EADDRINUSE/);
    other.close();
  }),
]);
