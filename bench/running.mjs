// Lanes, times and the journal, each relative to its floor. Exit status 1 if a limit is exceeded.
// usage: running.mjs [part of a name]
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { alternate, reportFigure, wall } from './measure.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const command = join(root, 'dist', 'command.js');
const part = process.argv[2];
const folder = mkdtempSync(join(tmpdir(), 'red-lattice-bench-'));
mkdirSync(join(folder, 'node_modules'));
symlinkSync(root, join(folder, 'node_modules', 'red-lattice'));
writeFileSync(join(folder, 'package.json'), '{"type":"module"}');
const file = (name, text) => writeFileSync(join(folder, name), text);
const info = (record) => JSON.parse(readFileSync(join(folder, record, 'run.json'), 'utf8'));

const runs = '.red-lattice/runs';
/** Runs the command on a file. Returns what its record contains. */
function run(name, ...args) {
  wall([command, 'run', name, '--show', 'summary', ...args], { cwd: folder });
  const record = join(runs, readdirSync(join(folder, runs)).sort().at(-1));
  return { record, ...info(record) };
}
const median = (list) => list.sort((a, b) => a - b)[list.length >> 1];

const benches = {
  'two lanes, cases that compute'() {
    const loop = 'let x = 0; for (let i = 0; i < 100e6; i++) x += i % 7;';
    const cases = 24;
    file(
      'compute.lattice.mjs',
      `import { test } from 'red-lattice';\n${Array.from({ length: cases }, (_, i) => `export const t${i} = test('computes ${i}', ({ check }) => { ${loop} check.holds(x > 0); });`).join('\n')}\n`,
    );
    // The same work in bare processes: two cores that are shared with others, or share units, do not do twice as much as one.
    file(
      'bare.mjs',
      `import { spawn } from 'node:child_process';
const processes = Number(process.argv[2]);
const work = 'for (let n = 0; n < ${cases} / ' + processes + '; n++) { ${loop} }';
for (let i = 0; i < processes; i++) spawn(process.execPath, ['-e', work]);\n`,
    );
    run('compute.lattice.mjs');
    const times = alternate(
      {
        one: () => run('compute.lattice.mjs', '--lanes', '1').milliseconds,
        two: () => run('compute.lattice.mjs', '--lanes', '2').milliseconds,
        bareOne: () => wall(['bare.mjs', '1'], { cwd: folder }),
        bareTwo: () => wall(['bare.mjs', '2'], { cwd: folder }),
      },
      5,
    );
    const ratio = times.one / times.two;
    const possible = times.bareOne / times.bareTwo;
    const what = `two lanes beside one, ${cases} cases that compute`;
    reportFigure(
      what,
      ratio.toFixed(2),
      'x faster',
      `at least 1.8, or 0.95 of the ${possible.toFixed(2)} x of two bare processes`,
      ratio < Math.min(1.8, 0.95 * possible),
    );
  },
  'cases that wait'() {
    file(
      'wait.lattice.mjs',
      "import { test, range } from 'red-lattice';\nexport const t = test('waits', { cases: range('n', 1, 100) }, async ({ check }) => { await new Promise((done) => setTimeout(done, 100)); check.holds(true); });\n",
    );
    const spans = Array.from({ length: 3 }, () => {
      const { record } = run('wait.lattice.mjs', '--concurrency', '50', '--lanes', '1');
      const { stdout } = spawnSync(process.execPath, [command, 'report', record, '--format', 'jsonl'], { cwd: folder, encoding: 'utf8' });
      const [, ...results] = stdout
        .trimEnd()
        .split('\n')
        .map((line) => JSON.parse(line));
      const begin = Math.min(...results.map(({ start }) => start));
      const end = Math.max(...results.map(({ start, milliseconds: { setup, body, teardown } }) => start + setup + body + teardown));
      return end - begin;
    });
    const taken = median(spans);
    reportFigure('100 cases that wait 100 ms each, --concurrency 50', taken.toFixed(0), 'ms', 'under 400', taken >= 400);
  },
  'a stuck lane'() {
    file(
      'stuck.lattice.mjs',
      "import { test } from 'red-lattice';\nexport const stuck = test('stuck', { timeout: 300 }, () => { for (;;); });\nexport const next = test('next', ({ check }) => { globalThis.process.stdout.write(''); check.holds(true); });\n",
    );
    file('forked.mjs', 'process.send(1);');
    file(
      'fork.mjs',
      "import { fork } from 'node:child_process';\nconst begun = performance.now();\nfork('./forked.mjs').once('message', () => console.log(performance.now() - begun));\n",
    );
    const fork = median(
      Array.from({ length: 7 }, () => {
        const env = { ...process.env, NODE_EXTRA_CA_CERTS: undefined };
        return Number(spawnSync(process.execPath, ['fork.mjs'], { cwd: folder, env, encoding: 'utf8' }).stdout);
      }),
    );
    const waits = Array.from({ length: 5 }, (_, i) => {
      const record = `stuck-${i}`;
      const { NODE_EXTRA_CA_CERTS, ...env } = process.env;
      spawnSync(process.execPath, [command, 'run', 'stuck.lattice.mjs', '--record', record, '--lanes', '1'], { cwd: folder, env });
      // From the deadline of the first case to the journal of the process that runs the second.
      const began = statSync(join(folder, record, 'lane-0.journal')).mtimeMs + 300;
      return statSync(join(folder, record, 'lane-0-1.journal')).mtimeMs - began;
    });
    const wait = median(waits) - 1000;
    const what = 'from the end of a looping lane’s grace to the next case’s result';
    reportFigure(
      what,
      (wait / fork).toFixed(2),
      'x',
      `${wait.toFixed(0)} ms; at most 2 x the ${fork.toFixed(0)} ms of a fork's first message`,
      wait > 2 * fork,
    );
  },
  'the journal'() {
    file('stream.lattice.mjs', "import { test, range } from 'red-lattice';\nexport const t = test('t', { cases: range('n', 1, 300000) }, () => {});\n");
    const { record, milliseconds: taken } = run('stream.lattice.mjs', '--lanes', '1');
    const lines = readFileSync(join(folder, record, 'lane-0.journal'), 'utf8')
      .split('\n')
      .filter((line) => /^[+=]/.test(line));
    const bytes = lines.reduce((sum, line) => sum + line.indexOf('\t') + 1, 0) / lines.length;
    reportFigure('the journal, bytes for a passed case without its values', bytes.toFixed(1), 'bytes', 'at most 45', bytes > 45);
    console.log(`${'300,000 trivial cases, all in all'.padEnd(66)} ${((taken / 300_000) * 1000).toFixed(1)} µs each`);
  },
  'what progress costs'() {
    file(
      'waits.lattice.mjs',
      "import { test, range } from 'red-lattice';\nexport const t = test('waits', { cases: range('n', 1, 100) }, async ({ check }) => { await new Promise((done) => setTimeout(done, 20)); check.holds(true); });\n",
    );
    const shown = (show) => () => wall([command, 'run', 'waits.lattice.mjs', '--show', show, '--lanes', '1'], { cwd: folder });
    const times = alternate({ summary: shown('summary'), cases: shown('cases') }, 7);
    const cost = (times.cases / times.summary - 1) * 100;
    reportFigure('a line for each case beside none', cost.toFixed(1), '%', 'under 2', cost > 2);
  },
};

try {
  for (const [name, bench] of Object.entries(benches)) if (!part || name.includes(part)) bench();
} finally {
  rmSync(folder, { recursive: true, force: true });
}
