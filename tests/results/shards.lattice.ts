import { range, table, test } from 'red-lattice';
import { createRandom } from '../../src/cases/random.ts';
import { parseShard } from '../../src/command/shard.ts';
import { assignShards } from '../../src/results/shards.ts';

export const balanced = test('shards by time contain every case once and take similar times: seed {seed}', { cases: range('seed', 1, 50) }, ({
  row,
  check,
}) => {
  const random = createRandom(`shards ${row.seed}`);
  const cases = Array.from({ length: random.integer(1, 60) }, (_, i) => ({ id: `case ${i}`, milliseconds: random.integer(0, 1) ? random.integer(0, 9) : 1 }));
  const of = random.integer(1, 6);
  const shards = assignShards(cases, of);
  check.equal([...shards.keys()].sort(), cases.map(({ id }) => id).sort());
  check.holds([...shards.values()].every((shard) => shard >= 1 && shard <= of));
  const loads = Array.from({ length: of }, (_, i) =>
    cases.filter(({ id }) => shards.get(id) === i + 1).reduce((sum, { milliseconds }) => sum + milliseconds, 0),
  );
  // The last case of the fullest shard was assigned when that shard had the least.
  check.holds(Math.max(...loads) - Math.min(...loads) <= Math.max(...cases.map(({ milliseconds }) => milliseconds)), loads.join());
  check.equal(assignShards(random.shuffle(cases), of), shards, 'in whatever order they come');
});

export const jobs = test('--shard {given} in a job with {environment} is {part}', {
  cases: table(
    ['given', 'environment', 'part'],
    [
      ['2/5', {}, '2 of 5'],
      ['0/5', {}, 'Part 0 of 5 does not exist; parts are counted from 1.'],
      ['2/5/7', {}, /^It must look like 2\/5/],
      ['2', {}, /^It must look like 2\/5/],
      ['job', { CI_NODE_INDEX: '1', CI_NODE_TOTAL: '3' }, '1 of 3'],
      ['job', { CIRCLE_NODE_INDEX: '0', CIRCLE_NODE_TOTAL: '3' }, '1 of 3'],
      ['job', { SLURM_PROCID: '2', SLURM_NTASKS: '3' }, '3 of 3'],
      ['job', { JOB_COMPLETION_INDEX: '4' }, "JOB_COMPLETION_INDEX has the job's index, but no variable has the number of jobs. Write job/5 for five."],
      ['job/5', { JOB_COMPLETION_INDEX: '4' }, '5 of 5'],
      ['job/5', { JOB_COMPLETION_INDEX: '5' }, 'Part 6 of 5 does not exist; parts are counted from 1.'],
      ['job', {}, /^No environment variable has the job's index; tried CI_NODE_INDEX/],
      ['job', { CI_NODE_INDEX: 'x', CI_NODE_TOTAL: '3' }, /^No environment variable/],
    ],
  ),
}, ({ row, check }) => {
  const come = (): string => {
    try {
      const { index, of } = parseShard(row.given, row.environment as Record<string, string>);
      return `${index} of ${of}`;
    } catch (error) {
      return (error as Error).message;
    }
  };
  if (typeof row.part === 'string') check.equal(come(), row.part);
  else check.matches(come(), row.part);
});
