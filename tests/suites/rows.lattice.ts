import { cell, dataFile, test } from 'red-lattice';
import { matchesCondition, parseCondition, type RowCondition } from '../../src/suites/row-condition.ts';

const row = {
  season: 'winter',
  loa: 12,
  due: 93.5,
  resident: false,
  from: new Date('2031-04-10T00:00:00Z'),
  stay: { nights: 3 },
  berth: null,
  code: '007',
  remark: 'hull repainted, engine serviced, insurance renewed',
  big: 9007199254740993n,
  parts: ['power', 'crane'],
  '[a]': ['x'],
};

export const conditions = test(
  '--row {condition} is {holds}',
  { cases: dataFile('conditions.csv', { columns: { condition: cell.text, holds: cell.boolean } }) },
  ({ row: { condition, holds }, check }) => check.equal(matchesCondition(row, parseCondition(condition) as RowCondition), holds),
);
