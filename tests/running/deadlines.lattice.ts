import { namedRows, test } from 'red-lattice';
import { DeadlineTimer, runWithin } from '../../src/running/deadlines.ts';

const never = new Promise<never>(() => {});
const turn = (): Promise<void> => new Promise((resolve) => setImmediate(resolve));

export const ends = test('an operation {what}', {
  cases: namedRows<{
    what: string;
    promise: Promise<unknown>;
    isInterruptible: boolean;
    interrupts: readonly boolean[];
    end: string;
    aborts: readonly boolean[];
  }>({
    settles: { what: 'that settles has its value', promise: Promise.resolve(7), isInterruptible: true, interrupts: [], end: 'settled 7', aborts: [] },
    graceful: { what: 'that is interrupted has a grace period', promise: never, isInterruptible: true, interrupts: [false], end: 'waits', aborts: [true] },
    urgent: {
      what: 'that is interrupted urgently ends at once',
      promise: never,
      isInterruptible: true,
      interrupts: [true],
      end: 'interrupted',
      aborts: [true],
    },
    twice: {
      what: 'that is interrupted again, urgently, ends at once',
      promise: never,
      isInterruptible: true,
      interrupts: [false, true],
      end: 'interrupted',
      aborts: [true],
    },
    calm: {
      what: 'that is interrupted again, with grace, waits',
      promise: never,
      isInterruptible: true,
      interrupts: [false, false],
      end: 'waits',
      aborts: [true],
    },
    teardown: { what: 'that cannot be interrupted waits', promise: never, isInterruptible: false, interrupts: [true], end: 'waits', aborts: [] },
  }),
}, async ({ row, check }) => {
  const watch = new DeadlineTimer({ keepsAlive: false });
  const aborts: boolean[] = [];
  let end = 'waits';
  const limited = { milliseconds: 60_000, abort: (interrupted: boolean) => void aborts.push(interrupted), isInterruptible: row.isInterruptible, settled() {} };
  void runWithin(watch, row.promise, limited).then((result) => (end = [result.end, result.value].filter((part) => part !== undefined).join(' ')));
  await turn();
  for (const isUrgent of row.interrupts) watch.interrupt(isUrgent);
  await turn();
  watch.stop();
  check.equal([end, aborts], [row.end, [...row.aborts]]);
});
