import { dataFile, namedRows, suite, table, test } from 'red-lattice';
import type { Stay } from '../src/tariff.ts';
import { office, stayColumns } from './fixtures.ts';

const stay: Stay = { loa: 9.5, hull: 'mono', season: 'summer', nights: 1, resident: false, power: false };

export const dues = suite('berth dues', { tags: ['money'] }, [
  test(
    'match the office’s table of bands',
    {
      needs: { office },
      cases: dataFile('data/dues.csv', { columns: stayColumns }),
    },
    ({ row, check }, { office }) => {
      check.closeTo(office.quote(row).total / 100, row.due, 0.001, 'dues for the stay');
    },
  ),

  test(
    'for {nights} nights are {due} cents',
    {
      needs: { office },
      cases: table(
        ['nights', 'due'],
        [
          [1, 2400],
          [6, 14400],
          [7, 15120],
          [28, 50400],
        ],
      ),
    },
    ({ row, check }, { office }) => {
      check.equal(office.quote({ ...stay, nights: row.nights }).total, row.due);
    },
  ),

  test('list their parts', { needs: { office } }, ({ check, step }, { office }) => {
    const dues = office.quote({ ...stay, nights: 3, power: true });
    step('berth and power', () => check.equal(dues, { berth: 7200, power: 1140, total: 8340 }));
    step('they add up', () => check.equal(dues.berth + dues.power, dues.total));
  }),

  test(
    'are rejected for an invalid stay',
    {
      needs: { office },
      cases: namedRows({ 'no length': { loa: 0, nights: 1 }, 'no nights': { loa: 9, nights: 0 }, 'half a night': { loa: 9, nights: 0.5 } }),
    },
    ({ row, check }, { office }) => {
      check.throws(() => office.quote({ ...stay, ...row }), RangeError);
    },
  ),
]);
