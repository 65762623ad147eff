import { dataFile, test } from 'red-lattice';
import { DeadlineTimer, runWithin } from '../../src/running/deadlines.ts';

const never = new Promise<never>(() => {});
const turn = (): Promise<void> => new Promise((resolve) => setImmediate(resolve));

interface Interrupted {
  readonly settles?: number;
  readonly isInterruptible: boolean;
  readonly interrupts: readonly boolean[];
  readonly end: string;
  readonly aborts: readonly boolean[];
}

export const ends = test('an operation {what}', {
  cases: dataFile('deadlines.yaml'),
}, async ({ row: given, check }) => {
  const row = given as unknown as Interrupted;
  const watch = new DeadlineTimer({ keepsAlive: false });
  const aborts: boolean[] = [];
  let end = 'waits';
  const limited = { milliseconds: 60_000, abort: (interrupted: boolean) => void aborts.push(interrupted), isInterruptible: row.isInterruptible, settled() {} };
  void runWithin(watch, row.settles === undefined ? never : Promise.resolve(row.settles), limited).then(
    (result) => (end = [result.end, result.value].filter((part) => part !== undefined).join(' ')),
  );
  await turn();
  for (const isUrgent of row.interrupts) watch.interrupt(isUrgent);
  await turn();
  watch.stop();
  check.equal([end, aborts], [row.end, [...row.aborts]]);
});
