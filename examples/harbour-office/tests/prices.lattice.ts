import { cell, dataFile, suite, test } from 'red-lattice';
import { pricePerMetre } from '../src/mooring-prices.ts';

/** The workbook that the office edits: its sheet of prices. */
const prices = dataFile('data/prices.xlsx', {
  sheet: 'Prices',
  columns: {
    season: cell.oneOf('winter', 'summer').heading('Season'),
    lying: cell.oneOf('quay', 'pontoon', 'mooring').heading('Berth'),
    price: cell.number.heading('Price per metre'),
    from: cell.date.heading('Valid from'),
    power: cell.boolean.heading('Shore power'),
  },
});

export const perMetre = suite('prices by season and berth', { tags: ['money'] }, [
  test('match the workbook: {season}, {lying}', { cases: prices }, ({ row, check }) => {
    check.equal(pricePerMetre(row.season, row.lying) / 100, row.price);
  }),
  test('apply from the first day of a season: {season}, {lying}', { cases: prices }, ({ row, check }) => {
    check.equal(row.from.getUTCDate(), 1);
    check.equal(row.from.getUTCMonth(), row.season === 'winter' ? 0 : 3);
  }),
]);
