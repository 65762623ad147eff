import { range, test } from 'red-lattice';
import { randomFrom } from '../../src/cases/random.ts';
import { balance } from '../../src/results/shards.ts';

export const balanced = test('shards by time hold every case once and take about as long: seed {seed}', { cases: range('seed', 1, 50) }, ({ row, check }) => {
  const random = randomFrom(`shards ${row.seed}`);
  const cases = Array.from({ length: random.integer(1, 60) }, (_, i) => ({ id: `case ${i}`, milliseconds: random.integer(0, 1) ? random.integer(0, 9) : 1 }));
  const of = random.integer(1, 6);
  const shards = balance(cases, of);
  check.equal([...shards.keys()].sort(), cases.map(({ id }) => id).sort());
  check.holds([...shards.values()].every((shard) => shard >= 1 && shard <= of));
  const loads = Array.from({ length: of }, (_, i) =>
    cases.filter(({ id }) => shards.get(id) === i + 1).reduce((sum, { milliseconds }) => sum + milliseconds, 0),
  );
  // The last case of the fullest shard went where the least was.
  check.holds(Math.max(...loads) - Math.min(...loads) <= Math.max(...cases.map(({ milliseconds }) => milliseconds)), loads.join());
  check.equal(balance(random.shuffle(cases), of), shards, 'in whatever order they come');
});
