import { cell, dataFile, test } from 'red-lattice';
import { LeakCounter } from '../../src/node/lane/leak-finder.ts';

export const counted = test('what is still open belongs to who opened it: {what}', {
  cases: dataFile('leaks.csv', { columns: { what: cell.text, steps: cell.list(cell.text, ' '), left: cell.list(cell.text, ' ').default([]) } }),
}, ({ row, check, defer }) => {
  const timers: NodeJS.Timeout[] = [];
  defer(() => timers.forEach(clearTimeout));
  const counter = new LeakCounter();
  for (const step of row.steps) {
    const name = step.slice(1).replace('!', '');
    if (step.startsWith('+')) timers.push(setTimeout(() => {}, 60_000));
    else if (step.startsWith('-')) clearTimeout(timers.pop());
    counter.sample({ id: name, title: name }, ['quay', 'tug'].includes(name) ? name : undefined, step.endsWith('!'));
  }
  check.equal(
    counter.leaks.filter(({ kind }) => kind === 'timer').map(({ after }) => after?.title),
    [...row.left],
  );
});
