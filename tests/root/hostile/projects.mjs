// Projects in which one of several cases does something hostile. The other cases must have their usual results, every body runs once, and
// each setup has its teardown, except in a process that was ended.
import { bodies } from './bodies.mjs';

const rows = [1, 2, 3, 4];

const bodyProjects = bodies.map(([body, status]) => ({
  name: `hostile: ${body}`,
  files: {
    'a.lattice.mjs': `
      import { appendFileSync } from 'node:fs';
      const file = new URL('order.txt', import.meta.url);
      const note = (text) => appendFileSync(file, text + ' ');
      const quay = fixture('quay', { setup: () => note('+'), teardown: () => note('-') });
      export const berths = test('berth {n}', { needs: { quay }, cases: range('n', 1, 4) }, async ({ row, check, step, log, attach, defer, skip }) => {
        note(row.n);
        check.equal(1, 1);
        if (row.n === 2) { ${body} }
      });
      export const fails = test('fails', ({ check }) => check.equal({ a: [1, 'x'] }, { a: [2, 'y'] }));`,
  },
  args: ['run', '--lanes', '1'],
  status: 1,
  last: status === 'passed' ? '4 passed, 1 failed' : status === 'skipped' ? '3 passed, 1 failed, 1 skipped' : '3 passed, 2 failed',
  results: {
    ...Object.fromEntries(rows.map((n) => [`berth ${n}`, n !== 2 ? 'passed' : status.startsWith('ends') ? 'errored/crash' : status])),
    fails: 'failed/check',
  },
  wrote: { 'order.txt': rows.map((n) => `+ ${n} ${n === 2 && status === 'ends' ? '' : '- '}`).join('') },
}));

const note = "import { appendFileSync } from 'node:fs'; const note = (text) => appendFileSync(new URL('order.txt', import.meta.url), text + ' ');";
const pause = 'const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));';

/** Whole projects. `within` is the longest time in milliseconds that the run can take. */
const wholeProjects = [
  {
    name: 'hostile: a child process keeps the output of its lane open',
    files: {
      'a.lattice.mjs': `
        import { spawn } from 'node:child_process';
        export const leaves = test('leaves a child', ({ check }) => { spawn('sleep', ['15'], { stdio: 'inherit', detached: true }).unref(); check.holds(true); });
        export const exits = test('exits', () => { spawn('sleep', ['15'], { stdio: 'inherit' }); process.exit(1); });
        export const last = test('last', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    last: '2 passed, 1 failed',
    within: 8000,
  },
  {
    name: 'hostile: the children of a lane that exceeds its time are killed, too',
    files: {
      'a.lattice.mjs': `
        import { spawn } from 'node:child_process'; ${note}
        export const loops = test('loops', { timeout: 300 }, () => {
          spawn('sh', ['-c', 'while sleep 0.1; do echo alive >> order.txt; done'], { stdio: 'ignore', cwd: new URL('.', import.meta.url) });
          const end = Date.now() + 20_000;
          while (Date.now() < end);
        });
        export const last = test('last', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    last: '1 passed, 1 failed',
    results: { loops: 'failed/timeout', last: 'passed' },
    isQuietAfterwards: true,
  },
  {
    name: 'hostile: rows that are never read fail only their test',
    files: {
      'a.lattice.mjs': `
        ${note}
        const loop = ({ n }) => { if (n === 2) for (;;); return [{ m: n }]; };
        export const few = test('few', { cases: range('n', 1, 3).expand(loop) }, ({ row, check }) => { note(row.m); check.holds(true); });
        export const hangs = test('hangs', { cases: rows(async function* () { yield { n: 1 }; await new Promise(() => {}); }) }, ({ check }) => check.holds(true));
        export const throws = test('throws {n}', { cases: range('n', 1, 3).derive(({ n }) => { if (n === 2) throw new Error('no'); return { m: n }; }) }, ({ check }) => check.holds(true));
        export const last = test('last', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--load-timeout', '500', '--lanes', '1'],
    status: 1,
    last: '5 passed, 3 failed',
    results: {
      'few › n=1, m=1': 'passed',
      'few › invalid rows': 'errored/data',
      'hangs › n=1': 'passed',
      'hangs › invalid rows': 'errored/data',
      'throws 1': 'passed',
      'throws 2': 'errored/data',
      'throws 3': 'passed',
      last: 'passed',
    },
    says: ['reading the rows after row 1 exceeded its time limit of 500 ms', 'threw for this row of a range: Error: no'],
    wrote: { 'order.txt': '1 ' },
  },
  {
    name: 'hostile: rows that cannot be read, and rows that are large',
    files: {
      'a.lattice.mjs': `
        export const getters = test('getter', { cases: rows([{ n: 1 }, { get n() { throw new Error('no'); } }, { n: Object.defineProperty(new Error(), 'message', { get() { throw new Error('never'); } }) }, { n: 3 }]) }, ({ row, check }) => check.equal(row.n, row.n));
        export const bytes = test('bytes', { cases: rows([{ bytes: new Uint8Array(5e6) }, { bytes: new Uint8Array(5e6).fill(1) }]) }, ({ row, check }) => check.equal(row.bytes, row.bytes.slice()));
        export const deep = test('deep', { cases: dataFile('deep.jsonl') }, ({ check }) => check.holds(true));`,
      'deep.jsonl': `{"n":1}\n{"n":${'['.repeat(100_000)}${']'.repeat(100_000)}}\n{"n":2,"n":3}\n{"n":4}\n`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    last: '6 passed, 4 failed',
    says: ['reading column `n` threw: Error: no', 'reading column `n` threw: Error: never', 'deep.jsonl:2:1', 'deep.jsonl:3:8 duplicate key `n`'],
    within: 15_000,
  },
  {
    name: 'hostile: a late exit is not attributed to the case that runs then',
    files: {
      'a.lattice.mjs': `
        ${pause}
        export const first = test('first', ({ check }) => { setTimeout(() => process.exit(0), 60); check.holds(true); });
        export const innocent = test('innocent', async ({ check }) => { await pause(300); check.holds(true); });`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    last: '2 passed, 0 failed',
    results: { first: 'passed', innocent: 'passed' },
    says: ['a case ended the process after it had ended (a.lattice.mjs#first): process.exit(0) was called'],
  },
  {
    name: 'hostile: an attachment that cannot be written fails only its case',
    files: {
      'a.lattice.mjs': `
        import { readdirSync, writeFileSync } from 'node:fs';
        export const many = test('n {n}', { cases: range('n', 1, 4) }, ({ row, check, attach }) => {
          if (row.n === 2) {
            const [run] = readdirSync('.red-lattice/runs');
            writeFileSync('.red-lattice/runs/' + run + '/attachments', '');
            attach('text', 'text');
          }
          check.holds(true);
        });`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    last: '3 passed, 1 failed',
    results: { 'n 1': 'passed', 'n 2': 'errored/record', 'n 3': 'passed', 'n 4': 'passed' },
    says: ['the result could not be recorded'],
  },
  {
    name: 'hostile: a record that is removed during the run',
    files: {
      'a.lattice.mjs': `
        import { rmSync } from 'node:fs';
        export const removes = test('removes', ({ check }) => { rmSync('.red-lattice', { recursive: true }); check.holds(true); });`,
    },
    args: ['run', '--lanes', '1'],
    status: 2,
    error: ['it was removed during the run'],
  },
  {
    name: 'hostile: setups and teardowns that block past their limits',
    files: {
      'a.lattice.mjs': `
        const block = (ms) => { const end = Date.now() + ms; while (Date.now() < end); };
        const slow = fixture('slow', { timeout: 100, setup: () => block(300) });
        const late = fixture('late', { timeout: 100, setup: () => 1, teardown: () => block(300) });
        const loops = fixture('loops', { timeout: 100, setup: () => block(60_000) });
        export const setup = test('setup', { needs: { slow } }, ({ check }) => check.holds(true));
        export const teardown = test('teardown', { needs: { late } }, ({ check }) => check.holds(true));
        export const endless = test('endless', { needs: { loops } }, ({ check }) => check.holds(true));
        export const last = test('last', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    last: '1 passed, 3 failed',
    results: { setup: 'errored/setup', teardown: 'errored/teardown', endless: 'errored/setup', last: 'passed' },
    within: 12_000,
  },
  {
    name: 'hostile: links to themselves, links to nowhere, and a file that is a folder',
    files: {
      'self.lattice.mjs': { link: 'self.lattice.mjs' },
      'nowhere.lattice.mjs': { link: 'missing.mjs' },
      loop: { link: '.' },
      'folder.lattice.mjs/a.txt': '',
      'a.lattice.mjs': `export const one = test('one {valueOf}', ({ check }) => check.holds(true));`,
      'b.lattice.mjs': `export const two = test('two', ({ check }) => check.holds(true));`,
    },
    status: 2,
    last: '1 passed, 0 failed',
    results: { two: 'passed' },
    says: ['unknown column `valueOf`'],
  },
  {
    name: 'hostile: what a fixture replaces stays replaced until the fixture puts it back',
    files: {
      'a.lattice.mjs': `
        const spy = fixture('spy', { scope: 'suite', setup({ defer }) {
          let calls = 0;
          const original = Promise.all;
          Promise.all = function all(list) { calls++; return original.call(Promise, list); };
          defer(() => { Promise.all = original; });
          return () => calls;
        } });
        const uses = (count) => test('use ' + count, { needs: { spy } }, async ({ check }, { spy }) => { await Promise.all([1]); check.equal(spy(), count); });
        export const watched = suite('watched', [uses(1), uses(2)]);
        export const after = test('after', ({ check }) => check.includes(String(Promise.all), 'native code'));
        export const breaks = test('breaks', ({ check }) => { Promise.all = () => 1; check.holds(true); });
        export const restored = test('restored', async ({ check }) => check.equal(await Promise.all([1]), [1]));`,
    },
    args: ['run', '--lanes', '1'],
    status: 0,
    last: '5 passed, 0 failed',
  },
  {
    name: 'hostile: floods of late checks and of long messages',
    files: {
      'a.lattice.mjs': `
        ${pause}
        export const late = test('late', ({ check }) => { setTimeout(() => { for (let i = 0; i < 20_000; i++) check.equal(i, -1, 'x'.repeat(1000)); }, 20); check.holds(true); });
        export const waits = test('waits', async ({ check }) => { await pause(200); check.holds(true); });
        export const lists = test('lists', ({ check }) => check.equal(Array.from({ length: 50_000 }, (_, i) => i), Array.from({ length: 50_000 }, (_, i) => -i)));
        export const lines = test('lines', () => { throw new Error('line\\n'.repeat(150_000)); });`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    last: '2 passed, 2 failed',
    says: ['19,950 more problems of the kind late-check'],
    lines: 400,
  },
];

export const hostile = [...bodyProjects, ...wholeProjects];
