import { cell, dataFile, fixture, namedRows, planSuites, runSuites, suite, table, test } from 'red-lattice';
import { memoryFiles } from '../inner.ts';

const tide = fixture('tide', { scope: 'file', setup: async () => ({ at: (hour: number) => hour / 2 }) });

/** A few of everything, to run both in Node and in a page. */
const suites = [
  suite('tides', [
    test(
      'at {hour}',
      {
        needs: { tide },
        cases: table(
          ['hour', 'height'],
          [
            [2, 1],
            [4, 3],
          ],
        ),
      },
      ({ row, check }, { tide }) => check.equal(tide.at(row.hour), row.height),
    ),
    test('from a file', { cases: dataFile('tides.csv') }, ({ row, check }) => check.equal(row['height'], '1')),
    test('from a long file', { cases: dataFile('long.csv', { columns: { hour: cell.integer } }) }, ({ row, check }) => check.holds(row.hour < 149)),
    test('from a document', { cases: dataFile('tides.json', { columns: { height: cell.number } }) }, ({ row, check }) => check.equal(row.height, 1)),
    test('steps', async ({ step }) => {
      await step('late', async ({ ensure }) => ensure.equal({ a: [1, 2] }, { a: [1, 3] }));
    }),
    test('throws', () => {
      throw new RangeError('deep');
    }),
    test('named', { cases: namedRows({ north: { n: 1 }, south: { n: 2 } }), skip: 'not today' }, () => {}),
  ]),
];

/** Every case with its status and failure messages. */
export async function outcome(): Promise<string[]> {
  const { files, base } = memoryFiles({
    'tides.csv': 'height\n1\n2\n',
    'long.csv': `hour\n${Array.from({ length: 150 }, (_, hour) => `${hour}\n`).join('')}noon\n`,
    'tides.json': '[{ "height": 1 }, { "height": "high" }, 2]',
  });
  const lines: string[] = [];
  for await (const planned of planSuites(suites, { files, base })) lines.push(`planned ${planned.id}`);
  const { counts } = await runSuites(suites, {
    seed: 1,
    files,
    base,
    onEvent(event) {
      if (event.type === 'ended')
        lines.push(
          `${event.case.id} ${event.result.status} ${event.result.failures.map(({ message, actual, step }) => `${step ?? ''} ${message} ${actual ?? ''}`).join()}`,
        );
    },
  });
  return [...lines, JSON.stringify(counts)];
}

/** The reports of errors that occur after their case has ended. */
export async function lateOutcome(): Promise<string[]> {
  const lines: string[] = [];
  const wait = (milliseconds: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, milliseconds));
  const late = suite('late', [
    test('leaves timers', ({ check }) => {
      check.holds(true);
      setTimeout(() => {
        throw new Error('adrift');
      }, 30);
      setTimeout(() => void Promise.reject(new Error('lost')), 30);
    }),
    test('takes longer', async ({ check, eventually }) => check.holds(await eventually(async () => (await wait(60)) === undefined))),
  ]);
  const { ok } = await runSuites([late], { onEvent: (event) => event.type === 'ended' && lines.push(`${event.case.title}: ${event.result.status}`) });
  return [...lines.sort(), `ok: ${ok}`];
}
