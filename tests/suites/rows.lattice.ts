import { cell, dataFile, test, values } from 'red-lattice';
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

export const noConditions = test('{text} is not a condition', { cases: values('text', ['loa', '=12', ' =12', '!=', 'loa>=', 'loa< ', '']) }, ({ row, check }) =>
  check.equal(parseCondition(row.text), undefined),
);

export const emptyTexts = test('{text} compares with an empty text', { cases: values('text', ['remark=', 'remark!=']) }, ({ row: { text }, check }) =>
  check.equal(parseCondition(text), { column: 'remark', operator: text.slice(6) as '=', value: '' }),
);
