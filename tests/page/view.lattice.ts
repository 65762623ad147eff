import type { ChildProcess } from 'node:child_process';
import { readdir, writeFile } from 'node:fs/promises';
import { request } from 'node:http';
import { join } from 'node:path';
import { fixture, suite, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { type Answer, ask } from '../http.ts';
import { runCommand, startCommand } from '../program.ts';
import { makeProject } from '../project.ts';
import { page, withoutChromium } from './chromium.ts';

/** A small project whose cases take a moment, and `red-lattice view` of it. */
const served = fixture('served', {
  needs: { folder: tempDirectory() },
  async setup({ defer }, { folder }) {
    await makeProject(folder);
    await writeFile(
      join(folder, 'slow.lattice.ts'),
      `import { range, test } from 'red-lattice';
export const slow = test('berth {n}', { cases: range('n', 1, 30) }, async ({ row, check }) => {
  await new Promise((resolve) => setTimeout(resolve, 150));
  check.notEqual(row.n, 4);
});
`,
    );
    await runCommand(['run'], folder);
    const view = startCommand(['view'], folder, { stdio: ['ignore', 'pipe', 'inherit'] });
    defer(() => ended(view, 'SIGINT'));
    const address = await new Promise<URL>((resolve) => {
      let printed = '';
      view.stdout?.on('data', (text) => {
        printed += text;
        const found = /http:\S+/.exec(printed)?.[0];
        if (found) resolve(new URL(found));
      });
    });
    return { folder, address, headers: { host: address.host, authorization: `Bearer ${address.searchParams.get('token')}` } };
  },
});

const ended = (child: ChildProcess, signal: NodeJS.Signals): Promise<void> =>
  new Promise((resolve) => {
    child.once('exit', () => resolve());
    child.kill(signal);
  });

export const view = suite('view', { timeout: 60_000 }, [
  testWith({ served, page })(
    'follows a run in progress, and runs failed cases again',
    { skip: withoutChromium },
    async ({ check }, { served, page: { page, errors } }) => {
      await page.goto(served.address.href);
      const heading = (text: string): Promise<unknown> =>
        page.waitForFunction((wanted) => document.querySelector('.verdict h2')?.textContent === wanted, { timeout: 20_000 }, text);
      await heading('1 of 30 cases failed');
      check.equal(new URL(page.url()).search, '');
      await page.click('.end button');
      await heading('1 of 1 case failed');
      // A run that is started elsewhere is followed, too: first a part, then everything.
      const run = runCommand(['run', '--lanes', '1'], served.folder);
      await page.waitForSelector('.live');
      await heading('1 of 30 cases failed');
      await page.waitForFunction(() => !document.querySelector('.live'));
      check.equal((await run).status, 1);
      // A page that is opened before there is a result draws the lattice when there is one.
      await runCommand(['run', '--title', 'no such case'], served.folder);
      await heading('No case ran');
      await page.reload();
      await heading('No case ran');
      await runCommand(['run'], served.folder);
      await page.waitForSelector('.lattice .cells');
      await page.waitForFunction(() => !document.querySelector('.live'));
      // A run that was started from the page can be stopped from it.
      const press = (label: string): Promise<void> =>
        page.evaluate(
          (wanted) => [...document.querySelectorAll<HTMLButtonElement>('.end button')].find(({ textContent }) => textContent === wanted)?.click(),
          label,
        );
      await press('run all');
      await page.waitForSelector('.live');
      await press('stop');
      await page.waitForFunction(() => !document.querySelector('.live'));
      const { out } = await runCommand(['report', '--format', 'jsonl'], served.folder);
      check.equal((JSON.parse(out.split('\n')[0] as string) as { run: { exitStatus: number } }).run.exitStatus, 130);
      check.equal(errors, []);
    },
  ),

  testWith({ served })('runs the case of an id, and never executes the id', async ({ check, eventually }, { served: { address, headers, folder } }) => {
    const body = JSON.stringify({ kind: 'ids', ids: ['x; touch taken', '--record=taken', '$(touch taken)'] });
    const { status } = await ask(address, '/act', { method: 'POST', headers: { ...headers, 'content-type': 'application/json' }, body });
    check.equal(status, 202);
    const selected = async (): Promise<readonly string[]> => {
      const { output } = await runCommand(['report', '--format', 'jsonl'], folder);
      return (JSON.parse(output.split('\n')[0] as string) as { run: { selection: { ids?: string[] } } }).run.selection.ids ?? [];
    };
    await eventually(async () => (await selected()).length > 0, { within: 10_000, every: 200 });
    check.equal(await selected(), ['x; touch taken', '--record=taken', '$(touch taken)']);
  }),

  testWith({ served })('survives broken requests and removed records', async ({ check, eventually }, { served: { address, headers, folder } }) => {
    const act = (body: object): Promise<Answer> =>
      ask(address, '/act', { method: 'POST', headers: { ...headers, 'content-type': 'application/json' }, body: JSON.stringify(body) });
    // A request that ends before its body does.
    await new Promise<void>((resolve) => {
      const torn = request({ host: address.hostname, port: address.port, path: '/act', method: 'POST', headers: { ...headers, 'content-length': '1000' } });
      torn.on('error', () => resolve());
      torn.write('{"what":', () => torn.destroy());
      torn.on('close', () => resolve());
    });
    check.equal((await act({ kind: 'ids', ids: ['a\u0000b'] })).status, 400, 'a control character in an id');
    check.equal(
      (await act({ kind: 'ids', ids: Array.from({ length: 5000 }, (_, i) => `${'long-'.repeat(100)}${i}`) })).status,
      202,
      'more than arguments can hold',
    );
    await eventually(async () => (await act({ kind: 'stop' })).status === 409, { within: 20_000, every: 200 });
    const runs = join(folder, '.red-lattice', 'runs');
    for (const name of await readdir(runs)) await writeFile(join(runs, name, 'run.json'), '{"kind":"red-lattice run record"');
    const lost = await ask(address, '/record', { headers, isEndless: true });
    check.equal([lost.status, lost.text.includes('was removed or damaged')], [500, true]);
    await runCommand(['run'], folder);
    check.equal((await ask(address, '/record', { headers, isEndless: true })).status, 200, 'the newest record instead');
  }),
]);
