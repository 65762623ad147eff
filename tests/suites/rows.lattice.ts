import { table, test } from 'red-lattice';
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
};

export const conditions = test(
  '--row {condition} is {holds}',
  {
    cases: table(
      ['condition', 'holds'],
      [
        ['season=winter', true],
        ['season=summer', false],
        ['season!=summer', true],
        ['loa=12', true],
        ['loa=12.0', true],
        ['loa!=12', false],
        ['loa>=12', true],
        ['loa>12', false],
        ['loa<100', true],
        ['due<=93.5', true],
        ['resident=false', true],
        ['from=2031-04-10', true],
        ['from>2031-04-09', true],
        ['from<2031-04-10', false],
        ['stay.nights=3', true],
        ['stay.nights>3', false],
        ['berth=null', true],
        ['berth>1', false],
        ['code=007', true],
        ['code=7', false],
        ['code="007"', true],
        ['code="7"', false],
        ['remark=hull repainted, engine serviced, insura…', true],
        ['remark=hull repainted, engine serviced, insure…', false],
        ['season>summer', true],
        ['big>1', true],
        ['missing=1', false],
        ['missing!=1', true],
        ['missing<1', false],
        ['loa<north', false],
      ],
    ),
  },
  ({ row: { condition, holds }, check }) => check.equal(matchesCondition(row, parseCondition(condition) as RowCondition), holds),
);
