// Takes the pictures in docs/screenshots: the output of commands on the demo data in a terminal, and views of the results page.
// Needs Xvfb, xterm, import and Chromium (Debian: xvfb xterm imagemagick fonts-dejavu-core chromium).
import { spawn, spawnSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { pathToFileURL } from 'node:url';
import puppeteer from 'puppeteer-core';
import { chromium, flags } from './chromium.mjs';
import { command, makeReady, root } from './steps.mjs';

makeReady();
const office = join(root, 'examples', 'harbour-office');

/** A project in which each test file has one mistake. */
const mistaken = mkdtempSync(join(tmpdir(), 'red-lattice-pictures-'));
writeFileSync(join(mistaken, 'package.json'), '{"type":"module"}');
symlinkSync(join(root, 'node_modules'), join(mistaken, 'node_modules'));
writeFileSync(
  join(mistaken, 'dues.lattice.ts'),
  `import { cell, dataFile, table, test } from 'red-lattice';

const stays = table(['loa', 'nights'], [[8, 1], [12, 3]]);
export const short = test('a stay at {lao} m', { cases: stays }, () => {});
export const none = test('winter stays', { cases: table(['loa'], []) }, () => {});
export const file = test('last year', {
  cases: dataFile('deus.csv', { columns: { loa: cell.number } }),
}, () => {});
`,
);
writeFileSync(join(mistaken, 'dues.csv'), 'loa\n8\n');

/** All pictures, or the given ones. */
const names = process.argv.slice(2);
const pictures = [
  { name: 'run-failures', cwd: office, args: ['run', '--tag', 'draft'] },
  { name: 'grid', cwd: office, args: ['run', '--tag', 'draft', '--grid-by', 'season,hull/loa', '--show', 'summary', '--title', 'table of bands'] },
  {
    name: 'compare',
    cwd: office,
    before: ['run', 'tests/dues.lattice.ts', 'tests/draft.lattice.ts', '--on-request', '--show', 'summary'],
    args: ['compare', 'latest', 'latest', '--variants', 'berth dues,berth dues by the draft'],
  },
  {
    name: 'run',
    cwd: office,
    args: ['run', 'tests/berths.lattice.ts', 'tests/bookings.lattice.ts', 'tests/dues.lattice.ts', 'tests/tides.lattice.ts'],
  },
  { name: 'narrow', cwd: office, args: ['narrow', '--tag', 'draft'] },
  {
    name: 'accept',
    cwd: office,
    before: ['run', '--tag', 'next-edition', '--show', 'summary'],
    copy: ['tests/data/dues.csv', 'tests/data/dues-2032.csv'],
    args: ['accept', '--check'],
    after: ['accept', '--yes'],
  },
  { name: 'plan', cwd: office, args: ['plan', 'tests/berths.lattice.ts', 'tests/prices.lattice.ts', 'tests/tides.lattice.ts'] },
  { name: 'explain', cwd: office, args: ['explain', 'without a vessel'] },
  {
    name: 'timeline',
    cwd: office,
    args: ['run', '--timeline', '--show', 'summary', 'tests/storage.lattice.ts', '--title', 'second booking', '--title', 'begins empty'],
  },
  { name: 'plan-errors', cwd: mistaken, args: ['run'] },
];

/** The size of the terminal: high enough for the whole output. */
const COLUMNS = 100;
const ROWS = 130;
const BACKGROUND = '#14161a';
/** Milliseconds in which a command must end, and in which the terminal then draws its output. */
const MAX_COMMAND_MS = 120_000;
const DRAW_MS = 500;

for (const { name, cwd, copy, before, after, args } of pictures.filter((picture) => names.length === 0 || names.includes(picture.name))) {
  if (copy) copyFileSync(join(cwd, copy[0]), join(cwd, copy[1]));
  if (before) spawnSync(process.execPath, [command, ...before], { cwd, stdio: 'ignore' });
  const display = `:${90 + Math.floor(Math.random() * 900)}`;
  const server = spawn('Xvfb', [display, '-screen', '0', `${COLUMNS * 9}x${ROWS * 18}x24`, '-nolisten', 'tcp'], { stdio: 'ignore' });
  await wait(1000);
  const shown = `printf '\\033[1m$ npx red-lattice ${args.map((word) => (word.includes(' ') ? `"${word}"` : word)).join(' ')}\\033[0m\\n'; "$0" "$@"; tput civis; touch "$ENDED"; sleep 60`;
  const ended = join(mistaken, `${name} has ended`);
  const look = [
    '-geometry',
    `${COLUMNS}x${ROWS}+0+0`,
    '-bw',
    '0',
    '-fa',
    'DejaVu Sans Mono',
    '-fs',
    '10',
    '-bg',
    BACKGROUND,
    '-fg',
    '#d7dae0',
    '-xrm',
    'xterm*scrollBar: false',
  ];
  const terminal = spawn('xterm', [...look, '-e', 'bash', '-c', shown, process.execPath, command, ...args], {
    cwd,
    stdio: 'ignore',
    env: { ...process.env, DISPLAY: display, FORCE_COLOR: '1', ENDED: ended },
  });
  for (let waited = 0; !existsSync(ended); waited += 100) {
    if (waited >= MAX_COMMAND_MS) throw new Error(`red-lattice ${args.join(' ')} did not end within ${MAX_COMMAND_MS / 1000} s`);
    await wait(100);
  }
  await wait(DRAW_MS);
  const target = join(root, 'docs', 'screenshots', `${name}.png`);
  spawnSync('import', ['-window', 'root', target], { env: { ...process.env, DISPLAY: display }, stdio: 'inherit' });
  // Cropped to the content, with few colours: small files for the repository.
  const crop = [
    '-fill',
    BACKGROUND,
    '-opaque',
    'black',
    '-background',
    BACKGROUND,
    '-bordercolor',
    BACKGROUND,
    '-border',
    '1',
    '-trim',
    '+repage',
    '-border',
    '12',
    '-colors',
    '64',
  ];
  spawnSync('convert', [target, ...crop, `png8:${target}`], { stdio: 'inherit' });
  terminal.kill();
  server.kill();
  if (after) spawnSync(process.execPath, [command, ...after], { cwd, stdio: 'ignore' });
  console.log(`docs/screenshots/${name}.png`);
}
rmSync(mistaken, { recursive: true });

/** Views of the page, each with the actions before its picture is taken. */
const views = [
  { name: 'page-overview', hash: '#/overview' },
  { name: 'page-case', hash: '#/tests?filter=status:failed', act: () => document.querySelectorAll('.line.item')[3].click() },
  { name: 'page-matrix', hash: '#/matrix', dark: true, act: () => document.querySelector('.cell.cause').click() },
  { name: 'page-time', hash: '#/time' },
  { name: 'page-history', hash: '#/history' },
  { name: 'page-compare', hash: '#/compare', dark: true },
].filter(({ name }) => names.length === 0 || names.includes(name));
if (views.length > 0) {
  const folder = mkdtempSync(join(tmpdir(), 'red-lattice-pictures-'));
  // A history: the draft fails in some of the runs.
  for (const more of [[], ['--on-request'], [], [], ['--on-request'], []])
    spawnSync(process.execPath, [command, 'run', '--show', 'summary', ...more], { cwd: office, stdio: 'ignore' });
  spawnSync(process.execPath, [command, 'run', '--on-request', '--show', 'summary'], { cwd: office, stdio: 'ignore' });
  spawnSync(process.execPath, [command, 'report', '-o', join(folder, 'page.html')], { cwd: office, stdio: 'inherit' });
  const browser = await puppeteer.launch({ executablePath: chromium, args: flags, userDataDir: join(folder, 'profile') });
  for (const { name, hash, dark, act } of views) {
    const page = await browser.newPage();
    await page.setViewport({ width: 1280, height: 800 });
    await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: dark ? 'dark' : 'light' }]);
    await page.goto(`${pathToFileURL(join(folder, 'page.html')).href}${hash}`);
    await wait(1000);
    if (act) await page.evaluate(act);
    await wait(500);
    await page.screenshot({ path: join(root, 'docs', 'screenshots', `${name}.png`) });
    await page.close();
    console.log(`docs/screenshots/${name}.png`);
  }
  await browser.close();
  rmSync(folder, { recursive: true, force: true });
}

/** The applications of the examples, as started by `npm run dev`. */
const applications = [
  { name: 'harbour-office', ready: '.plan .stay', height: 680 },
  {
    name: 'checks',
    example: 'harbour-office',
    page: 'checks.html',
    ready: '[role=status].passed',
    height: 800,
    async act(page) {
      await page.click('header input');
      await page.waitForSelector('[role=status].failed');
    },
  },
  {
    name: 'matrix-workbench',
    ready: 'tbody tr',
    height: 800,
    hash: '#%7B%22strength%22%3A2%2C%22failed%22%3A%5B%5D%7D',
    // Marks the rows of catamarans in winter as failed.
    async act(page) {
      const failing = await page.$$eval('tbody tr', (rows) => rows.flatMap((row, i) => (/cat.*winter/s.test(row.innerText) ? [i + 1] : [])));
      await (await page.$('.tools input')).type(failing.join(' '));
      await page.keyboard.press('Enter');
    },
  },
].filter(({ name }) => names.length === 0 || names.includes(name));
for (const { name, example = name, page: file = '', ready, height, hash = '', act } of applications) {
  const cwd = join(root, 'examples', example);
  const server = spawn(process.execPath, [join(root, 'node_modules', 'vite', 'bin', 'vite.js'), '--port', '5183', '--strictPort'], { cwd, stdio: 'ignore' });
  const profile = mkdtempSync(join(tmpdir(), 'red-lattice-pictures-'));
  const browser = await puppeteer.launch({ executablePath: chromium, args: flags, userDataDir: profile });
  const page = await browser.newPage();
  await page.setViewport({ width: 1280, height: 800 });
  await wait(3000);
  await page.goto(`http://localhost:5183/${file}${hash}`);
  await page.waitForSelector(ready);
  await act?.(page);
  await wait(500);
  await page.screenshot({ path: join(root, 'docs', 'screenshots', `${name}.png`), clip: { x: 0, y: 0, width: 1280, height } });
  await browser.close();
  server.kill();
  rmSync(profile, { recursive: true, force: true });
  console.log(`docs/screenshots/${name}.png`);
}
