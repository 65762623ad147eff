import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { fixture, matrix, suite, table, testWith } from 'red-lattice';
import { makeRecord } from '../../bench/page/made-record.mjs';
import { root, runCommand } from '../program.ts';
import { makeProject } from '../project.ts';
import { hostile, outcomes } from '../results/outcomes-project.ts';
import { page, withoutChromium } from './chromium.ts';

/** The pages of several records: of the office in order and broken, of no case, of a run without failures, of a huge one. */
const pages = fixture('pages', {
  scope: 'file',
  needs: { outcomes },
  async setup(_, { outcomes: { folder } }) {
    makeRecord(join(folder, 'empty'), { cases: 0, tests: 0 });
    makeRecord(join(folder, 'green'), { cases: 60, failsEvery: 0 });
    makeRecord(join(folder, 'huge'), { cases: 100_000 });
    const write = async (name: string): Promise<string> => {
      const { status, output } = await runCommand(['report', name, '-o', `${name}.html`], folder);
      if (status !== 0) throw new Error(output);
      return pathToFileURL(join(folder, `${name}.html`)).href;
    };
    return { folder, good: await write('good'), bad: await write('bad'), empty: await write('empty'), green: await write('green'), huge: await write('huge') };
  },
});

const axe = await readFile(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
const shown = testWith({ page, pages });

export const results = suite('the results page', { timeout: 60_000, skip: withoutChromium }, [
  shown('shows in the overview what failed, and where', async ({ check }, { page: { page, errors }, pages }) => {
    await page.goto(pages.bad);
    await page.waitForSelector('.where');
    const text = await page.$eval('main', (main) => main.innerText);
    check.matches(text, /^13 of 61 cases failed/);
    check.matches(text.replace(/\s+/g, ' '), /hull=cat & season=winter 8 of 8 fail elsewhere 0 of 40/);
    check.includes(text, 'no tide table yet');
    check.includes(text, 'the ledger is stuck');
    check.equal(errors, []);
  }),

  shown('shows a run of the harbour office', async ({ check }, { page: { page, errors }, pages }) => {
    const office = join(root, 'examples', 'harbour-office');
    await runCommand(['run', '--tag', 'draft', '--record', join(pages.folder, 'office')], office);
    await runCommand(['report', join(pages.folder, 'office'), '-o', join(pages.folder, 'office.html')], office);
    await page.goto(`${pathToFileURL(join(pages.folder, 'office.html')).href}#/matrix`);
    await page.waitForSelector('.cell.cause');
    check.equal((await page.$$('.cell.cause')).length, 18);
    await page.keyboard.press('1');
    await page.waitForSelector('.where');
    check.matches(
      (await page.$eval('main', (main) => main.innerText)).replace(/\s+/g, ' '),
      /^34 of 134 cases failed .*loa=12 22 of 22 fail hull=cat & season=winter 13 of 13 fail elsewhere 0 of 92/,
    );
    check.equal(errors, []);
  }),

  shown('shows computed values beside those of the file, and the command that accepts them', async ({ check }, { page: { page, errors }, pages }) => {
    const folder = join(pages.folder, 'dues');
    await makeProject(folder, {
      'dues.csv': 'loa,due\n6,15\n8,19\n',
      'dues.lattice.mjs': `
        import { cell, dataFile, test } from 'red-lattice';
        export const dues = test('dues', { cases: dataFile('dues.csv', { columns: { loa: cell.number, due: cell.number } }) },
          ({ row, check }) => void check.columns({ due: row.loa * 2.5 }));`,
    });
    await runCommand(['run'], folder);
    await runCommand(['report', '-o', 'results.html'], folder);
    await page.goto(pathToFileURL(join(folder, 'results.html')).href);
    await page.waitForSelector('.acceptable');
    check.equal((await page.$eval('.acceptable tbody', (part) => (part as HTMLElement).innerText)).split(/\s+/), ['line', '3', 'due', '19', '20']);
    check.equal(await page.$eval('.acceptable code', (code) => code.innerText), 'npx red-lattice accept dues.csv');
    await page.click('.acceptable a');
    await page.waitForSelector('article.case .columns');
    check.equal(await page.$$eval('article.case .command code', (codes) => codes.map((code) => code.innerText).at(-1)), 'npx red-lattice accept dues.csv:3');
    check.equal(await page.$eval('article.case .columns tbody', (rows) => (rows as HTMLElement).innerText.split(/\s+/)), ['due', '19', '20']);
    check.equal(errors, []);
  }),

  shown('shows an empty run, a passing run and a hundred thousand cases', async ({ check, step }, { page: { page, errors }, pages }) => {
    const readVerdict = async (address: string): Promise<string> => {
      await page.goto(address);
      await page.waitForSelector('.verdict');
      return page.$eval('.verdict', (verdict) => `${verdict.className}: ${verdict.querySelector('h2')?.innerText}`);
    };
    await step('empty', async ({ check }) => check.equal(await readVerdict(pages.empty), 'verdict open: No case ran'));
    await step('green', async ({ check }) => check.equal(await readVerdict(pages.green), 'verdict good: All 60 cases passed'));
    await step('huge', async ({ check }) => check.equal(await readVerdict(pages.huge), 'verdict bad: 2,000 of 100,000 cases failed'));
    check.equal(errors, []);
  }),

  shown('filters by text, status, tag and value, and counts the matches', async ({ check }, { page: { page }, pages }) => {
    await page.goto(`${pages.huge}#/tests`);
    const left = async (filter: string): Promise<string> => {
      await page.goto(`${pages.huge}#/tests?filter=${encodeURIComponent(filter)}`);
      await page.waitForFunction((wanted) => document.querySelector('.listing')?.getAttribute('data-filter') === wanted, {}, filter);
      return page.$eval('.listing .counts', (counts) => (counts as HTMLElement).innerText.replace(/\s+/g, ' ').trim());
    };
    check.equal(await left(''), '2,000 failed 98,000 passed');
    check.equal(await left('status:failed'), '2,000 failed');
    check.equal(await left('"quay 7"'), '110 failed 5,390 passed');
    check.equal(await left('"quay 7" hull=cat loa>=16'), '451 passed');
    check.matches(await left('tag:money'), /670 failed 32,830 passed/);
  }),

  shown('opens a case by its address, with all details', async ({ check }, { page: { page }, pages }) => {
    await page.goto(`${pages.bad}#/tests?case=${encodeURIComponent('outcomes.lattice.ts#the-office/differs')}`);
    await page.waitForSelector('article.case');
    const text = await page.$eval('article.case', (article) => (article as HTMLElement).innerText.replace(/\s+/g, ' '));
    for (const part of [
      'the bill: not equal',
      'in step “outer › inner”',
      'npx red-lattice run outcomes.lattice.ts:6',
      'written red',
      'a note.txt',
      'outer',
      'Steps',
    ])
      check.includes(text, part);
    check.equal(await page.$$eval('.difference mark', (marks) => marks.map((mark) => mark.textContent)), ['2', '3']);
    check.equal(await page.$eval('.source .it', (line) => line.firstElementChild?.textContent), '12');
    check.equal(await page.$eval('.output .ansi-red', (part) => part.textContent), 'red\n');
  }),

  shown('completes the filter by keys, and changes the width of the case by keys', async ({ eventually, check }, { page: { page }, pages }) => {
    await page.goto(`${pages.bad}#/tests?case=${encodeURIComponent('outcomes.lattice.ts#the-office/differs')}`);
    await page.waitForSelector('.splitter');
    const widthOf = (): Promise<number> => page.$eval('article.case', (article) => article.getBoundingClientRect().width);
    const before = await widthOf();
    await page.focus('.splitter');
    await page.keyboard.press('ArrowLeft');
    await eventually(async () => (await widthOf()) > before);
    await page.keyboard.press('Home');
    await page.keyboard.press('/');
    await page.waitForFunction(() => document.activeElement?.id === 'filter');
    await page.keyboard.type('fai');
    await page.waitForSelector('[role=option]');
    await page.keyboard.press('ArrowDown');
    await page.keyboard.press('Enter');
    await page.waitForFunction(() => document.querySelector('.listing')?.getAttribute('data-filter') === 'status:failed ');
    check.equal(await page.$$('[role=option]'), []);
  }),

  shown(
    'keys: {what}',
    {
      cases: table(
        ['what', 'keys', 'seen'],
        [
          ['n opens the first failure', ['n'], 'differs'],
          ['n again opens the next one', ['n', 'n'], 'throws'],
          ['p goes back', ['n', 'n', 'p'], 'differs'],
          ['Escape closes a case', ['n', 'Escape'], 'no case'],
          ['3 opens the matrix', ['3'], 'grid'],
          ['? lists the keys', ['?'], '12 keys'],
          ['Escape closes the list', ['?', 'Escape'], 'no keys'],
          ['/ goes to the filter', ['/'], 'filter'],
        ],
      ),
    },
    async ({ row, eventually, check }, { page: { page }, pages }) => {
      const seen = (): Promise<readonly string[]> =>
        page.evaluate(() => {
          const heading = document.querySelector('article.case h2')?.textContent?.trim();
          const keys = document.querySelectorAll('dialog[open] kbd').length;
          const grid = document.querySelector('.grid') ? ['grid'] : [];
          const focus = document.activeElement?.id === 'filter' ? ['filter'] : [];
          return [heading?.split(' › ').at(-1) ?? 'no case', keys > 0 ? `${keys} keys` : 'no keys', ...grid, ...focus];
        });
      await page.goto(pages.bad);
      await page.waitForSelector('.verdict');
      let heading = 'no case';
      for (const key of row.keys) {
        await page.keyboard.press(key as 'n');
        // The next key applies to what this one has opened.
        if (key === 'n' || key === 'p') await eventually(async () => (await seen())[0] !== heading);
        else if (key === '?') await page.waitForSelector('dialog[open]');
        heading = (await seen())[0] ?? '';
      }
      await eventually(async () => (await seen()).includes(row.seen));
      check.includes(await seen(), row.seen);
    },
  ),

  shown('arrow keys move through the list of tests and open one', async ({ check }, { page: { page }, pages }) => {
    await page.goto(`${pages.green}#/tests`);
    await page.waitForSelector('[role=tree]');
    await page.focus('[role=tree]');
    const lines = (): Promise<number> => page.$$eval('[role=treeitem]', (all) => all.length);
    const before = await lines();
    for (const key of ['ArrowDown', 'ArrowDown', 'ArrowRight'] as const) await page.keyboard.press(key);
    await page.waitForFunction((count) => document.querySelectorAll('[role=treeitem]').length > count, {}, before);
    check.equal(before, 3);
  }),

  shown('shows a matrix, outlines where it fails, and lists the cases of a cell', async ({ check }, { page: { page }, pages }) => {
    await page.goto(`${pages.bad}#/matrix`);
    await page.waitForSelector('.cell.cause');
    check.equal(await page.$$eval('.cell.cause', (cells) => cells.map((cell) => cell.textContent)), ['✗2', '✗2', '✗2', '✗2']);
    check.equal((await page.$$('.cell')).length, 24);
    await page.click('.cell.cause');
    await page.waitForSelector('.picked');
    check.equal(await page.$$eval('.picked li a', (links) => links.map((link) => link.textContent)), [
      'loa=6, hull=cat, season=winter, power=true',
      'loa=6, hull=cat, season=winter, power=false',
    ]);
  }),

  shown('compares with a report that is opened', async ({ check }, { page: { page }, pages }) => {
    for (const name of ['good.html', 'good.jsonl']) {
      if (name.endsWith('jsonl')) await runCommand(['report', 'good', '-o', name], pages.folder);
      await page.goto(`${pages.bad}#/compare`);
      await page.reload();
      const input = await page.waitForSelector('input[type=file]');
      await (input as unknown as { uploadFile(path: string): Promise<void> }).uploadFile(join(pages.folder, name));
      await page.waitForSelector('.compared');
      const text = await page.$eval('.compare', (view) => (view as HTMLElement).innerText);
      // On a busy machine, some are slower or faster.
      check.matches(text, /13 newly failing, 1 still failing, (?:\d+ (?:slower|faster), )*4\d the same/, name);
    }
  }),

  shown('compares with a report that is dropped in, and rejects other files', async ({ check }, { page: { page }, pages }) => {
    await page.goto(`${pages.bad}#/compare`);
    await page.waitForSelector('.compare');
    const drop = (name: string, text: string): Promise<void> =>
      page.evaluate(
        (name, text) => {
          const dataTransfer = new DataTransfer();
          dataTransfer.items.add(new File([text], name));
          document.querySelector('.compare')?.dispatchEvent(new DragEvent('drop', { dataTransfer, bubbles: true, cancelable: true }));
        },
        name,
        text,
      );
    await drop('stays.jsonl', 'nights\n1\n');
    await page.waitForSelector('[role=alert]');
    check.includes(await page.$eval('[role=alert]', (alert) => alert.textContent ?? ''), 'cannot read stays.jsonl');
    await drop('good.jsonl', (await runCommand(['report', 'good', '--format', 'jsonl'], pages.folder)).out);
    await page.waitForSelector('.compared');
    check.includes(await page.$eval('.compare', (view) => (view as HTMLElement).innerText), '13 newly failing');
  }),

  shown(
    'shows images and texts of attachments; files that a browser could execute can only be downloaded',
    async ({ check }, { page: { page, errors }, pages }) => {
      await page.goto(`${pages.bad}#/tests?case=${encodeURIComponent('outcomes.lattice.ts#the-office/differs')}`);
      await page.waitForSelector('figure');
      const shownAs = await page.$$eval('figure', (figures) =>
        figures.map((figure) => [figure.querySelector('a')?.textContent, figure.querySelector('img') !== null, figure.querySelector('pre')?.textContent ?? '']),
      );
      check.equal(shownAs, [
        ['a note.txt', false, 'text'],
        ['dot.png', true, ''],
        ['../page.html', false, ''],
        ['plan.svg', false, ''],
      ]);
      check.equal(await page.$$eval('figure a', (links) => links.map((link) => (link as HTMLAnchorElement).download)), [
        'a note.txt',
        'dot.png',
        '.._page.html',
        'plan.svg',
      ]);
      check.equal(errors, []);
    },
  ),

  shown('exports the filtered cases as CSV, and prints the whole list', async ({ check }, { page: { page }, pages }) => {
    await page.goto(`${pages.bad}#/tests?filter=${encodeURIComponent('hull=cat season=winter')}`);
    await page.waitForSelector('.line.item');
    const text = await page.evaluate(
      () =>
        new Promise<string>((resolve) => {
          URL.createObjectURL = (given) => {
            void (given as Blob).text().then(resolve);
            return 'blob:taken';
          };
          [...document.querySelectorAll('button')].find(({ textContent }) => textContent === 'CSV')?.click();
        }),
    );
    const [head, ...rows] = text.trim().split('\n');
    check.equal(head, '(id),(status),(title),(milliseconds),(message),loa,hull,season,power');
    check.equal(
      rows.map((row) => row.includes(',failed,')),
      Array(8).fill(true),
    );
    await page.goto(`${pages.green}#/tests?filter=stays`);
    await page.waitForSelector('.line.item');
    const onScreen = (await page.$$('.line')).length;
    await page.evaluate(() => dispatchEvent(new Event('beforeprint')));
    check.equal((await page.$$('.line')).length, 64);
    check.holds(onScreen < 64, `${onScreen} on the screen`);
    await page.emulateMediaType('print');
    check.equal(await page.$eval('.bar nav', (nav) => getComputedStyle(nav).display), 'none');
  }),

  shown('never interprets text of tests as markup', async ({ check }, { page: { page, errors }, pages }) => {
    for (const view of ['overview', 'tests?filter=status:failed', 'matrix', 'time', 'history', 'compare', `tests?filter=${encodeURIComponent(hostile)}`]) {
      await page.goto(`${pages.bad}#/${view}`);
      await page.reload();
      await page.waitForSelector('main > *');
    }
    await page.keyboard.press('p');
    check.equal(await page.$$eval('img[src="x"], main script', (found) => found.length), 0);
    check.equal(errors, []);
    const html = await readFile(join(pages.folder, 'bad.html'), 'utf8');
    const [, record = ''] = /<script type="application\/x-ndjson" id="record">(.*?)<\/script>/s.exec(html) ?? [];
    check.holds(record.includes('\\u003c/script>\\u003cimg') && !record.includes('<'));
    check.includes(html, "default-src 'none'");
  }),

  shown(
    'WCAG 2.2 AA: {view}, {theme}',
    { cases: matrix({ view: ['overview', 'tests', 'matrix', 'time', 'history', 'compare'], theme: ['light', 'dark'] }) },
    async ({ row, check }, { page: { page }, pages }) => {
      await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: row.theme }]);
      const open = row.view === 'tests' ? `?case=${encodeURIComponent('outcomes.lattice.ts#the-office/differs')}` : '';
      await page.goto(`${pages.bad}#/${row.view}${open}`);
      await page.waitForSelector('main > *');
      // Colours in transition have another contrast.
      await page.waitForFunction(() => document.getAnimations().length === 0);
      await page.evaluate(axe);
      const violations = await page.evaluate(async () => {
        const { axe } = window as unknown as {
          axe: { run(options: object): Promise<{ violations: { id: string; nodes: { html: string; failureSummary: string }[] }[] }> };
        };
        const { violations } = await axe.run({ runOnly: { type: 'tag', values: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'] } });
        return violations.flatMap(({ id, nodes }) => nodes.slice(0, 3).map(({ html, failureSummary }) => `${id}: ${html.slice(0, 200)} ${failureSummary}`));
      });
      check.equal(violations, []);
    },
  ),
]);
