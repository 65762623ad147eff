import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { fixture, suite, testWith } from 'red-lattice';
import { page, withoutChromium } from '../page/chromium.ts';
import { plainEnvironment, root } from '../program.ts';

/** An example as `npm run dev` starts it, on a free port. */
const example = fixture('example', {
  settings: { name: '' },
  async setup({ settings, defer }) {
    const server = spawn(process.execPath, [join(root, 'node_modules', 'vite', 'bin', 'vite.js'), '--port', '0', '--host', '127.0.0.1'], {
      cwd: join(root, 'examples', settings.name),
      stdio: ['ignore', 'pipe', 'inherit'],
      env: { ...plainEnvironment(), NO_COLOR: '1', CI: 'true' },
    });
    defer(
      () =>
        new Promise<void>((resolve) => {
          server.once('exit', () => resolve());
          server.kill();
        }),
    );
    return new Promise<string>((resolve) => {
      let output = '';
      server.stdout.on('data', (text) => {
        output += text;
        const address = /http:\/\/127\.0\.0\.1:\d+\//.exec(output)?.[0];
        if (address) resolve(address);
      });
    });
  },
});

const shown = testWith({ page, example });
const inPage = { timeout: 60_000, skip: withoutChromium };

export const examples = suite('examples', inPage, [
  shown(
    'the harbour office quotes, books, and shows when a draught passes',
    { overrides: [example.with({ name: 'harbour-office' })] },
    async ({ check }, { page: { page, errors }, example }) => {
      await page.goto(example);
      await page.waitForSelector('.plan .stay');
      const text = (selector: string): Promise<string> => page.$eval(selector, (one) => (one as HTMLElement).innerText.replace(/\s+/g, ' ').trim());
      check.matches(await text('main section table'), /berth, 3 nights in summer 72\.00 shore power 11\.40 dues 83\.40/);
      check.equal(await page.$$eval('.stay', (stays) => stays.map((stay) => stay.textContent)), ['Gull', 'Tern', 'Twin Petrel', 'Skua', 'Fulmar']);
      check.includes(await text('main section:last-child'), '03 May 07:50 to 12:40');
      await page.click('button[aria-label="book the visitor from 2031-05-03"]');
      await page.waitForFunction(() => document.querySelector('[role=status]')?.textContent?.includes('Kittiwake is at the visitor'));
      await page.waitForFunction(() => [...document.querySelectorAll('.stay')].some(({ textContent }) => textContent === 'Kittiwake'));
      // Slightly too long for the visitor berth, and for no other.
      await page.$eval('.vessel label:nth-of-type(2) input', (input) => {
        Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')?.set?.call(input, '9.6');
        input.dispatchEvent(new Event('input', { bubbles: true }));
      });
      await page.waitForFunction(() => document.querySelectorAll('.plan tr.fits').length === 1);
      check.equal(errors, []);
    },
  ),

  shown(
    'the harbour office’s suites run in a page, and show what fails and where',
    { overrides: [example.with({ name: 'harbour-office' })] },
    async ({ check }, { page: { page, errors }, example }) => {
      await page.goto(`${example}checks.html`);
      await page.waitForSelector('[role=status].passed', { timeout: 20_000 });
      check.matches(await page.$eval('[role=status]', (status) => status.textContent ?? ''), /^\d{3} passed, 1 known failure, 134 not requested$/);
      await page.click('header input');
      await page.waitForSelector('[role=status].failed', { timeout: 20_000 });
      check.matches(await page.$eval('[role=status]', (status) => status.textContent ?? ''), /^\d{3} passed, 34 failed, 1 known failure$/);
      check.equal(await page.$$eval('.test.failed > p', (lines) => lines.map((line) => line.textContent)), [
        'where loa=12, 22 of 22 fail',
        'where hull=cat & season=winter, 13 of 13 fail',
        'and 31 more',
      ]);
      const [title, output] = await page.$eval('article', (article) => [article.querySelector('h3')?.textContent, article.querySelector('dl')?.innerText]);
      check.matches(title, /^loa=6\.5, hull=cat/);
      check.equal(output?.split('\n'), ['dues for the stay', 'is 54', 'should be 32.4', '/tests/dues.lattice.ts']);
      check.equal(errors, []);
    },
  ),

  shown(
    'the matrix workbench covers, lists what cannot occur, and finds where marked rows fail',
    { overrides: [example.with({ name: 'matrix-workbench' })] },
    async ({ check }, { page: { page, errors }, example }) => {
      await page.goto(example);
      await page.waitForSelector('tbody tr');
      check.matches(
        await page.$eval('header', (header) => (header as HTMLElement).innerText),
        /^Matrix workbench\s+1\d rows for 432 combinations; 116 of 116 covered/,
      );
      check.includes(await page.$eval('main', (main) => main.innerText), 'loa=6 & hull=tri');
      // Every triple: enough rows for a cause.
      await page.select('select', '3');
      await page.waitForFunction(() => document.querySelectorAll('tbody tr').length > 30, { timeout: 20_000 });
      const failing = await page.$$eval('tbody tr', (rows) =>
        rows.flatMap((row, i) => ((row as HTMLElement).innerText.includes('cat') && (row as HTMLElement).innerText.includes('winter') ? [i + 1] : [])),
      );
      const input = await page.$('.tools input');
      await input?.type(failing.join(' '));
      await page.keyboard.press('Enter');
      await page.waitForSelector('.where');
      check.matches(
        await page.$eval('.where p', (where) => where.textContent ?? ''),
        new RegExp(`^It fails where hull=cat & season=winter \\(${failing.length} of ${failing.length}\\); elsewhere 0 of \\d+\\.$`),
      );
      check.includes(await page.$eval('pre', (code) => code.textContent ?? ''), 'strength: 3,');
      // Pairs, and one failing row: further rows lead to the cause.
      await page.select('select', '2');
      await page.waitForFunction(() => document.querySelectorAll('tbody tr').length < 20, { timeout: 20_000 });
      const marked = await page.$$eval('tbody tr', (rows) =>
        rows.flatMap((row, i) => ((row as HTMLElement).innerText.includes('cat') && (row as HTMLElement).innerText.includes('winter') ? [i + 1] : [])),
      );
      await (await page.$('.tools input'))?.type(marked.join(' '));
      await page.keyboard.press('Enter');
      await page.waitForSelector('.where strong');
      const answered: string[] = [];
      for (let row = await page.$('.where strong'); row; row = await page.$('.where strong')) {
        const tried = (await row.evaluate((one) => one.textContent)) ?? '';
        answered.push(tried);
        const answer = /hull=cat.*season=winter/.test(tried) ? 'failed' : 'passed';
        await page.evaluate(
          (wanted) =>
            [...document.querySelectorAll('.where button')]
              .find(({ textContent }) => textContent === wanted)
              ?.dispatchEvent(new MouseEvent('click', { bubbles: true })),
          answer,
        );
        await page.waitForFunction((before) => document.querySelector('.where strong')?.textContent !== before, {}, tried);
        if (answered.length > 40) break;
      }
      check.includes(await page.$eval('.where', (where) => where.textContent ?? ''), `Cause: hull=cat & season=winter. ${answered.length} rows tried.`);
      check.holds(
        answered.every((tried) => !/loa=6.*hull=tri/.test(tried)),
        'what cannot occur is not proposed',
      );
      // The address contains the whole state.
      await page.select('select', '3');
      await page.waitForFunction(() => document.querySelectorAll('tbody tr').length > 30, { timeout: 20_000 });
      await (await page.$('.tools input'))?.type(failing.join(' '));
      await page.keyboard.press('Enter');
      await page.waitForSelector('tr.failed');
      await page.reload();
      await page.waitForSelector('tr.failed');
      check.equal((await page.$$('tr.failed')).length, failing.length);
      check.equal(errors, []);
    },
  ),
]);
