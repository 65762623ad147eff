import { readFileSync } from 'node:fs';

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

// The expected results of each small project: exit status, last line, results by title, texts in the report.
const pass = 'passed';

/** @type {{ name: string, files: Record<string, string>, args?: string[], status: number, last?: string, results?: Record<string, string>, says?: string[], error?: string[], omits?: string[], absent?: string }[]} */
export const outcomes = [
  {
    name: 'all pass',
    files: {
      'a.lattice.mjs': `
        const tide = fixture('tide', { setup: () => ({ at: (hour) => hour / 10 }) });
        export const one = test('one', ({ check }) => check.equal(1 + 1, 2));
        export const heights = suite('heights', [
          test('at {hour}', { needs: { tide }, cases: table(['hour', 'height'], [[10, 1], [20, 2]]) }, ({ row, check }, { tide }) => check.equal(tide.at(row.hour), row.height)),
          test('later', async ({ check }) => { await new Promise((resolve) => setTimeout(resolve, 5)); check.holds(true); }),
        ]);`,
    },
    status: 0,
    last: '4 passed, 0 failed',
    results: { one: pass, 'heights › at 10': pass, 'heights › at 20': pass, 'heights › later': pass },
  },
  {
    name: 'one failing check',
    files: { 'a.lattice.mjs': `export const one = test('one', ({ check }) => check.equal('noon', 'moon', 'the word'));` },
    status: 1,
    last: '0 passed, 1 failed',
    results: { one: 'failed/check' },
    says: ['the word: not equal', 'actual    "noon"', 'expected  "moon"', 'a.lattice.mjs:2:'],
  },
  {
    name: 'values that differ deep inside',
    files: {
      'a.lattice.mjs': `
        const pairs = [[new Map([['k', [1]]]), new Map([['k', []]])], [new Set([[1]]), new Set([[2]])], [{ a: [{ b: [1] }] }, { a: [{ b: [2] }] }], [new Uint8Array([1, 2]), new Uint8Array([1, 3])]];
        export const differ = test('pair {n}', { cases: range('n', 0, 3) }, ({ row, check }) => check.equal(...pairs[row.n]));`,
    },
    status: 1,
    last: '0 passed, 4 failed',
  },
  {
    name: 'one failing check in a single process',
    files: { 'a.lattice.mjs': `export const one = test('one', ({ check }) => check.equal(1, 2));` },
    args: ['run', '--lanes', '0'],
    status: 1,
    last: '0 passed, 1 failed',
    results: { one: 'failed/check' },
  },
  {
    name: 'a failing check after which others pass',
    files: {
      'a.lattice.mjs': `
        export const first = test('first', ({ check }) => { check.equal(1, 2, 'wrong'); check.equal(1, 1); check.equal(2, 3, 'wrong too'); });
        export const second = test('second', ({ check, step }) => { step('part', ({ ensure }) => ensure.equal(1, 2)); step('other', () => check.equal(1, 1)); });
        export const third = test('third', ({ check }) => check.equal(1, 1));`,
    },
    status: 1,
    last: '1 passed, 2 failed',
    results: { first: 'failed/check', second: 'failed/check', third: pass },
    says: ['wrong: not equal', 'wrong too: not equal', 'in step "part"'],
  },
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
    name: 'a body that throws a value other than an error',
    files: {
      'a.lattice.mjs': `export const one = test('one', () => { throw undefined; }); export const two = test('two', async () => { throw { code: 7 }; });`,
    },
    status: 1,
    last: '0 passed, 2 failed',
    results: { one: 'failed/throw', two: 'failed/throw' },
    says: ['threw undefined, which is not an Error', 'threw { code: 7 }, which is not an Error'],
  },
  {
    name: "a rejection after the body's end",
    files: {
      'a.lattice.mjs': `
        export const loose = test('loose', ({ check }) => { check.holds(true); Promise.reject(new Error('nobody waited')); });
        export const after = test('after', ({ check }) => check.holds(true));
        export const late = test('late', ({ check }) => { check.holds(true); new Promise((_, reject) => setTimeout(() => reject(new Error('much later')), 30)); });
        export const last = test('last', async ({ check }) => { await new Promise((resolve) => setTimeout(resolve, 80)); check.holds(true); });`,
    },
    status: 1,
    last: '3 passed, 1 failed',
    results: { loose: 'failed/throw', after: pass, late: pass, last: pass },
    says: ['nobody waited', 'a promise was rejected after its case had ended (a.lattice.mjs#late): Error: much later'],
  },
  {
    name: 'a setup that throws',
    files: {
      'a.lattice.mjs': `
        const ledger = fixture('ledger', { scope: 'file', setup() { throw new Error('no ink'); } });
        const pen = fixture('pen', { needs: { ledger }, setup: () => 'pen' });
        export const one = test('one', { needs: { pen } }, ({ check }) => check.holds(true));
        export const two = test('two', { needs: { pen } }, ({ check }) => check.holds(true));
        export const three = test('three', ({ check }) => check.holds(true));`,
    },
    status: 1,
    last: '1 passed, 2 failed',
    results: { one: 'errored/setup', two: 'errored/setup', three: pass },
    says: ['no ink', 'fixture "ledger" failed to set up'],
  },
  {
    name: 'a teardown that throws after a pass',
    files: {
      'a.lattice.mjs': `
        const pen = fixture('pen', { setup: () => 'pen', teardown() { throw new Error('it leaks'); } });
        const ink = fixture('ink', { scope: 'file', setup: ({ defer }) => { defer(() => { throw new Error('spilt'); }); return 'ink'; } });
        export const one = test('one', { needs: { pen } }, ({ check }) => check.holds(true));
        export const two = test('two', { needs: { ink } }, ({ check }) => check.holds(true));`,
    },
    status: 1,
    last: '1 passed, 1 failed',
    results: { one: 'errored/teardown', two: pass, 'teardown of fixture "ink" for a.lattice.mjs': 'errored/teardown' },
    says: ['it leaks', 'spilt', '1 of 1 failed case errored, 1 shared teardown failed\n'],
  },
  {
    name: 'teardowns run in reverse, after failures too',
    files: {
      'a.lattice.mjs': `
        import { appendFileSync } from 'node:fs';
        const note = (text) => appendFileSync('order.txt', text + ' ');
        const outer = fixture('outer', { scope: 'file', setup: () => note('+outer'), teardown: () => note('-outer') });
        const inner = fixture('inner', { needs: { outer }, setup: ({ defer }) => { note('+inner'); defer(() => note('-deferred')); return { [Symbol.dispose]: () => note('-disposed') }; } });
        const broken = fixture('broken', { needs: { inner }, setup: ({ defer }) => { defer(() => note('-broken')); throw new Error('half'); } });
        export const a = test('a', { needs: { inner } }, () => { throw new Error('body'); });
        export const b = test('b', { needs: { broken } }, () => note('never'));`,
      'b.lattice.mjs': `
        import { readFileSync } from 'node:fs';
        export const order = test('order', ({ check }) => check.equal(readFileSync('order.txt', 'utf8'), '+outer +inner -deferred -disposed +inner -broken -deferred -disposed -outer '));`,
    },
    status: 1,
    last: '1 passed, 2 failed',
    results: { a: 'failed/throw', b: 'errored/setup', order: pass },
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
    name: 'process.exit in a body',
    files: {
      'a.lattice.mjs': `
        export const before = test('before', ({ check }) => check.holds(true));
        const pen = fixture('pen', { setup: () => 'blue' });
        export const desk = suite('desk', { overrides: [pen.replaceWith(() => 'red')] }, [
          test('leaves', { needs: { pen } }, () => process.exit(0)),
          test('after', ({ check }) => check.holds(true)),
        ]);`,
    },
    status: 1,
    last: '2 passed, 1 failed',
    results: { before: pass, 'desk › leaves': 'errored/crash', 'desk › after': pass },
    says: ['process.exit(0) was called', 'a.lattice.mjs:6:'],
    // The process that used the override could not report it.
    omits: ['without effect'],
  },
  {
    name: 'process.exit in one process',
    files: {
      'a.lattice.mjs': `
        export const before = test('before', ({ check }) => check.holds(true));
        export const leaves = test('leaves', () => process.exit(0));
        export const after = test('after', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--lanes', '0'],
    status: 1,
    last: '1 passed, 1 failed',
    says: ['a case has ended the only process', 'process.exit(0) was called', 'the run is incomplete'],
  },
  {
    name: 'process.exit while a file loads in one process',
    files: { 'a.lattice.mjs': 'process.exit(0);' },
    args: ['run', '--lanes', '0'],
    status: 2,
    says: ['cannot load a.lattice.mjs: process.exit(0) was called'],
  },
  {
    name: 'bodies, setups and teardowns that never end in one process',
    files: {
      'a.lattice.mjs': `
        const never = () => new Promise(() => {});
        const up = fixture('up', { setup: never, timeout: 50 });
        const down = fixture('down', { setup: () => 1, teardown: never, timeout: 50 });
        export const body = test('body', { timeout: 50 }, never);
        export const setup = test('setup', { needs: { up } }, ({ check }) => check.holds(true));
        export const teardown = test('teardown', { needs: { down } }, ({ check }) => check.holds(true));
        export const after = test('after', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--lanes', '0'],
    status: 1,
    last: '1 passed, 3 failed',
    within: 20_000,
    results: { body: 'failed/timeout', setup: 'errored/setup', teardown: 'errored/teardown', after: pass },
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
    name: 'a case that exhausts the memory',
    files: {
      'a.lattice.mjs': `
        export const before = test('before', ({ check }) => check.holds(true));
        export const greedy = test('greedy', () => { const all = []; for (;;) all.push(new Array(1000).fill(Math.random())); });
        export const after = test('after', ({ check }) => check.holds(true));`,
    },
    node: ['--max-old-space-size=64'],
    status: 1,
    last: '2 passed, 1 failed',
    results: { before: pass, greedy: 'errored/crash', after: pass },
    says: ['the process ran out of memory'],
  },
  {
    name: 'a process that is killed, with a shared fixture up',
    files: {
      'a.lattice.mjs': `
        const ink = fixture('ink', { scope: 'file', setup: () => 'ink', teardown: () => {} });
        export const dies = test('dies', { needs: { ink } }, () => process.kill(process.pid, 'SIGKILL'));
        export const after = test('after', { needs: { ink } }, ({ check }) => check.holds(true));`,
    },
    status: 1,
    last: '1 passed, 1 failed',
    results: { dies: 'errored/crash', after: pass },
    says: ['fixture "ink" of a.lattice.mjs was not torn down: its process had ended'],
  },
  {
    name: 'an endless loop in a body',
    files: {
      'a.lattice.mjs': `
        export const before = test('before', ({ check }) => check.holds(true));
        export const loops = test('loops', { timeout: 200 }, () => { for (;;); });
        export const after = test('after', ({ check }) => check.holds(true));`,
    },
    status: 1,
    last: '2 passed, 1 failed',
    results: { before: pass, loops: 'failed/timeout', after: pass },
    says: ['exceeded its time limit of 200 ms'],
  },
  {
    name: 'a body that never settles',
    files: {
      'a.lattice.mjs': `
        import { appendFileSync, readFileSync } from 'node:fs';
        const ink = fixture('ink', { scope: 'file', setup: () => 'ink', teardown: () => appendFileSync('order.txt', 'torn ') });
        export const before = test('before', { needs: { ink } }, ({ check }) => check.holds(true));
        export const hangs = test('hangs', { timeout: 100, needs: { ink } }, async ({ check, step }) => { check.holds(true); await step('waiting', () => new Promise(() => {})); });
        export const after = test('after', ({ check }) => check.equal(readFileSync('order.txt', 'utf8'), 'torn '));`,
    },
    status: 1,
    last: '2 passed, 1 failed',
    results: { before: pass, hangs: 'failed/timeout', after: pass },
    says: ['exceeded its time limit of 100 ms after 1 check, in step "waiting"'],
  },
  {
    name: 'an endless loop at import',
    files: {
      'a.lattice.mjs': `export const fine = test('fine', ({ check }) => check.holds(true));`,
      'b.lattice.mjs': `for (;;); export const never = test('never', () => {});`,
      'c.lattice.mjs': `export const fine = test('fine too', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--load-timeout', '300'],
    status: 2,
    last: '2 passed, 0 failed',
    results: { fine: pass, 'fine too': pass },
    says: ['1 file did not load\n2 passed', 'cannot load b.lattice.mjs: not loaded within 300 ms'],
  },
  {
    name: 'files that do not load',
    files: {
      'a.lattice.mjs': `export const fine = test('fine', ({ check }) => check.holds(true));`,
      'exits.lattice.mjs': `process.exit(0);`,
      'killed.lattice.mjs': `process.kill(process.pid, 'SIGKILL'); await new Promise(() => {});`,
      'throws.lattice.mjs': `throw new TypeError('not today');`,
      'waits.lattice.mjs': `await new Promise(() => {});`,
      'wrong.lattice.ts': `export const = 3;`,
      'lost.lattice.ts': `import './nowhere.ts';`,
    },
    args: ['run', '--load-timeout', '1500'],
    status: 2,
    last: '1 passed, 0 failed',
    results: { fine: pass },
    says: [
      'cannot load exits.lattice.mjs: process.exit(0) was called',
      'cannot load killed.lattice.mjs: the process was ended by SIGKILL',
      'cannot load throws.lattice.mjs: TypeError: not today',
      'cannot load waits.lattice.mjs: not loaded within 1500 ms',
      'cannot load wrong.lattice.ts: SyntaxError',
      'cannot load lost.lattice.ts: cannot find module "./nowhere.ts"',
    ],
  },
  {
    name: 'nothing selected',
    files: { 'a.lattice.mjs': `export const one = test('one', ({ check }) => check.holds(true));` },
    args: ['run', '--title', 'two'],
    status: 3,
    last: '0 passed, 0 failed',
    results: {},
    says: ['no case was selected'],
  },
  {
    name: 'selection',
    files: {
      'a.lattice.mjs': `
        export const one = test('one', { tags: ['quick'] }, ({ check }) => check.holds(true));
        export const two = suite('two', { tags: ['slow'] }, [
          test('inner', ({ check }) => check.holds(false)),
          test('{hour} hours', { cases: dataFile('hours.csv', { columns: { hour: cell.integer } }) }, ({ row, check }) => check.equal(row.hour, 12)),
        ]);`,
      'hours.csv': 'hour\n11\n12\n13\n',
    },
    args: ['run', 'hours.csv:3', 'a.lattice.mjs:3'],
    status: 0,
    last: '2 passed, 0 failed',
    results: { one: pass, 'two › 12 hours': pass },
  },
  {
    name: 'environmentVariables sets and removes variables, and restores them after the case',
    files: {
      'a.lattice.mjs': `
        import { environmentVariables } from 'red-lattice/node';
        process.env.BERTH = 'N4';
        delete process.env.QUAY;
        const needs = { env: environmentVariables };
        const now = () => [process.env.BERTH, process.env.QUAY];
        export const sets = test('sets', { needs }, ({ check }, { env }) => {
          env.set('BERTH', 'S1');
          env.set('QUAY', 'south');
          check.equal(now(), ['S1', 'south']);
        });
        export const removes = test('removes', { needs }, ({ check }, { env }) => {
          check.equal(now(), ['N4', undefined], 'restored');
          env.set('BERTH', undefined);
          check.equal('BERTH' in process.env, false);
          throw new Error('late');
        });
        export const after = test('after', ({ check }) => check.equal(now(), ['N4', undefined]));`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    last: '2 passed, 1 failed',
    results: { sets: pass, removes: 'failed/throw', after: pass },
  },
  {
    name: '--retries 2 retries failed cases twice',
    files: {
      'a.lattice.mjs': `
        let tries = 0;
        const late = (at) => ({ check }) => check.holds(++tries >= at);
        export const third = test('third', late(3));
        export const fourth = test('fourth', ({ check }) => { tries = 0; check.holds(false); });
        export const own = test('own', { retries: 1 }, ({ check }) => check.holds(false));`,
    },
    args: ['run', '--retries', '2', '--show', 'cases'],
    status: 1,
    last: '1 passed, 2 failed',
    results: { third: pass, fourth: 'failed/check', own: 'failed/check' },
    says: ['1 case passed only after a retry (flaky)', '  third'],
  },
  {
    name: '--concurrency 2 runs two cases of a lane at once',
    files: {
      'a.lattice.mjs': `
        let open;
        const gate = new Promise((done) => { open = done; });
        export const waits = test('waits', ({ check }) => gate.then(() => check.holds(true)));
        export const opens = test('opens', ({ check }) => { open(); check.holds(true); });`,
    },
    args: ['run', '--lanes', '1', '--concurrency', '2', '--timeout', '5000'],
    status: 0,
    last: '2 passed, 0 failed',
    results: { waits: pass, opens: pass },
  },
  {
    name: '--version prints the version of the package',
    files: {},
    args: ['--version'],
    status: 0,
    says: [JSON.parse(readFileSync(new URL('../../package.json', import.meta.url), 'utf8')).version],
  },
  {
    name: 'a source that throws after two rows is an errored case',
    files: {
      'a.lattice.mjs': `
        function* nights() { yield { nights: 1 }; yield { nights: 2 }; throw new Error('no ink'); }
        export const stays = test('a stay', { cases: rows(nights) }, ({ row, check }) => check.holds(row.nights > 0));
        export const beside = test('beside', ({ check }) => check.holds(true));`,
    },
    status: 1,
    last: '3 passed, 1 failed',
    results: { 'a stay › nights=1': pass, 'a stay › nights=2': pass, 'a stay › invalid rows': 'errored/data', beside: pass },
    says: ['reading rows from rows threw: Error: no ink', '1 of 1 failed case errored'],
  },
  {
    name: 'an empty shard exits with 0',
    files: { 'a.lattice.mjs': `export const one = test('one', ({ check }) => check.holds(true));` },
    args: ['run', '--shard', '9/9'],
    status: 0,
    last: '0 passed, 0 failed',
    results: {},
    says: ['shard 9/9 has no cases'],
  },
  {
    name: 'a test with an empty table is left out, and the others run',
    files: {
      'a.lattice.mjs': `export const none = test('none', { cases: table(['a'], []) }, ({ check }) => check.holds(true));
        export const some = test('some', ({ check }) => check.holds(true));`,
    },
    status: 2,
    last: '1 passed, 0 failed',
    results: { some: pass },
    says: ['"none" has no cases: a table is empty', '1 plan error\n1 passed'],
  },
  {
    name: 'a problem of the plan removes only the test or suite that has it',
    files: {
      'a.lattice.mjs': `
        const dues = dataFile('dues.csv', { columns: { night: cell.integer } });
        export const heading = suite('heading', [test('renamed', { cases: dues }, () => {}), test('again', { cases: dues }, () => {}), test('beside', ({ check }) => check.holds(true))]);
        export const children = suite('children', []);
        export const variants = suite('variants', { variants: {} }, [test('inner', () => {})]);
        export const allowed = suite('allowed', { allowEmpty: true }, []);
        export const marked = suite('marked', { annotations: { nobody: { skip: 'gone' } } }, [test('inner', ({ check }) => check.holds(false))]);`,
      'b.lattice.mjs': `export const fine = test('fine', ({ check }) => check.holds(true));`,
      'dues.csv': 'nights\n1\n',
    },
    status: 2,
    last: '2 passed, 0 failed',
    results: { 'heading › beside': pass, fine: pass },
    says: [
      'missing column `night`',
      '  in 2 tests or suites\n',
      'suite "children" has no children',
      'suite "variants" has no variants',
      'nobody',
      '5 plan errors\n2 passed',
    ],
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
    name: 'errors of the plan',
    files: {
      'a.lattice.mjs': `
        const cases = table(['loa', 'nights'], [[8, 1]]);
        export const placeholder = test('{lao} m', { cases }, () => {});
        export const twice = test('twice', { cases: table(['a', 'a'], [[1, 2]]) }, () => {});
        export const ragged = test('ragged', { cases: table(['a', 'b'], [[1, 2], [3]]) }, () => {});
        export const missing = test('missing', { cases: dataFile('data/deus.csv') }, () => {});
        export const heading = test('heading', { cases: dataFile('data/dues.csv', { columns: { loa: cell.number, night: cell.integer } }) }, () => {});`,
      'b.lattice.mjs': `const hidden = test('hidden', () => {});`,
      'data/dues.csv': 'loa,nights\n8,1\n',
    },
    status: 2,
    last: '0 passed, 0 failed',
    results: {},
    says: [
      'a.lattice.mjs:4:',
      'unknown column `lao`; did you mean `loa`?',
      'duplicate column `a` in a table',
      'row 2 has 1 value for 2 columns (a, b)',
      'no data file data/deus.csv',
      'did you mean `dues.csv`?',
      'missing column `night`; did you mean `nights`?',
      'b.lattice.mjs exports nothing',
    ],
  },
  {
    name: 'a case for each file that matches',
    files: {
      'a.lattice.mjs': `import { dataFiles } from 'red-lattice/node'; export const plans = test('{name} is open', { cases: dataFiles('plans/*.json') }, async ({ row, check }) => check.equal(JSON.parse(await row.text()).open, true));`,
      'plans/north.json': '{"open": true}',
      'plans/south.json': '{"open": false}',
      'plans/readme.md': '',
    },
    status: 1,
    last: '1 passed, 1 failed',
    results: { 'plans/north.json is open': pass, 'plans/south.json is open': 'failed/check' },
    says: ['plans/south.json:1:1'],
  },
  {
    name: 'invalid cells fail only their case',
    files: {
      'a.lattice.mjs': `export const dues = test('{nights} nights', { cases: dataFile('dues.csv', { columns: { nights: cell.integer, due: cell.number } }) }, ({ row, check }) => check.equal(row.nights * 2, row.due));`,
      'dues.csv': '# made up\nnights,due,remark\n1,2,"two\nlines"\n\n2,4,\n# between\ntwo,4,\n3,"6,50",x\n4,8,\n5,,\n',
    },
    status: 1,
    last: '3 passed, 3 failed',
    results: { '1 nights': pass, '2 nights': pass, 'two nights': 'errored/data', '3 nights': 'errored/data', '4 nights': pass, '5 nights': 'errored/data' },
    says: [
      'dues.csv:8:1 nights: "two" is not an integer',
      'dues.csv:9:3 due: "6,50" is not a number; this looks like a decimal comma; write 6.50',
      'dues.csv:11:3 empty cell in column `due`',
    ],
  },
  {
    name: 'a check made after its case ended',
    files: {
      'a.lattice.mjs': `
        export const hasty = test('hasty', ({ check }) => { check.holds(true); setTimeout(() => check.equal(1, 2, 'forgotten'), 30); });
        export const slow = test('slow', async ({ check }) => { await new Promise((resolve) => setTimeout(resolve, 80)); check.holds(true); });`,
    },
    status: 1,
    last: '2 passed, 0 failed',
    results: { hasty: pass, slow: pass },
    says: [
      '1 problem outside the cases\n2 passed',
      'a check ran after its case had ended (a.lattice.mjs#hasty)',
      'forgotten',
      'is an await missing?',
      'a.lattice.mjs:3:',
    ],
  },
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
    name: 'a closed output interrupts a run',
    files: {
      'a.lattice.mjs': `
        import { appendFileSync } from 'node:fs';
        const note = (text) => appendFileSync('order.txt', text + ' ');
        const quay = fixture('quay', { scope: 'file', setup: () => note('+quay'), teardown: () => note('-quay') });
        export const first = test('first', { needs: { quay } }, async ({ check }) => { note('first'); await new Promise((done) => setTimeout(done, 300)); check.holds(true); });
        export const long = test('long', { needs: { quay }, timeout: 60_000 }, async ({ signal }) => {
          signal.addEventListener('abort', () => note('abort'));
          await new Promise(() => {});
        });`,
    },
    args: ['run', '--lanes', '1'],
    closesAt: 'first',
    status: 141,
    wrote: { 'order.txt': '+quay first abort -quay ' },
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
    name: 'the command is killed while a case waits for a lock',
    files: {
      'a.lattice.mjs': `
        import { appendFileSync } from 'node:fs';
        export const lifts = test('lifts', { locks: ['crane'], timeout: 60_000 }, ({ signal }) => new Promise((done) => {
          appendFileSync('order.txt', 'lifts ');
          signal.addEventListener('abort', done);
        }));`,
      'b.lattice.mjs': `
        import { appendFileSync, existsSync } from 'node:fs';
        const quay = fixture('quay', { scope: 'file', setup: () => 'quay', teardown: () => appendFileSync('order.txt', '-quay ') });
        export const moors = test('moors', { needs: { quay }, timeout: 60_000 }, async ({ eventually }) => {
          await eventually(() => existsSync('order.txt'), { timeout: 50_000 });
          appendFileSync('order.txt', 'moors ');
        });
        export const waits = test('waits', { needs: { quay }, locks: ['crane'] }, () => appendFileSync('order.txt', 'waits '));`,
    },
    args: ['run', '--lanes', '2'],
    signals: [['SIGKILL', 'moors']],
    status: 'SIGKILL',
    afterwards: 'lifts moors -quay ',
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
  {
    name: 'a journal into which a test writes',
    files: {
      'a.lattice.mjs': `
        import { appendFileSync, readdirSync } from 'node:fs';
        const write = (text) => appendFileSync('.red-lattice/runs/' + readdirSync('.red-lattice/runs').sort().at(-1) + '/lane-0.journal', text);
        export const writes = test('writes', ({ check }) => {
          check.holds(true);
          write('{"type":"ended","result":{"id":"a","failures":5}}\\n{"type":"test","header":{"test":"x"}}\\nnull\\n[1]\\n{"type":"span"}\\n{"type":"planned","problems":[5]}\\n');
        });
        export const after = test('after', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    last: '2 passed, 0 failed',
    says: ['the journal of lane 0 has a malformed line: its result has', '1 problem outside the cases'],
  },
  {
    name: 'imports that fail, with their places',
    files: {
      'a.lattice.mjs': `import './deep.mjs';`,
      'b.lattice.ts': `import {\n  lazy as other,\n  missing,\n} from 'red-lattice';\ninterface Berth { loa: number }\nexport const b = test('b', () => missing());`,
      'c.lattice.mjs': `import { tide } from './tide.mjs';`,
      'deep.mjs': `// A comment.\nimport { x } from 'no-such-package';`,
    },
    status: 2,
    last: '0 passed, 0 failed',
    says: [
      'deep.mjs:2:19  cannot load a.lattice.mjs',
      'b.lattice.ts:4:3  cannot load b.lattice.ts',
      'c.lattice.mjs:2:22  cannot load c.lattice.mjs',
      'nothing ran: 3 files did not load',
    ],
  },
  {
    name: 'a deep stack has the line of the test',
    files: {
      'a.lattice.mjs': `const deep = (n) => { if (n === 0) throw new Error('deep'); return deep(n - 1); };\nexport const a = test('a', () => deep(30));`,
    },
    status: 1,
    last: '0 passed, 1 failed',
    says: ['a.lattice.mjs:2:', 'called from a.lattice.mjs:3:34'],
  },
  {
    name: 'a line past the end of a file',
    files: { 'a.lattice.mjs': `export const one = test('one', ({ check }) => check.holds(true));` },
    args: ['run', 'a.lattice.mjs:9'],
    status: 2,
    error: ['a.lattice.mjs:9: the file ends at line 2'],
  },
  {
    name: 'a profile that asks for one process',
    files: {
      'red-lattice.config.mjs': `import { defineConfig } from 'red-lattice'; export default defineConfig({ profiles: { one: { lanes: 0 } } });`,
      'a.lattice.mjs': `export const one = test('one', ({ check }) => check.equal([process.send, process.argv.includes('lane')], [undefined, false]));`,
    },
    args: ['run', '--profile', 'one'],
    status: 0,
    last: '1 passed, 0 failed',
    results: { one: pass },
  },
  {
    name: 'only a shared teardown fails',
    files: {
      'a.lattice.mjs': `
        const ink = fixture('ink', { scope: 'file', setup: () => 'ink', teardown() { throw new Error('spilt'); } });
        export const one = test('one', { needs: { ink } }, ({ check }) => check.holds(true));`,
    },
    status: 1,
    last: '1 passed, 0 failed',
    results: { one: pass, 'teardown of fixture "ink" for a.lattice.mjs': 'errored/teardown' },
    says: ['spilt', '1 shared teardown failed\n1 passed'],
  },
  {
    name: 'names of rows that are in their title by chance',
    files: {
      'a.lattice.mjs': `export const prices = test('price of 10 berths', { cases: namedRows({ 1: { n: 1 }, 10: { n: 2 } }) }, ({ check }) => check.holds(true));`,
    },
    status: 0,
    last: '2 passed, 0 failed',
    results: { 'price of 10 berths › 1': pass, 'price of 10 berths › 10': pass },
  },
  {
    name: 'a process that ends in a second attempt',
    files: {
      'a.lattice.mjs': `
        import { existsSync, writeFileSync } from 'node:fs';
        const again = (name) => existsSync(name) || (writeFileSync(name, ''), false);
        export const exits = test('exits', { retries: 1 }, ({ check }) => { if (again('exits.txt')) process.exit(3); check.holds(false); });
        export const dies = test('dies', { retries: 1 }, ({ check }) => { if (again('dies.txt')) process.kill(process.pid, 'SIGKILL'); check.holds(false); });
        export const leaves = test('leaves', { retries: 1 }, ({ check }) => { check.holds(again('leaves.txt')); setTimeout(() => {}, 1e6); });
        export const after = test('after', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    last: '2 passed, 2 failed',
    results: { exits: 'errored/crash', dies: 'errored/crash', leaves: pass, after: pass },
    attempts: { exits: 2, dies: 2, leaves: 2 },
    says: ['left open by leaves'],
  },
  {
    name: 'cases and failures in the order of the plan',
    files: {
      'a.lattice.mjs': `
        const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
        export const both = suite('both', { concurrency: 2 }, [
          test('slow', async ({ check }) => { await wait(150); check.fail('slow'); }),
          test('quick', ({ check }) => check.fail('quick')),
        ]);`,
    },
    args: ['run', '--lanes', '1', '--show', 'cases'],
    status: 1,
    last: '0 passed, 2 failed',
    order: ['✗ both › slow', '✗ both › quick', '✗ 1. both › slow', '✗ 2. both › quick'],
  },
  {
    name: 'awaits that are missing',
    files: {
      'a.lattice.mjs': `
        const later = () => new Promise((resolve) => setTimeout(resolve, 20));
        export const throws = test('throws', ({ check }) => { check.throws(async () => { await later(); }); });
        export const part = test('part', ({ check, step }) => { check.holds(true); step('quay', later); });
        export const polls = test('polls', ({ eventually }) => { eventually(() => later().then(() => true)); });
        export const condition = test('condition', ({ check }) => check.holds(later()));
        export const awaited = test('awaited', async ({ check, step, eventually }) => {
          await Promise.all([step('quay', later), step('gate', later)]);
          await eventually(() => later().then(() => true));
          await check.throws(async () => { await later(); throw new Error('closed'); });
        });`,
    },
    status: 1,
    last: '1 passed, 4 failed',
    results: { throws: 'failed/check', part: 'failed/check', polls: 'failed/check', condition: 'failed/check', awaited: pass },
    says: [
      '`throws` was still pending when the body ended; is an await missing?',
      'step "quay" was still pending',
      '`eventually` was still pending',
      'the value is a promise',
      'a.lattice.mjs:4:',
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
  {
    name: 'tests that replace what the runner stands on',
    files: {
      'a.lattice.mjs': `
        const nothing = () => {};
        export const replaces = test('replaces', ({ check }) => {
          globalThis.Date = class { static now() { return 0; } };
          for (const name of ['setTimeout', 'setImmediate', 'setInterval', 'clearTimeout', 'clearInterval', 'queueMicrotask']) globalThis[name] = nothing;
          globalThis.console = { log: nothing, error: nothing };
          globalThis.performance = { now: () => 0 };
          JSON.stringify = () => '{}';
          JSON.parse = () => ({});
          process.exit = nothing;
          process.send = nothing;
          process.stdout.write = nothing;
          Error.prepareStackTrace = () => 'no stack';
          check.equal(1, 1);
        });
        export const fails = test('fails', ({ check }) => check.equal(1, 2, 'after all'));
        export const waits = test('waits', { timeout: 100 }, () => new Promise(nothing));`,
      'b.lattice.mjs': `export const fine = test('fine', ({ check }) => check.holds(true));`,
    },
    status: 1,
    last: '2 passed, 2 failed',
    results: { replaces: pass, fails: 'failed/check', waits: 'failed/timeout', fine: pass },
    says: ['after all: not equal', 'exceeded its time limit of 100 ms'],
  },
  {
    name: 'skips and known failures',
    files: {
      'a.lattice.mjs': `
        export const skipped = test('skipped', { skip: 'quay under repair' }, ({ check }) => check.holds(false));
        export const expired = test('expired', { skip: { reason: 'until spring', until: '2021-03-01' } }, ({ check }) => check.holds(true));
        export const known = test('known', { knownFailure: 'rounding' }, ({ check }) => check.equal(1, 2));
        export const surprise = test('surprise', { knownFailure: 'mended since' }, ({ check }) => check.equal(1, 1));
        export const says = test('says', ({ skip }) => skip('no wind'));
        export const held = test('held', { onRequest: 'takes an hour' }, ({ check }) => check.holds(false));`,
    },
    status: 1,
    last: '0 passed, 2 failed, 2 skipped',
    results: {
      skipped: 'skipped',
      expired: 'failed/expired',
      known: 'known-failure/check',
      surprise: 'failed/unexpected-pass',
      says: 'skipped',
      held: 'not-requested',
    },
    says: ['passed, but is stated as a known failure (mended since); remove `knownFailure`', 'quay under repair', 'no wind', 'takes an hour', 'rounding'],
  },
  {
    name: 'TypeScript, with the lines of the source',
    files: {
      'a.lattice.ts': `
interface Stay { loa: number }
enum Season { Summer, Winter }
import { due } from './tariff.js';
export const one = test('one', ({ check }) => {
  const stay: Stay = { loa: 8 };
  check.equal(due(stay.loa, Season.Winter as number), 16);
});
export const throws = test('throws', () => void due(-1, Season.Summer));`,
      'tariff.ts': `
type Length = number;


export function due(loa: Length, season: number): number {
  if (loa < 0) throw new RangeError('no such length');
  return loa * 2 + season;
}`,
    },
    status: 1,
    last: '0 passed, 2 failed',
    results: { one: 'failed/check', throws: 'failed/throw' },
    says: ['a.lattice.ts:8:9', 'tariff.ts:6:22', 'called from a.lattice.ts:10:'],
  },
  {
    name: 'resources that cases leave open, and those of a shared fixture',
    files: {
      'a.lattice.mjs': `
        import { createServer } from 'node:http';
        const listen = (server) => new Promise((resolve) => server.listen(0, '127.0.0.1', resolve));
        const shared = fixture('shared', { scope: 'file', async setup({ defer }) { const server = createServer(); await listen(server); defer(() => new Promise((resolve) => server.close(resolve))); } });
        export const clean = test('clean', { needs: { shared } }, async ({ check }) => { await new Promise((resolve) => setTimeout(resolve, 5)); check.holds(true); });
        export const server = test('a server', async ({ check }) => { await listen(createServer()); check.holds(true); });
        export const timers = test('two timers', ({ check }) => { setInterval(() => {}, 1000); setTimeout(() => {}, 60000); check.holds(true); });`,
    },
    args: ['run', '--leaks'],
    status: 0,
    last: '3 passed, 0 failed',
    results: { clean: pass, 'a server': pass, 'two timers': pass },
    says: ['server left open by a server', 'timer left open by two timers', 'a.lattice.mjs:4:', 'a.lattice.mjs:8:67', 'a.lattice.mjs:8:96'],
  },
  {
    name: 'fixtures of the run: a process of their own, torn down once',
    files: {
      'a.lattice.mjs': `
        import { appendFileSync } from 'node:fs';
        const office = fixture('office', { scope: 'run', settings: { town: 'north' },
          setup: ({ settings }) => { appendFileSync('order.txt', '+' + settings.town + ' '); return { town: settings.town, process: process.pid }; },
          teardown: ({ town }) => { appendFileSync('order.txt', '-' + town + ' '); if (town === 'south') throw new Error('no key'); } });
        export const one = test('one', { needs: { office } }, ({ check }, { office }) => check.notEqual(office.process, process.pid));
        export const exits = test('exits', { needs: { office } }, () => process.exit(1));
        export const towns = test('{town}', { needs: { office }, cases: values('town', ['north', 'south', 'south']), overrides: (row) => [office.with({ town: row.town })] }, ({ row, check }, { office }) => check.equal(office.town, row.town));`,
      'b.lattice.mjs': `
        import { readFileSync } from 'node:fs';
        export const order = test('order', ({ check }) => check.equal(readFileSync('order.txt', 'utf8'), '+north +south '));`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    last: '5 passed, 1 failed',
    results: {
      one: pass,
      exits: 'errored/crash',
      north: pass,
      south: pass,
      order: pass,
      'south ': pass,
      'teardown of fixture "office" for the run': 'errored/teardown',
    },
    says: ['no key'],
  },
  {
    name: 'each lane runs the deferred functions of `deserialize` before the run fixture is torn down',
    files: {
      'a.lattice.mjs': `
        import { appendFileSync } from 'node:fs';
        const note = (text) => appendFileSync('order.txt', text + ' ');
        const office = fixture('office', { scope: 'run', setup: () => ({ rooms: 3 }), teardown: () => note('-office'),
          transfer: { serialize: ({ rooms }) => rooms, deserialize: (rooms, { defer }) => { note('+copy'); defer(() => note('-copy')); return { rooms }; } } });
        export const one = test('one', { needs: { office } }, ({ check }, { office }) => check.equal(office.rooms, 3));
        export const two = test('two', { needs: { office } }, ({ check }, { office }) => check.equal(office.rooms, 3));`,
    },
    args: ['run', '--lanes', '1'],
    status: 0,
    results: { one: pass, two: pass },
    afterwards: '+copy -copy -office ',
  },
  {
    name: 'an override of rows without effect is a warning',
    files: {
      'a.lattice.mjs': `
        const tide = fixture('tide', { settings: { hour: 1 }, setup: ({ settings }) => settings.hour });
        export const used = test('used {n}', { needs: { tide }, cases: values('n', [1, 2]), overrides: (row) => [tide.with({ hour: row.n })] }, ({ row, check }, { tide }) => check.equal(tide, row.n));
        export const unused = test('unused {n}', { cases: values('n', [1, 2]), overrides: (row) => [tide.with({ hour: row.n })] }, ({ check }) => check.holds(true));`,
    },
    status: 0,
    last: '4 passed, 0 failed',
    says: ['a row of test "unused {n}" overrides fixture "tide" without effect'],
  },
  {
    name: 'endless rows of a suite end planning at the time limit',
    files: {
      'a.lattice.mjs': `
        export const berths = suite('berth {n}', { cases: rows(function* () { for (let n = 1; ; n++) yield { n: 1 }; }) }, [test('free', ({ check }) => check.holds(true))]);`,
    },
    args: ['run', '--load-timeout', '1000'],
    status: 2,
    says: ['planning did not finish within 1000 ms; a source of cases may be endless'],
    last: '0 passed, 0 failed',
    within: 20_000,
  },
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
    parts: ['office true a.lattice.mjs#one b.lattice.mjs#two;quay true a.lattice.mjs#one b.lattice.mjs#two;', 'shed false a.lattice.mjs#other;'],
  })),
  {
    name: 'a setup error of a run fixture is reported once, and the cases that need the fixture are errored',
    files: {
      'a.lattice.mjs': `
        import { appendFileSync } from 'node:fs';
        const quay = fixture('quay', { scope: 'run', setup: () => { appendFileSync('order.txt', '+quay'); throw new RangeError('no tide today'); } });
        const office = fixture('office', { scope: 'run', needs: { quay }, setup: () => 1 });
        export const one = test('one', { needs: { quay } }, ({ check }) => check.holds(true));
        export const two = test('two', { needs: { office } }, ({ check }) => check.holds(true));
        export const three = test('three', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    results: { one: 'errored/setup', two: 'errored/setup', three: 'passed' },
    order: [
      'in fixture "quay", setup',
      'RangeError: no tide today',
      'a.lattice.mjs:4:',
      'fixture "quay" failed to set up; the first case that needed it has the error',
    ],
    afterwards: '+quay',
    last: '1 passed, 2 failed',
  },
  {
    name: 'three lanes: one instance for the run, one holder of a lock at a time, each row once',
    files: {
      'shared.mjs': `
        import { appendFileSync, existsSync, mkdirSync, rmdirSync, writeFileSync } from 'node:fs';
        import { fixture, test } from 'red-lattice';
        export const office = fixture('office', { scope: 'run', setup: () => { appendFileSync('order.txt', '+'); return 1; }, teardown: () => appendFileSync('order.txt', '-') });
        const sleep = (milliseconds) => new Promise((resolve) => setTimeout(resolve, milliseconds));
        export const arrives = (file) => test('here', ({ check }) => { writeFileSync('here-' + file, ''); check.holds(true); });
        let isFirst = true;
        // Holds the lock the first time until every lane had the time to ask for it.
        export const alone = async () => {
          mkdirSync('held');
          for (let tries = 0; isFirst && tries < 500 && !['a', 'b', 'c'].every((file) => existsSync('here-' + file)); tries++) await sleep(10);
          await sleep(isFirst ? 200 : 20);
          isFirst = false;
          rmdirSync('held');
        };`,
      'a.lattice.mjs': `
        import { office, alone, arrives } from './shared.mjs';
        export const here = arrives('a');
        export const many = test('a {n}', { cases: range('n', 1, 600), needs: { office } }, ({ check }) => check.holds(true));
        export const held = test('held {n}', { cases: range('n', 1, 8), locks: ['basin'] }, async ({ check }) => { await alone(); check.holds(true); });`,
      'b.lattice.mjs': `
        import { office, alone, arrives } from './shared.mjs';
        export const here = arrives('b');
        export const slow = test('slow {n}', { cases: range('n', 1, 8), needs: { office } }, async ({ check }) => { await new Promise((resolve) => setTimeout(resolve, 40)); check.holds(true); });
        export const held = test('held {n}', { cases: range('n', 1, 8), locks: ['basin'] }, async ({ check }) => { await alone(); check.holds(true); });`,
      'c.lattice.mjs': `
        import { alone, arrives } from './shared.mjs';
        export const here = arrives('c');
        export const held = test('held {n}', { cases: range('n', 1, 8), locks: ['basin', 'crane'] }, async ({ check }) => { await alone(); check.holds(true); });
        export const fails = test('fails', async ({ check }) => { await new Promise((resolve) => setTimeout(resolve, 200)); check.holds(false); });`,
    },
    args: ['run', '--lanes', '3'],
    status: 1,
    last: '635 passed, 1 failed',
    ids: 636,
    wrote: { 'order.txt': '+-' },
  },
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
    name: 'two lanes partition the rows of one test',
    files: {
      'a.lattice.mjs': `
        export const many = test('a', { cases: range('n', 1, 600) }, async ({ check }) => { await new Promise((resolve) => setTimeout(resolve, 1)); check.holds(true); });`,
    },
    args: ['run', '--lanes', '2'],
    status: 0,
    last: '600 passed, 0 failed',
    ids: 600,
  },
  {
    name: 'folders: inner ones win, and their tags add up',
    files: {
      'clock.mjs': `import { fixture } from 'red-lattice'; export const clock = fixture('clock', { settings: { hour: 8, zone: 'UTC' }, setup: ({ settings }) => settings.hour + settings.zone });`,
      'folder.lattice.mjs': `import { clock } from './clock.mjs'; export default folder({ tags: ['port'], overrides: [clock.with({ hour: 9, zone: 'CET' })] });`,
      'a.lattice.mjs': `import { clock } from './clock.mjs'; export const a = test('a', { needs: { clock } }, ({ check }, { clock }) => check.equal(clock, '9CET'));`,
      'quay/folder.lattice.mjs': `import { clock } from '../clock.mjs'; export default folder({ tags: ['quay'], overrides: [clock.with({ hour: 10 })] });`,
      'quay/b.lattice.mjs': `import { clock } from '../clock.mjs';
        export const b = test('b', { needs: { clock } }, ({ check }, { clock }) => check.equal(clock, '10CET'));
        export const c = test('c', { needs: { clock }, overrides: [clock.with({ hour: 11 })] }, ({ check }, { clock }) => check.equal(clock, '11CET'));`,
    },
    args: ['run', '--tag', 'port'],
    status: 0,
    last: '3 passed, 0 failed',
    results: { a: pass, b: pass, c: pass },
  },
  {
    name: 'an override without effect is a warning',
    files: {
      'a.lattice.mjs': `
        const clock = fixture('clock', { settings: { hour: 8 }, setup: ({ settings }) => settings.hour });
        export const unused = suite('unused', { overrides: [clock.with({ hour: 9 })] }, [test('one', ({ check }) => check.holds(true))]);
        export const hidden = suite('hidden', { overrides: [clock.with({ hour: 9 })] }, [test('two', { needs: { clock }, overrides: [clock.with({ hour: 10 })] }, ({ check }, { clock }) => check.equal(clock, 10))]);`,
    },
    status: 0,
    last: '2 passed, 0 failed',
    results: { 'unused › one': pass, 'hidden › two': pass },
    says: [
      'suite "unused" overrides fixture "clock" without effect: no case in it that ran needs the fixture',
      'suite "hidden" overrides fixture "clock" without effect: inner overrides hide it in every case that ran',
      'a.lattice.mjs:4:',
    ],
  },
  {
    name: 'a stopped run reports what it left out',
    files: {
      'a.lattice.mjs': `
        export const first = test('n {n}', { cases: range('n', 1, 9) }, ({ row, check }) => check.notEqual(row.n, 2));
        export const then = test('then', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--stop-after', '1', '--lanes', '1'],
    status: 1,
    last: '1 passed, 1 failed',
    results: { 'n 1': pass, 'n 2': 'failed/check' },
    says: ['? 8 not run: the run stopped after 1 failed'],
  },
  {
    name: 'wrong usage',
    files: { 'a.lattice.mjs': `export const one = test('one', ({ check }) => check.holds(true));` },
    args: ['run', '--titel', 'x'],
    status: 2,
    error: ["unknown option '--titel'", '--title'],
  },
  {
    name: 'a location that does not exist',
    files: { 'dues.lattice.mjs': `export const one = test('one', ({ check }) => check.holds(true));` },
    args: ['run', 'deus.lattice.mjs'],
    status: 2,
    error: ['no such file or folder; did you mean dues.lattice.mjs?'],
  },
  {
    name: 'plan runs nothing',
    files: {
      'a.lattice.mjs': `
        import { writeFileSync } from 'node:fs';
        const mark = fixture('mark', { setup: () => writeFileSync('touched', '') });
        export const one = test('at {hour}', { needs: { mark }, cases: values('hour', [1, 2]) }, () => writeFileSync('touched', ''));`,
      'b.lattice.mjs': `import { existsSync } from 'node:fs'; export const two = test(existsSync('touched') ? 'touched' : 'untouched', () => {});`,
    },
    args: ['plan'],
    status: 0,
    last: '3 cases in 2 tests, 2 files',
    absent: 'touched',
    says: ['hour=1', 'hour=2', 'b.lattice.mjs', 'untouched', '3 cases in 2 tests, 2 files'],
  },
  {
    name: 'narrow names the values that make a test fail',
    files: {
      'a.lattice.mjs': `
        const all = [1, 2, 3].flatMap((a) => ['x', 'y', 'z'].flatMap((b) => [true, false].map((c) => ({ a, b, c }))));
        export const one = test('one', { cases: rows(all) }, ({ row, check }) => check.holds(!(row.a === 2 && row.b === 'y')));
        export const two = test('two', { cases: rows(all) }, ({ check }) => check.holds(true));`,
    },
    args: ['narrow', '--lanes', '1'],
    status: 0,
    last: '1 of 1 failing test explained',
    says: ['cause  a=2 & b=y  3 of 3 fail'],
  },
  {
    name: 'computed values are accepted only after confirmation',
    files: {
      'dues.csv': '# by hand\r\nloa,due,note\r\n6,15,"a, b"\r\n8,19,\r\n',
      'a.lattice.mjs': `
        const columns = { loa: cell.number, due: cell.number, note: cell.text.default('') };
        export const dues = test('{loa} m', { cases: dataFile('dues.csv', { columns }) }, ({ row, check }) => { check.columns({ due: row.loa * 2.5 }); });
        export const notice = test('notice', async ({ check }) => { await check.file('out/n4.txt', 'N4\\n'); });
        export const own = test('{a} twice', { cases: table(['a', 'b'], [[1, 2], [2, 5]]) }, ({ row, check }) => { check.columns({ b: 2 * row.a }); });`,
    },
    args: ['run'],
    status: 1,
    results: { '6 m': pass, '8 m': 'failed/check', notice: 'failed/check', '1 twice': pass, '2 twice': 'failed/check' },
    then: [
      {
        args: ['report', '--format', 'json'],
        status: 0,
        says: [
          '"differingFile":{"file":"out/n4.txt","attachment":"computed out/n4.txt","isNew":true}',
          '"tableRow":{"location":{"file":"a.lattice.mjs","line":6,"column":55},"index":1',
        ],
      },
      { args: ['accept', '--check'], status: 1, says: ['19 → 20', 'new file of 3 bytes', '2 values in 2 files and 1 whole file would change'] },
      { args: ['accept'], status: 2, error: ['accept writes without a question only with --yes'] },
      { args: ['run'], status: 1 },
      { args: ['accept', '--yes'], status: 0, says: ['accepted 2 values in 2 files and 1 whole file'] },
      { args: ['run'], status: 0, says: ['5 passed, 0 failed'] },
    ],
    wrote: { 'dues.csv': '# by hand\r\nloa,due,note\r\n6,15,"a, b"\r\n8,20,\r\n', 'out/n4.txt': 'N4\n' },
  },
  {
    name: 'values that tests disagree about are not accepted, nor into a file that changed',
    files: {
      'dues.csv': 'due\n1\n',
      'other.csv': 'due\n1\n',
      'a.lattice.mjs': `
        import { appendFileSync } from 'node:fs';
        export const one = test('one', { cases: dataFile('dues.csv') }, ({ check }) => { check.columns({ due: '2' }); });
        export const two = test('two', { cases: dataFile('dues.csv') }, ({ check }) => { check.columns({ due: '3' }); });
        export const late = test('late', { cases: dataFile('other.csv'), tags: ['late'] }, async ({ check }) => {
          check.columns({ due: '2' });
          await new Promise((done) => setTimeout(done, 300));
          appendFileSync('other.csv', '5\\n');
        });`,
    },
    args: ['run', '--not-tag', 'late'],
    status: 1,
    then: [
      { args: ['accept', '--yes'], status: 1, says: ['tests want different values: 2 and 3'] },
      { args: ['run', '--tag', 'late'], status: 1 },
      { args: ['accept', '--yes'], status: 2, error: ['other.csv changed since the run'] },
    ],
    wrote: { 'dues.csv': 'due\n1\n', 'other.csv': 'due\n1\n5\n' },
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
    name: 'lanes that keep crashing end the run',
    files: {
      'a.lattice.mjs': `export const berths = test('berth {n}', { cases: range('n', 1, 9) }, () => process.kill(process.pid, 'SIGKILL'));`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    says: [
      '! lanes keep crashing before a case has a result: the process was ended by SIGKILL',
      '? the rest not run: its lanes kept crashing; --resume continues',
    ],
    last: '0 passed, 3 failed',
  },
  {
    name: 'lanes that plan different tests are a problem',
    files: {
      'a.lattice.mjs': `
        const wait = () => new Promise((done) => setTimeout(done, 400));
        export const berths = Array.from({ length: 6 }, (_, n) => test(n + ' in ' + process.pid, async ({ check }) => { await wait(); check.holds(true); }));`,
    },
    args: ['run', '--lanes', '2'],
    status: 1,
    says: ['! two lanes loaded the same files and planned different tests. What a file exports must not change from one load to the next.'],
    last: '6 passed, 0 failed',
  },
  {
    name: 'a run is not resumed with other tests',
    files: {
      'titles.mjs': `import { appendFileSync, existsSync } from 'node:fs';
        export const title = existsSync('changed.txt') ? 'other' : 'one';
        export const change = () => appendFileSync('changed.txt', 'yes');`,
      'a.lattice.mjs': `
        import { change, title } from './titles.mjs';
        export const first = test(title, ({ check }) => { change(); check.holds(false); });
        export const second = test('second', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--stop-after', '1'],
    status: 1,
    last: '0 passed, 1 failed',
    then: [{ args: ['run', '--resume'], status: 2, says: ['the tests differ from those of the run to resume', 'Start a new run without --resume.'] }],
  },
  {
    name: 'tests with one title, and a test under two names',
    files: {
      'a.lattice.mjs': `
        export const one = test('berth', ({ check }) => check.holds(true));
        export const again = one;
        export const two = test('berth', ({ check }) => check.holds(true));`,
    },
    status: 0,
    says: ['two tests have the title "berth"; the id of the second is a.lattice.mjs#berth~2', '"berth" is exported as `again`, `one`; it runs once'],
    last: '2 passed, 0 failed',
  },
  {
    name: 'a required check of a case that has ended is reported once',
    files: {
      'a.lattice.mjs': `
        export const hasty = test('hasty', ({ check, ensure }) => {
          check.holds(true);
          setTimeout(async () => ensure.equal(1, 2), 30);
        });
        export const slow = test('slow', async ({ check }) => { await new Promise((resolve) => setTimeout(resolve, 80)); check.holds(true); });`,
    },
    status: 1,
    says: ['a check ran after its case had ended (a.lattice.mjs#hasty): not equal', '1 problem outside the cases\n2 passed'],
    last: '2 passed, 0 failed',
  },
  {
    name: 'errors, output and exits that belong to no case',
    files: {
      'a.lattice.mjs': `
        console.log('while loading');
        setTimeout(() => { console.log('a bell'); throw new Error('loose rope'); }, 50);
        setTimeout(() => { Promise.reject(new Error('loose sail')); }, 60);
        export const one = test('one', async ({ check }) => { await new Promise((done) => setTimeout(done, 200)); check.holds(true); });`,
      'b.lattice.mjs': `
        export const two = test('two', { tags: ['exits'] }, async ({ check }) => { await new Promise((done) => setTimeout(done, 400)); check.holds(true); });
        setTimeout(() => process.exit(3), 100);`,
    },
    args: ['run', 'a.lattice.mjs', '--lanes', '1'],
    status: 1,
    results: { one: pass },
    says: [
      'an error was thrown outside any case: Error: loose rope',
      'a promise was rejected outside any case: Error: loose sail',
      '2 problems outside the cases\n1 passed',
    ],
    last: '1 passed, 0 failed',
    then: [
      { args: ['report', '--format', 'json'], status: 0, says: ['"output":["while loading\\n","a bell\\n"]'] },
      { args: ['run', 'b.lattice.mjs', '--lanes', '1'], status: 1, says: ['process.exit(3) was called outside any case', '0 passed, 1 failed'] },
    ],
  },
  {
    name: 'run fixtures that fail in their own process',
    files: {
      'a.lattice.mjs': `
        const gate = fixture('gate', { scope: 'run', setup: () => () => 1 });
        const office = fixture('office', { scope: 'run', setup: ({ log }) => { log('opening'); throw 'no key'; } });
        const desk = fixture('desk', { scope: 'run', needs: { office }, setup: () => 1 });
        const quay = fixture('quay', { scope: 'run', setup: () => { throw new RangeError('no quay'); } });
        const body = ({ check }) => check.holds(true);
        export const one = test('one', { needs: { gate } }, body);
        export const two = test('two', { needs: { desk } }, body);
        export const three = test('three', { needs: { desk } }, body);
        export const four = test('four', { needs: { quay } }, body);`,
    },
    args: ['run', '--lanes', '1'],
    status: 1,
    results: { one: 'errored/setup', two: 'errored/setup', three: 'errored/setup', four: 'errored/setup' },
    says: [
      'the value of fixture "gate" cannot be sent to the lanes: () => 1 could not be cloned. A fixture of scope "run" lives in a process of its own.',
      'in fixture "office", setup\n  threw "no key", which is not an Error',
      'fixture "office" failed to set up; the first case that needed it has the error',
      'in fixture "quay", setup\n  RangeError: no quay',
    ],
    last: '0 passed, 4 failed',
    then: [{ args: ['report', '--format', 'json'], status: 0, says: ['"output":["opening\\n"]'] }],
  },
  {
    name: 'a fixture of the run that fails to tear down',
    files: {
      'a.lattice.mjs': `
        const tides = fixture('tides', { scope: 'run', setup: () => 1, teardown: () => { console.log('closing'); throw new Error('no ebb'); } });
        export const one = test('one', { needs: { tides } }, ({ check }) => check.holds(true));
        export const two = test('two', ({ check }) => check.holds(true));`,
    },
    args: ['run', '--lanes', '2'],
    status: 1,
    results: { one: 'passed', two: 'passed', 'teardown of fixture "tides" for the run': 'errored/teardown' },
    says: ['! 1. teardown of fixture "tides" for the run  errored\n\n  in fixture "tides", teardown\n  Error: no ebb', '1 shared teardown failed'],
    last: '2 passed, 0 failed',
    then: [
      { args: ['report', '--format', 'json'], status: 0, says: ['"output":["closing\\n"]', '"teardown of fixture \\"tides\\" for the run'] },
      { args: ['run', '--lanes', '0'], status: 1, says: ['Error: no ebb', '1 shared teardown failed', '2 passed, 0 failed'] },
    ],
  },
  {
    name: 'a runtime that generates no code',
    files: {
      'dues.csv': 'loa,due\n6,15\n8,x\n',
      'a.lattice.mjs': `
        const columns = { loa: cell.number, due: cell.number };
        export const dues = test('{loa} m', { cases: dataFile('dues.csv', { columns }) }, ({ row, check }) => check.equal(row, { loa: 6, due: 15 }));
        export const pairs = test('{a} {b}', { cases: table(['a', 'b'], [[1, 2], [3, 4]]) }, ({ row, check }) => check.equal(row.a + 1, row.b));`,
    },
    node: ['--disallow-code-generation-from-strings'],
    status: 1,
    results: { '6 m': pass, '8 m': 'errored/data', '1 2': pass, '3 4': pass },
    says: ['dues.csv:3:3 due: "x" is not a number'],
    last: '3 passed, 1 failed',
  },
  {
    name: 'an interruption ends narrow',
    files: interruptible('await new Promise(() => {});'),
    args: ['narrow', '--lanes', '1'],
    signals: [['SIGINT', 'body']],
    status: 130,
    wrote: { 'order.txt': '+office +quay body abort late -quay -office ' },
  },
  {
    name: 'a merge of shards that stopped early counts what did not run',
    files: {
      'a.lattice.mjs': `export const one = test('berth {n}', { cases: range('n', 1, 20) }, ({ check }) => check.holds(false));`,
    },
    args: ['run', '--shard', '1/2', '--stop-after', '1', '--lanes', '1'],
    status: 1,
    last: '0 passed, 1 failed',
    then: [
      { args: ['run', '--shard', '2/2', '--stop-after', '2', '--lanes', '1'], status: 1, says: ['? 8 not run: the run stopped after 2 failed'] },
      { args: ['merge', 'previous', 'latest', '-o', 'whole'], status: 1, says: ['? 17 not run: the run stopped after 1 failed', '0 passed, 3 failed'] },
      { args: ['report', 'whole', '--format', 'json'], status: 0, says: ['"notRun":{"cases":17,"isMore":false,"reason":"the run stopped after 1 failed"}'] },
    ],
  },
];
