// The harbour office, twice: by the current tariff, and by a draft with two mistakes in it.
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { command, makeReady, root, show } from './steps.mjs';

makeReady();
const office = join(root, 'examples', 'harbour-office');
const run = (...args) => show(process.execPath, [command, 'run', ...args], { cwd: office });
const heading = (text) => console.log(`\n${'═'.repeat(text.length)}\n${text}\n${'═'.repeat(text.length)}`);

heading('1. The current tariff: everything holds');
const current = run();
heading('2. A draft of the tariff: two mistakes are in it');
const draft = run('--tag', 'draft');

show(process.execPath, [command, 'report', '-o', 'results.html'], { cwd: office });

heading('What to look at next');
const runs = join(office, '.red-lattice', 'runs');
const newest = existsSync(runs) ? readdirSync(runs).sort().at(-1) : undefined;
console.log(`
The failures above have two causes. "Where it fails" names the rows that they have in common; the code has the two lines.
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
  npx red-lattice run --title refused --show cases  some by their title, a line for each case
`);
if (current !== 0 || draft !== 1) {
  console.error(`The demo did not come out as it should: the current tariff ended with ${current}, the draft with ${draft}.`);
  process.exit(1);
}
