import { readFileSync } from 'node:fs';
import { parse } from 'yaml';

/** A test that is interrupted or killed while its body runs. */
const interruptible = (body, down = '', closing = '') => ({
  'a.lattice.mjs': `
    import { appendFileSync } from 'node:fs';
    const note = (text) => appendFileSync('order.txt', text + ' ');
    const office = fixture('office', { scope: 'run', setup: () => note('+office'), teardown: async () => { ${closing} note('-office'); } });
    const quay = fixture('quay', { scope: 'file', needs: { office }, setup: () => note('+quay'), teardown: () => { note('-quay'); ${down} } });
    export const long = test('long', { needs: { quay }, timeout: 60_000 }, async ({ signal }) => {
      signal.addEventListener('abort', () => { note('abort'); setTimeout(() => note('late'), 300); });
      note('body');
      ${body}
    });
    export const never = test('never', () => note('never'));`,
});

const pass = 'passed';

/** @type {{ name: string, files: Record<string, string>, args?: string[], status: number, last?: string, results?: Record<string, string>, says?: string[], error?: string[], omits?: string[], absent?: string }[]} */
export const outcomes = [
  ...parse(readFileSync(new URL('outcomes.yaml', import.meta.url), 'utf8')),
  {
    name: 'rows: each its own result',
    files: {
      'a.lattice.mjs': `
        export const many = test('n {n}', { cases: range('n', 1, 300) }, ({ row, check }) => check.notEqual(row.n % 100, 99));
        export const few = test('name {name}', { cases: namedRows({ north: { name: 'N' }, south: { name: 'S' } }) }, ({ row, check }) => check.equal(row.name, 'N'));`,
    },
    status: 1,
    last: '298 passed, 4 failed',
    results: {
      ...Object.fromEntries(Array.from({ length: 300 }, (_, i) => [`n ${i + 1}`, (i + 1) % 100 === 99 ? 'failed/check' : pass])),
      'name N › north': pass,
      'name S › south': 'failed/check',
    },
  },
  {
    name: 'a value that is closed twice is reported once for all lanes',
    files: {
      'shared.mjs': `
        import { fixture } from 'red-lattice';
        const closable = () => ({ close() {}, [Symbol.dispose]() {} });
        export const twice = fixture('twice', { setup: ({ defer }) => { const value = closable(); defer(() => value.close()); return value; } });
        export const kept = fixture('kept', { teardown: false, setup: ({ defer }) => { const value = closable(); defer(() => value.close()); return value; } });
        export const other = fixture('other', { setup: ({ defer }) => { defer(() => 1); return closable(); } });`,
      ...Object.fromEntries(
        ['a', 'b'].map((file) => [
          `${file}.lattice.mjs`,
          `import { appendFileSync, readFileSync } from 'node:fs';
          import { kept, other, twice } from './shared.mjs';
          export const all = test('${file} {n}', { needs: { twice, kept, other }, cases: range('n', 1, 3) }, async ({ check }) => {
            appendFileSync('order.txt', '${file}');
            // Both files run at the same time, in two lanes.
            while (!['a', 'b'].every((word) => readFileSync('order.txt', 'utf8').includes(word))) await new Promise((done) => setTimeout(done, 10));
            check.holds(true);
          });`,
        ]),
      ),
    },
    args: ['--lanes', '2', '--strict'],
    status: 1,
    last: '6 passed, 0 failed',
    says: ['fixture "twice" defers a cleanup that seems to close its value', '1 warning in a strict run'],
  },
  {
    name: 'ends of a process within a stream of trivial cases',
    files: {
      'a.lattice.mjs': `
        export const many = test('n {n}', { cases: range('n', 1, 3000) }, ({ row }) => {
          if (row.n === 700 || row.n === 2500) process.exit(3);
          if (row.n === 1500) process.kill(process.pid, 'SIGKILL');
        });`,
    },
    args: ['--lanes', '1'],
    status: 1,
    last: '2997 passed, 3 failed',
    results: Object.fromEntries(Array.from({ length: 3000 }, (_, i) => [`n ${i + 1}`, [700, 1500, 2500].includes(i + 1) ? 'errored/crash' : pass])),
    says: ['process.exit(3) was called', 'SIGKILL'],
  },
  {
    name: 'a process that is killed',
    files: {
      'a.lattice.mjs': `
        export const many = test('n {n}', { cases: range('n', 1, 200) }, ({ row, check }) => { if (row.n === 150) process.kill(process.pid, 'SIGKILL'); check.holds(true); });
        export const aborts = test('aborts', () => process.abort());
        export const after = test('after', ({ check }) => check.holds(true));`,
    },
    status: 1,
    last: '200 passed, 2 failed',
    results: {
      ...Object.fromEntries(Array.from({ length: 200 }, (_, i) => [`n ${i + 1}`, i === 149 ? 'errored/crash' : pass])),
      aborts: 'errored/crash',
      after: pass,
    },
    says: ['SIGKILL', 'SIGABRT'],
  },
  {
    name: '--version prints the version of the package',
    files: {},
    args: ['--version'],
    status: 0,
    says: [JSON.parse(readFileSync(new URL('../../package.json', import.meta.url), 'utf8')).version],
  },
  ...[[], ['--strict'], ['--strict by configuration']].map((strict) => ({
    name: `tests that no export reaches ${strict.join()}`,
    files: {
      ...(strict[0]?.includes('configuration') && { 'red-lattice.config.mjs': 'export default { strict: true };' }),
      'a.lattice.mjs': `
        const forgotten = test('forgotten', ({ check }) => check.holds(false));
        const lost = suite('lost', [test('inner', ({ check }) => check.holds(false))]);
        const base = suite('base', [test('inner', ({ check }) => check.holds(true))]);
        export const adapted = base.adapt('adapted', {});
        export const off = suite('off', [false && test('never made', () => {}), test('on', ({ check }) => check.holds(true))]);
        export const unchecked = test('unchecked', () => {});
        let tries = 0;
        export const flaky = test('flaky', { retries: 1 }, ({ check }) => check.equal(++tries, 2));`,
    },
    args: ['run', ...strict.filter((option) => option === '--strict')],
    status: strict.length,
    last: '4 passed, 0 failed',
    results: { 'adapted › inner': pass, 'off › on': pass, unchecked: pass, flaky: pass },
    says: [
      'a.lattice.mjs:3:27  test "forgotten" is neither exported nor part of what is exported: it never runs',
      'suite "lost" is neither exported',
      '1 case passed without a check:\n  unchecked',
      '1 case passed only after a retry (flaky):\n  flaky',
      ...strict.map(() => '4 warnings in a strict run\n4 passed'),
    ],
    then: [{ args: ['report', '--format', 'ctrf'], status: 0, says: ['"retries":1,"flaky":true', '"flaky":1,'] }],
  })),
  {
    name: 'an interruption gives a body a second, and tears down',
    files: interruptible('await new Promise(() => {});'),
    args: ['run', '--lanes', '1'],
    signals: [['SIGINT', 'body']],
    status: 130,
    last: '0 passed, 0 failed',
    results: {},
    says: ['interrupted: everything set up was torn down', '2 not run: the run was interrupted'],
    wrote: { 'order.txt': '+office +quay body abort late -quay -office ' },
  },
  {
    name: 'a terminal that is closed interrupts a run',
    files: interruptible('await new Promise(() => {});'),
    args: ['run', '--lanes', '1'],
    signals: [['SIGHUP', 'body']],
    status: 129,
    last: '0 passed, 0 failed',
    wrote: { 'order.txt': '+office +quay body abort late -quay -office ' },
  },
  {
    name: 'a signal to the process group does not reach the lanes',
    files: interruptible('await new Promise(() => {});'),
    args: ['run', '--lanes', '1'],
    signals: [['SIGTERM', 'body', 'group']],
    status: 143,
    last: '0 passed, 0 failed',
    wrote: { 'order.txt': '+office +quay body abort late -quay -office ' },
  },
  {
    name: 'a second interruption goes straight to the teardowns',
    files: interruptible('await new Promise(() => {});'),
    args: ['run', '--lanes', '1'],
    signals: [
      ['SIGTERM', 'body'],
      ['SIGTERM', 'abort'],
    ],
    status: 143,
    results: {},
    says: ['interrupted: everything set up was torn down'],
    wrote: { 'order.txt': '+office +quay body abort -quay -office ' },
  },
  {
    name: 'a third interruption ends everything',
    files: interruptible('await new Promise(() => {});', 'return new Promise(() => {});'),
    args: ['run', '--lanes', '1'],
    signals: [
      ['SIGINT', 'body'],
      ['SIGINT', 'abort'],
      ['SIGINT', '-quay'],
    ],
    status: 130,
    says: ['fixture "quay" of a.lattice.mjs was not torn down', 'interrupted: nothing was torn down'],
    wrote: { 'order.txt': '+office +quay body abort -quay ' },
  },
  {
    name: 'an interruption ends a body that loops, and reports what was not torn down',
    files: interruptible('for (;;);'),
    args: ['run', '--lanes', '1'],
    signals: [['SIGINT', 'body']],
    status: 130,
    says: ['fixture "quay" of a.lattice.mjs was not torn down', 'interrupted: not everything was torn down'],
    wrote: { 'order.txt': '+office +quay body -office ' },
  },
  {
    name: 'lanes and fixtures of the run are torn down when the command is killed',
    files: interruptible('await new Promise(() => {});', '', 'await new Promise((done) => setTimeout(done, 2500));'),
    args: ['run', '--lanes', '1'],
    signals: [['SIGKILL', 'body']],
    status: 'SIGKILL',
    afterwards: '+office +quay body abort late -quay -office ',
  },
  {
    name: 'many failures stay readable',
    files: Object.fromEntries([
      [
        'a.lattice.mjs',
        `export const loop = test('loop {n}', { cases: range('n', 1, 3) }, ({ check, row }) => { for (let i = 0; i < 100 * row.n; i++) check.equal(i, -1, 'sum'); });`,
      ],
      ...Array.from({ length: 300 }, (_, i) => [
        `n${i}.lattice.mjs`,
        ['a', 'b', 'c'].map((name) => `export const ${name} = test('${name}', ({ check }) => check.equal(1, 2));`).join('\n'),
      ]),
    ]),
    status: 1,
    last: '0 passed, 903 failed',
    lines: 2500,
    says: [
      '… and 97 more at this line',
      '2 more cases fail the same way',
      '… and 401 more tests; --show cases',
      '… and 651 more failures',
      '✗ 60. c  not equal',
    ],
  },
  ...['check.equal(1, 1, "late")', 'check.equal(1, 2, "late")', 'Promise.reject(new Error("late"))', 'nobody.home("late")'].map((late) => ({
    name: `the last case leaves ${late} behind`,
    files: { 'a.lattice.mjs': `export const hasty = test('hasty', ({ check }) => { check.holds(true); setTimeout(() => { ${late}; }, 150); });` },
    status: 1,
    last: '1 passed, 0 failed',
    results: { hasty: pass },
    says: ['after its case had ended (a.lattice.mjs#hasty)', 'a.lattice.mjs:2:'],
  })),
  ...[0, 1, 2].map((lanes) => ({
    name: `the teardowns of run fixtures receive the cases of all lanes that used them: --lanes ${lanes}`,
    files: {
      'shared.mjs': `
        import { appendFileSync } from 'node:fs';
        import { fixture } from 'red-lattice';
        const noted = (name, needs = {}) => fixture(name, { scope: 'run', needs, setup: () => 1,
          teardown: (_value, _needs, { failed, cases }) => appendFileSync('order.txt', name + ' ' + failed + ' ' + [...cases].sort().join(' ') + ';') });
        const quay = noted('quay');
        export const office = noted('office', { quay });
        export const shed = noted('shed');`,
      'a.lattice.mjs': `
        import { office, shed } from './shared.mjs';
        export const one = test('one', { needs: { office } }, ({ check }) => check.holds(true));
        export const other = test('other', { needs: { shed } }, ({ check }) => check.holds(true));`,
      'b.lattice.mjs': `
        import { office } from './shared.mjs';
        export const two = test('two', { needs: { office } }, ({ check }) => check.holds(false));
        export const none = test('none', ({ check }) => check.holds(false));`,
    },
    args: ['run', '--lanes', String(lanes)],
    status: 1,
    results: { one: pass, other: pass, two: 'failed/check', none: 'failed/check' },
    last: '2 passed, 2 failed',
    // Another lane can set up the shed between the quay and the office.
    parts: ['office true a.lattice.mjs#one b.lattice.mjs#two;', 'quay true a.lattice.mjs#one b.lattice.mjs#two;', 'shed false a.lattice.mjs#other;'],
  })),
  {
    name: 'two lanes partition the records of a file, and equal rows stay together',
    files: {
      'a.lattice.mjs': `
        export const many = test('a', { cases: dataFile('berths.csv') }, async ({ check }) => { await new Promise((resolve) => setTimeout(resolve, 1)); check.holds(true); });`,
      'berths.csv': `berth,nights\n${Array.from({ length: 2000 }, (_, i) => `B${i % 1801},1\n`).join('')}`,
    },
    args: ['run', '--lanes', '2'],
    status: 0,
    last: '2000 passed, 0 failed',
    ids: 2000,
  },
  {
    name: 'a run ends soon if its record cannot be written',
    files: {
      'a.lattice.mjs': `
        import { closeSync, readdirSync, readlinkSync } from 'node:fs';
        export const one = test('one', ({ check }) => check.holds(true));
        export const breaks = test('breaks', ({ check }) => {
          if (process.platform !== 'linux') return process.kill(process.pid, 'SIGKILL');
          for (const file of readdirSync('/proc/self/fd')) {
            try { if (readlinkSync('/proc/self/fd/' + file).endsWith('.journal')) closeSync(Number(file)); } catch {}
          }
          check.holds(false);
        });
        export const later = test('later', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--lanes', '1'],
    ...(process.platform === 'linux'
      ? {
          status: 2,
          last: '1 passed, 0 failed',
          error: ['cannot be written: EBADF', 'Results are lost.'],
          says: ['? the rest not run: the record could not be written'],
        }
      : { status: 1 }),
    within: 8000,
  },
  {
    name: 'an interruption ends narrow',
    files: interruptible('await new Promise(() => {});'),
    args: ['narrow', '--lanes', '1'],
    signals: [['SIGINT', 'body']],
    status: 130,
    wrote: { 'order.txt': '+office +quay body abort late -quay -office ' },
  },
];
