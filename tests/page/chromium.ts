import { existsSync } from 'node:fs';
import puppeteer from 'puppeteer-core';
import { fixture } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { chromium, flags } from '../../scripts/chromium.mjs';

/** The reason for skipping tests in a browser. CI never skips them. */
export const withoutChromium = !existsSync(chromium) && process.env['CI'] === undefined && `Chromium is not installed at ${chromium}`;

/** Chromium without a screen. `files`: pages from files can read each other. */
export const browser = fixture('browser', {
  scope: 'file',
  needs: { profile: tempDirectory('file') },
  settings: { more: [] as readonly string[] },
  setup: ({ settings }, { profile }) => puppeteer.launch({ executablePath: chromium, args: [...flags, ...settings.more], userDataDir: profile }),
  teardown: (browser) => browser.close(),
});

/** A separate page for a case, and the errors in it. */
export const page = fixture('page', {
  needs: { browser },
  async setup(_, { browser }) {
    const page = await browser.newPage();
    const errors: string[] = [];
    page.on('pageerror', (error) => errors.push(String(error)));
    page.on('console', (message) => {
      if (message.type() === 'error') errors.push(message.text());
    });
    page.on('dialog', (dialog) => {
      errors.push(`a dialog: ${dialog.message()}`);
      void dialog.dismiss();
    });
    await page.setViewport({ width: 1280, height: 800 });
    return { page, errors };
  },
  teardown: ({ page }) => page.close(),
});
