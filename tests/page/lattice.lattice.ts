import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { range, suite, test, testWith, values } from 'red-lattice';
import { chooseStep, layOutBlock, MIN_BLOCK_WIDTH } from '../../page/src/parts/lattice-layout.ts';
import { createRandom } from '../../src/cases/random.ts';
import { runCommand } from '../program.ts';
import { outcomes } from '../results/outcomes-project.ts';
import { page } from './chromium.ts';

const inPage = testWith({ page, outcomes });

/** The height of blocks in a width of 900, computed plainly. */
function heightOf(counts: readonly number[], step: number): number {
  const lines: { wide: number; high: number }[] = [];
  for (const count of counts) {
    const { width, height } = layOutBlock(count, step, 900);
    const wide = Math.max(width, MIN_BLOCK_WIDTH);
    const line = lines.at(-1);
    if (line && line.wide + 14 + wide <= 900) {
      line.wide += 14 + wide;
      line.high = Math.max(line.high, height + 18);
    } else lines.push({ wide, high: height + 18 });
  }
  return lines.reduce((sum, { high }) => sum + high, 0) + 14 * (lines.length - 1);
}

export const lattice = suite('the lattice of cases', { timeout: 60_000 }, [
  test('has a cell for each of {count} cases in a width of {width}', {
    cases: values('count', [1, 2, 7, 126, 2_000, 100_000]).cross(values('width', [320, 900, 2_000])),
  }, ({ row: { count, width }, check }) => {
    const step = chooseStep([count], width, 300);
    const { columns, rows, ...block } = layOutBlock(count, step, width);
    check.holds(columns * rows >= count && columns * (rows - 1) < count, 'no row is empty');
    check.holds(block.width <= Math.max(width, MIN_BLOCK_WIDTH) && block.width === columns * step && block.height === rows * step);
    check.holds(count > 1 || step === 18, 'few cases have large cells');
    check.holds(count < 100_000 || step === 2, 'many cases have small ones');
  }),

  test('uses the largest cells that have room: seed {seed}', { cases: range('seed', 1, 40) }, ({ row: { seed }, check }) => {
    const random = createRandom(`lattice ${seed}`);
    const counts = Array.from({ length: random.integer(1, 30) }, () => random.integer(1, 400));
    const [small, large] = [chooseStep(counts, 900, 300), chooseStep(counts, 900, 900)];
    check.holds(small === 2 || heightOf(counts, small) <= 300, 'they have room');
    const next = [18, 14, 11, 9, 7, 5, 4, 3].filter((step) => step > small).at(-1);
    check.holds(next === undefined || heightOf(counts, next) > 300, 'the next larger ones have not');
    check.holds(large >= small, 'more height, larger cells');
    check.holds(chooseStep([...counts, 400], 900, 300) <= small, 'more cases, smaller cells');
  }),

  inPage('shows the name of a cell, and opens its case', async ({ check }, { page: { page, errors }, outcomes: { folder } }) => {
    await runCommand(['report', 'bad', '-o', 'lattice.html'], folder);
    await page.goto(pathToFileURL(join(folder, 'lattice.html')).href);
    await page.waitForSelector('.lattice .cells');
    const label = await page.$eval('.lattice .cells button', (button) => button.getAttribute('aria-label'));
    check.matches(label, /^outcomes\.lattice\.ts: \d+ cases, \d+ failing\. Arrow keys move, Enter opens a case\.$/);
    await page.focus('.lattice .cells button');
    await page.keyboard.press('ArrowRight');
    await page.keyboard.press('ArrowRight');
    check.matches(
      await page.$eval('.lattice .tip', (tip) => (tip as HTMLElement).innerText),
      / · (?:passed|failed|errored|skipped|not requested|known failure) · /,
    );
    await page.keyboard.press('Enter');
    await page.waitForSelector('article.case');
    check.equal(errors, []);
  }),
]);
