import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { build } from 'esbuild';

import { fixture, test } from 'red-lattice';
import { scratchFolder } from 'red-lattice/node';
import { browser, withoutChromium } from '../page/chromium.ts';
import { outcome } from './page-suites.ts';

/** A page that has run the suites, bundled as an application would. */
const page = fixture('page', {
  needs: { browser, folder: scratchFolder() },
  async setup(_moment, { browser, folder }) {
    const entry = fileURLToPath(new URL('page-suites.ts', import.meta.url));
    const contents = `import { outcome } from ${JSON.stringify(entry)};\noutcome().then((told) => (window.told = told), (error) => (window.told = [String(error.stack)]));`;
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

export const alike = test(
  'suites run in a page as they do in Node',
  { needs: { page }, timeout: 60_000, skip: withoutChromium, bind: [browser.set({ more: ['--allow-file-access-from-files'] })] },
  async ({ check }, { page }) => {
    await page.waitForFunction('window.told');
    check.equal((await page.evaluate('window.told')) as string[], await outcome());
  },
);
