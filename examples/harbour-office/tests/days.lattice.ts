import { suite, table, test } from 'red-lattice';
import { dayAfter, nightsBetween, seasonOf } from '../src/days.ts';

export const days = suite('days', [
  test('{day} and {nights} nights is {to}', {
    cases: table(
      ['day', 'nights', 'to'],
      [
        ['2031-05-03', 1, '2031-05-04'],
        ['2031-12-31', 1, '2032-01-01'],
        ['2032-02-28', 2, '2032-03-01'],
        ['2031-03-29', 3, '2031-04-01'],
      ],
    ),
  }, ({ row, check }) => {
    check.equal(dayAfter(row.day, row.nights), row.to);
    check.equal(nightsBetween(row.day, row.to), row.nights);
  }),

  test(
    '{day} is in {season}',
    {
      cases: table(
        ['day', 'season'],
        [
          ['2031-04-30', 'winter'],
          ['2031-05-01', 'summer'],
          ['2031-09-30', 'summer'],
          ['2031-10-01', 'winter'],
        ],
      ),
    },
    ({ row, check }) => check.equal(seasonOf(row.day), row.season),
  ),
]);
