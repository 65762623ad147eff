import { dataFile, suite, test } from 'red-lattice';
import { nextTariff } from '../src/next-edition.ts';
import { writeNotice } from '../src/notice.ts';
import { quote } from '../src/tariff.ts';
import { stayColumns } from './fixtures.ts';

/** The expected values began as a copy of this year's. `red-lattice accept` wrote those that the new edition changes. */
export const nextEdition = suite('the tariff of next year', { tags: ['money', 'next-edition'] }, [
  test('dues for {loa} m', { cases: dataFile('data/dues-2032.csv', { columns: stayColumns }) }, ({ row, check }) => {
    check.columns({ due: quote(nextTariff, row).total / 100 });
  }),

  test('the notice at the quay', async ({ check }) => {
    await check.file('notices/dues-2032.txt', writeNotice(nextTariff));
  }),
]);
