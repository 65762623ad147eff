import { range, suite, table, test } from 'red-lattice';
import { isInPartition, type Partition } from '../../src/cases/partition.ts';
import { createRandom } from '../../src/cases/random.ts';
import { cell, dataFile, type Test, test as testOf } from '../../src/index.ts';
import { WorkScheduler } from '../../src/node/work-scheduler.ts';
import { expandInBatches } from '../../src/suites/expand.ts';
import { BUILT_IN_DEFAULTS, planFiles } from '../../src/suites/plan.ts';
import type { PlannedCaseImpl, PlannedTest } from '../../src/suites/planned.ts';

/** A file with a text, in chunks of some kilobytes. */
const fileOf = (text: string, pieces: number) => ({
  async *read() {
    const bytes = new TextEncoder().encode(text);
    for (let from = 0; from < bytes.length; from += pieces) yield bytes.subarray(from, from + pieces);
  },
});

/** An asynchronous schema. */
const lateInteger = {
  '~standard': {
    version: 1,
    vendor: 'made-up',
    validate: async (value: unknown) => (/^\d+$/.test(String(value)) ? { value: Number(value) } : { issues: [{ message: 'no number' }] }),
    types: undefined as { readonly input: unknown; readonly output: number } | undefined,
  },
} as const;

async function plannedOf(made: Test, files: ReturnType<typeof fileOf>): Promise<PlannedTest> {
  const plan = await planFiles([{ file: 'a', url: new URL('file:///'), exports: { made }, folders: [] }], { files }, BUILT_IN_DEFAULTS);
  return plan.tests[0] as PlannedTest;
}

async function all(planned: PlannedTest, files: ReturnType<typeof fileOf>, share?: Partition): Promise<PlannedCaseImpl[]> {
  const found: PlannedCaseImpl[] = [];
  for await (const { cases } of expandInBatches(planned, { files }, share)) found.push(...cases);
  return found;
}

const summarize = ({ ordinal, id, row, entry }: PlannedCaseImpl) => ({ ordinal, id, row, line: entry.location?.line, problems: entry.problems?.length ?? 0 });

export const shares = suite('partitions of a data file', [
  test('are disjoint and complete, and number duplicates as a whole run does: seed {seed}', { cases: range('seed', 1, 60) }, async ({ row, check }) => {
    const random = createRandom(`shares ${row.seed}`);
    const size = random.integer(0, 3) ? random.integer(1000, 2000) : random.pick([0, 1, 64, 990, 1000, 1010]);
    const differs = random.pick([3, 40, 100_000, 100_000, 100_000]);
    const isNumber = random.pick([true, false]);
    const isNamed = random.integer(0, 4) === 0;
    const order = random.pick([
      [0, 1, 2],
      [1, 2, 0],
      [2, 0, 1],
    ]);
    /** The same row can be written in several ways, and some records are invalid. */
    const spell = (key: number, nights: number, resident: boolean): string => {
      const word = isNumber ? random.pick([String(key), `${key}.0`, ` ${key}`]) : random.pick([`N${key}`, `"N${key}"`, ` N${key} `]);
      const spelt = key === 7 ? random.pick(['', word]) : key % 50 === 8 ? `no. ${key}` : word;
      const cells = [spelt, nights, resident ? random.pick(['yes', 'true', 'YES']) : 'no'];
      return [...(isNamed ? [`name ${nights}`] : []), ...order.map((at) => cells[at])].join(',');
    };
    const made: [number, number, boolean][] = [];
    const lines = Array.from({ length: size }, () => {
      if (random.integer(0, 60) === 0) return random.pick(['# a comment', '', 'N1', '"N2\nN3",5,yes', 'N4,"5,yes']);
      const given: [number, number, boolean] =
        made.length > 70 && random.integer(0, 2) === 0
          ? random.pick(made)
          : [random.integer(0, 20) ? random.integer(0, differs) : 7, random.integer(1, 2), random.pick([true, false])];
      made.push(given);
      return spell(...given);
    });
    const headings = order.map((at) => ['berth', 'nights', 'resident'][at]);
    const text = [`${isNamed ? '(case),' : ''}${headings.join()}`, ...lines].join('\n');
    const columns = {
      berth: isNumber ? cell.number.default(7) : cell.text.default('N7'),
      nights: random.integer(0, 3) ? cell.integer : lateInteger,
      resident: cell.boolean,
    };
    const lies = testOf('lies', { cases: dataFile('berths.csv', { columns }), allowEmpty: true }, () => {});
    const planned = await plannedOf(lies, fileOf(text, 4000));
    const whole = (await all(planned, fileOf(text, 4000))).map(summarize);
    check.equal(new Set(whole.map(({ id }) => id)).size, whole.length, 'each its own');
    const of = random.integer(2, 4);
    const block = random.pick([1, 8, 100]);
    const parts = [];
    // The chunks of a file do not matter.
    for (let index = 0; index < of; index++) parts.push(...(await all(planned, fileOf(text, random.integer(20, 9000)), { index, of, block })).map(summarize));
    check.equal(
      parts.sort((a, b) => a.ordinal - b.ordinal),
      whole,
    );
  }),

  test('have similar sizes if the values of a column differ', async ({ check }) => {
    const lines = Array.from({ length: 6000 }, (_, i) => `${i % 2 ? 'summer' : 'winter'},B${i * 7},${i % 28}`);
    const text = ['season,berth,nights', ...lines].join('\n');
    const planned = await plannedOf(
      testOf('lies', { cases: dataFile('berths.csv') }, () => {}),
      fileOf(text, 4000),
    );
    for (let index = 0; index < 3; index++) check.closeTo((await all(planned, fileOf(text, 4000), { index, of: 3, block: 1 })).length, 2000, 200);
  }),

  test('of a dozen cases are assigned to both lanes, {how}', {
    cases: table(
      ['how', 'before', 'shared'],
      [
        ['some together where nobody knows how long they take', undefined, [8, 4]],
        ['one by one where they take long', 1200, [6, 6]],
        ['all to one where others take longer', 3, [12]],
      ],
    ),
  }, ({ row, check }) => {
    const pieces = [{ tests: [0], isPartitionable: true }, ...(row.before === 3 ? [1, 2, 3].map((test) => ({ tests: [test], isPartitionable: false })) : [])];
    const dealer = new WorkScheduler(pieces, 2, (number) => (number === 0 ? row.before : 100), []);
    const dealt: number[] = [];
    for (let piece = dealer.next(); piece; piece = dealer.next()) {
      const { share, tests } = piece;
      if (tests.includes(0))
        dealt.push(Array.from({ length: 12 }, (_, ordinal) => ordinal).filter((ordinal) => !share || isInPartition(ordinal, share)).length);
    }
    check.equal(dealt, row.shared as number[]);
  }),
]);
