import { suite, test, values } from 'red-lattice';

const draft = process.env['OFFICE'] === 'draft';
const wait = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms));
export const slow = suite('tides', [
  test('at {hour}', { cases: values('hour', [1, 2, 3, 4, 5, 6]) }, async ({ row, check }) => {
    await wait(draft ? 60 + row.hour : 10 + row.hour);
    check.holds(true);
  }),
  test('leaves a timer', ({ check }) => {
    globalThis.setInterval(() => {}, 5000);
    check.holds(true);
  }),
  test('crashes', ({ check }) => {
    if (draft) process.exit(7);
    check.holds(true);
  }),
  test('follows', ({ check }) => check.holds(true)),
]);
