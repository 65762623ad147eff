import { cell, dataFile, range, test } from 'red-lattice';
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
  cases: dataFile('jobs.jsonl', { columns: { given: cell.text, environment: cell.json, part: cell.text } }),
}, ({ row, check }) => {
  const come = (): string => {
    try {
      const { index, of } = parseShard(row.given, row.environment as Record<string, string>);
      return `${index} of ${of}`;
    } catch (error) {
      return (error as Error).message;
    }
  };
  if (row.part.startsWith('^')) check.matches(come(), new RegExp(row.part));
  else check.equal(come(), row.part);
});
