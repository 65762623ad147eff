// Runs the harbour office with the current tariff, and with a draft that has two mistakes, whose causes are found. Then accepts the
// expected values of the next tariff.
import { copyFileSync, existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { command, makeReady, root, show } from './steps.mjs';

makeReady();
const office = join(root, 'examples', 'harbour-office');
const run = (...args) => show(process.execPath, [command, 'run', ...args], { cwd: office });
const heading = (text) => console.log(`\n${'═'.repeat(text.length)}\n${text}\n${'═'.repeat(text.length)}`);

heading('1. The current tariff: all cases pass');
const current = run();
heading('2. A draft of the tariff, with two mistakes');
const draft = run('--tag', 'draft');

heading('3. What makes the rows fail: more rows, until the causes are known');
const narrowed = show(process.execPath, [command, 'narrow', '--tag', 'draft'], { cwd: office });

show(process.execPath, [command, 'report', '-o', 'results.html'], { cwd: office });

const runs = join(office, '.red-lattice', 'runs');
const newest = existsSync(runs) ? readdirSync(runs).sort().at(-1) : undefined;

heading('4. The tariff of next year: its dues are accepted into a copy of this year’s');
const data = join(office, 'tests', 'data');
copyFileSync(join(data, 'dues.csv'), join(data, 'dues-2032.csv'));
const changed = show(process.execPath, [command, 'run', '--tag', 'next-edition', '--show', 'summary'], { cwd: office });
const accepted = show(process.execPath, [command, 'accept', '--yes'], { cwd: office });
const next = show(process.execPath, [command, 'run', '--tag', 'next-edition', '--show', 'summary'], { cwd: office });

heading('What to look at next');
console.log(`
The failures of the draft have two causes. Each cause is one line of its code.
  The rows are in        examples/harbour-office/tests/data/dues.csv
  the test in            examples/harbour-office/tests/dues.lattice.ts
  the draft in           examples/harbour-office/src/draft.ts
  the results page is    examples/harbour-office/results.html
  the run's record in    examples/harbour-office/.red-lattice/runs/${newest}

From examples/harbour-office, try
  npm run dev                                       the application itself; /checks.html there runs its suites in the page
  npx red-lattice view                              the results page, live
  npx red-lattice plan                              what would run, and where its cases come from
  npx red-lattice run tests/data/dues.csv:14        the case of one row
  npx red-lattice run --title rejected --show cases  a selection by title, one line per case
  git diff --no-index tests/data/dues.csv tests/data/dues-2032.csv  the values that the next tariff changes
`);
if (current !== 0 || draft !== 1 || narrowed !== 0 || changed !== 1 || accepted !== 0 || next !== 0) {
  console.error(
    `The demo did not end as expected: the current tariff ended with ${current}, the draft with ${draft}, its causes with ${narrowed}, the next tariff with ${changed}, ${accepted} and ${next}.`,
  );
  process.exit(1);
}
