import { readdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { build } from 'esbuild';

import { fixture, test } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { browser, withoutChromium } from '../page/chromium.ts';
import { dataFiles, excluded, harbourOutcome } from './harbour-suites.ts';
import { outcome } from './page-suites.ts';

/** A page that has run suites, bundled as an application would be. `script` returns the results. */
const page = fixture('page', {
  needs: { browser, folder: tempDirectory() },
  settings: { script: '' },
  async setup({ settings }, { browser, folder }) {
    const contents = `${settings.script}.then((outcomes) => (window.outcomes = outcomes), (error) => (window.outcomes = [String(error.stack)]));`;
    await build({
      stdin: { contents, resolveDir: folder },
      outfile: join(folder, 'suites.js'),
      bundle: true,
      format: 'esm',
      platform: 'browser',
      logLevel: 'silent',
    });
    await writeFile(join(folder, 'index.html'), '<!doctype html><script type="module" src="suites.js"></script>');
    const page = await browser.newPage();
    await page.goto(pathToFileURL(join(folder, 'index.html')).href);
    return page;
  },
  teardown: (page) => page.close(),
});

const here = (file: string): string => JSON.stringify(fileURLToPath(new URL(file, import.meta.url)));
const read = async (file: string): Promise<Uint8Array> =>
  new Uint8Array(await readFile(new URL(`../../examples/harbour-office/tests/${file}`, import.meta.url)));
const contents = Object.fromEntries(await Promise.all(dataFiles.map(async (file) => [file, await read(file)] as const)));
const inBase64 = Object.entries(contents).map(
  ([file, bytes]) => `${JSON.stringify(file)}: Uint8Array.from(atob('${Buffer.from(bytes).toString('base64')}'), (one) => one.charCodeAt(0))`,
);
/** The options of a test whose page runs a script. */
const inPage = (script: string) => ({
  needs: { page },
  timeout: 60_000,
  skip: withoutChromium,
  overrides: [browser.with({ more: ['--allow-file-access-from-files'] }), page.with({ script })],
});

export const harbour = test(
  'the harbour office’s suites have the same results in a page and in Node',
  inPage(`import { harbourOutcome } from ${here('harbour-suites.ts')};\nharbourOutcome({ ${inBase64.join(', ')} })`),
  async ({ check }, { page }) => {
    await page.waitForFunction('window.outcomes');
    const outcomes = (await page.evaluate('window.outcomes')) as string[];
    check.equal(outcomes, await harbourOutcome(contents));
    check.holds(outcomes.length > 200, `${outcomes.length} cases`);
    // All of the office's tests are here, except those that are excluded with reasons.
    const all = (await readdir(new URL('../../examples/harbour-office/tests/', import.meta.url))).filter((name) => name.endsWith('.lattice.ts'));
    const suites = await readFile(new URL('harbour-suites.ts', import.meta.url), 'utf8');
    check.equal(all.filter((name) => !suites.includes(`/${name}'`)).sort(), Object.keys(excluded).sort());
  },
);

export const alike = test(
  'suites run in a page as they do in Node',
  inPage(`import { outcome } from ${here('page-suites.ts')};\noutcome()`),
  async ({ check }, { page }) => {
    await page.waitForFunction('window.outcomes');
    check.equal((await page.evaluate('window.outcomes')) as string[], await outcome());
  },
);

export const late = test(
  'in a page, a timer that fails fails the run',
  inPage(`import { lateOutcome } from ${here('page-suites.ts')};\nlateOutcome()`),
  async ({ check }, { page }) => {
    await page.waitForFunction('window.outcomes');
    check.equal(await page.evaluate('window.outcomes'), ['late › leaves timers: passed', 'late › takes longer: failed', 'ok: false']);
  },
);
