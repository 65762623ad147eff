import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fixture } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { runCommand } from '../program.ts';
import { makeProject } from '../project.ts';

export const hostile = '</script><img src=x onerror=alert(1)> # `a` | \\ @all \u001b[31m =1+1';

const files = {
  'package.json': '{"type":"module"}',
  'stays.csv': 'nights,guest\n1,a\ntwo,b\n3,=1+1\n',
  'outcomes.lattice.ts': `import { cell, dataFile, fixture, matrix, namedRows, suite, table, test } from 'red-lattice';
const broken = process.env['OFFICE'] === 'broken';
const ledger = fixture('ledger', { scope: 'suite', settings: { year: 2031 }, setup: () => ({}), teardown: () => { if (broken) throw new Error('the ledger is stuck'); } });
export const all = suite('the office', { tags: ['office'] }, [
  test('holds', { needs: { ledger } }, ({ check }) => check.equal(1, 1)),
  test('differs', ({ check, step, log, attach }) => {
    log('written \\u001b[31mred');
    attach('a note.txt', 'text');
    attach('dot.png', Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64'));
    attach('../page.html', '<script>alert(1)</script>');
    attach('plan.svg', '<svg onload="alert(1)"/>');
    step('outer', ({ step }) => step('inner', ({ check }) => check.equal({ a: 1, b: [1, 2] }, { a: 1, b: broken ? [1, 3] : [1, 2] }, 'the bill')));
    check.equal(1, 1);
  }),
  test('throws', () => { if (broken) throw new AggregateError([new Error('one', { cause: new TypeError('two') })], 'several'); }),
  test('throws no error', () => { if (broken) throw { berth: 4 }; }),
  test('is skipped', { skip: 'no tide table yet' }, () => {}),
  test('is known', { knownFailure: 'the meter runs fast' }, ({ check }) => check.equal(1, 2)),
  test('is held', { onRequest: 'takes a day' }, () => {}),
  test(${JSON.stringify(hostile.replaceAll('{', '{{'))}, { cases: namedRows({ ${JSON.stringify(hostile)}: { x: ${JSON.stringify(hostile)} } }) }, ({ row, check }) => check.equal(row.x, broken ? '' : row.x)),
  test('{nights} nights', { cases: dataFile('stays.csv', { columns: { nights: cell.integer, guest: cell.text } }) }, ({ check }) => check.equal(1, 1)),
]);
export const quays = suite('quay {quay}', { cases: namedRows({ north: { quay: 'N' }, south: { quay: 'S' } }) }, [test('has room', ({ check }) => check.equal(1, 1))]);
export const moored = test('{hull} of {loa} m in {season}', {
  cases: matrix({ loa: [6, 9, 12, 15], hull: ['mono', 'cat', 'tri'], season: ['summer', 'winter'], power: [true, false] }),
}, ({ row, check }) => check.equal(broken && row.hull === 'cat' && row.season === 'winter' ? 'no' : 'yes', 'yes'));
`,
};

/** A project with every kind of result, and records of two runs: one in which the office is in order, and one in which it is broken. */
export const outcomes = fixture('outcomes', {
  scope: 'file',
  needs: { folder: tempDirectory('file') },
  async setup(_, { folder }) {
    await makeProject(folder);
    for (const [name, text] of Object.entries(files)) await writeFile(join(folder, name), text);
    const good = await runCommand(['run', '--record', 'good', '--lanes', '1'], folder);
    const bad = await runCommand(['run', '--record', 'bad', '--lanes', '2'], folder, { OFFICE: 'broken' });
    return { folder, good, bad };
  },
});
