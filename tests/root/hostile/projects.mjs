// Projects in which one of several cases does something hostile. The other cases must have their usual results, every body runs once, and
// each setup has its teardown, except in a process that was ended.
import { bodies } from './bodies.mjs';

const rows = [1, 2, 3, 4];

export const hostile = bodies.map(([body, status]) => ({
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
