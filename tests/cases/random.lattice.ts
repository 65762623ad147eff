import { planSuites, range, table, test } from 'red-lattice';
import { createRandom, type Random } from '../../src/cases/random.ts';

/** Values from a seed must not change, so that later versions can repeat rows, shards and failures. */
export const golden = test('a seed gives the same {what} on every machine', {
  cases: table(
    ['what', 'make', 'values'],
    [
      ['integers', (random: Random) => [random.integer(0, 99), random.integer(-5, 5), random.integer(0, 2 ** 31)], [62, 1, 2046736943]],
      ['numbers', (random: Random) => [random.real(0, 1), random.real(10, 20)], [0.628845996921882, 16.01693967357278]],
      ['picked items', (random: Random) => ['mono', 'cat', 'tri'].map((_item, _index, all) => random.pick(all)), ['cat', 'cat', 'tri']],
      ['texts', (random: Random) => [random.text(8), random.text(4, '01')], ['qpydjgev', '0010']],
      ['orders', (random: Random) => random.shuffle([1, 2, 3, 4, 5, 6]), [2, 3, 1, 5, 6, 4]],
    ],
  ),
}, ({ row, check }) => {
  check.equal<readonly unknown[]>(row.make(createRandom('tide')), row.values);
});

export const samples = test('a sample from a seed has the same rows on every machine: {seed}', {
  cases: table(
    ['seed', 'sample'],
    [
      [1, [1, 5, 6, 7]],
      [2, [1, 4, 5, 10]],
      [3, [2, 5, 7, 11]],
    ],
  ),
}, async ({ row, check }) => {
  const seen: number[] = [];
  for await (const { row: chosen } of planSuites([test('berth', { cases: range('n', 1, 12).sample(4, row.seed) }, () => {})])) seen.push(chosen['n'] as number);
  check.equal(seen, [...row.sample]);
});
