// How long a page with 100,000 cases takes to open and to filter, and how smoothly it scrolls, in Chromium without a screen. Exit status 1
// if a limit is exceeded: open in 1.2 s, filtered in 60 ms, 50 frames per second.
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import puppeteer from 'puppeteer-core';
import { chromium, flags } from '../scripts/chromium.mjs';
import { reportFigure } from './measure.mjs';
import { makeRecord } from './page/made-record.mjs';

const folder = mkdtempSync(join(tmpdir(), 'red-lattice-bench-'));
const command = fileURLToPath(new URL('../dist/command.js', import.meta.url));
makeRecord(join(folder, 'huge'), { cases: 100_000 });
execFileSync(process.execPath, [command, 'report', 'huge', '-o', 'huge.html'], { cwd: folder, stdio: 'ignore' });
const browser = await puppeteer.launch({ executablePath: chromium, args: flags, userDataDir: join(folder, 'profile') });
const middle = (list) => list.sort((a, b) => a - b)[list.length >> 1];
const [opens, filters, frames] = [[], [], []];
for (let round = 0; round < 5; round++) {
  const page = await browser.newPage();
  await page.setViewport({ width: 1280, height: 800 });
  const begun = performance.now();
  await page.goto(`${pathToFileURL(join(folder, 'huge.html')).href}#/tests`, { waitUntil: 'domcontentloaded' });
  await page.waitForSelector('[role=treeitem]');
  opens.push(performance.now() - begun);
  // People look at the page before they type.
  await new Promise((resolve) => setTimeout(resolve, 3000));
  // From typing the last character to the filtered list.
  for (const text of ['quay 77', 'hull=cat', 'loa>=16 tag:money']) {
    filters.push(
      await page.evaluate(
        (wanted) =>
          new Promise((resolve) => {
            const input = document.getElementById('filter');
            const before = document.querySelector('.listing .counts').textContent;
            const from = performance.now();
            new MutationObserver((_, observer) => {
              if (document.querySelector('.listing .counts').textContent === before) return;
              observer.disconnect();
              resolve(performance.now() - from);
            }).observe(document.querySelector('.tests'), { subtree: true, childList: true, characterData: true });
            Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(input, wanted);
            input.dispatchEvent(new Event('input', { bubbles: true }));
          }),
        text,
      ),
    );
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
  frames.push(
    await page.evaluate(async () => {
      const list = document.querySelector('.list');
      let count = 0;
      const from = performance.now();
      while (performance.now() - from < 1000) {
        list.scrollTop += 90;
        await new Promise((resolve) => requestAnimationFrame(resolve));
        count++;
      }
      return (count * 1000) / (performance.now() - from);
    }),
  );
  await page.close();
}
await browser.close();
const size = statSync(join(folder, 'huge.html')).size;
rmSync(folder, { recursive: true, force: true });
console.log(`100,000 cases in one file of ${(size / 1e6).toFixed(1)} MB`);
reportFigure('opens', middle(opens).toFixed(0), 'ms', 'at most 1,200', middle(opens) > 1200);
reportFigure('filters', middle(filters).toFixed(0), 'ms', 'at most 60', middle(filters) > 60);
reportFigure('scrolls, frames a second', middle(frames).toFixed(0), '  ', 'at least 50', middle(frames) < 50);
