import { dataFile, suite, test } from 'red-lattice';
import { layOutRows, type RowTable } from '../../src/formats/human/row-table.ts';

interface Given {
  readonly rows: readonly Readonly<Record<string, unknown>>[];
  readonly width?: number;
  readonly table?: RowTable;
}

export const tables = suite('rows as a table', [
  test('{what}', {
    cases: dataFile('row-tables.yaml'),
  }, ({ row, check }) => {
    const { rows, width = 70, table } = row as unknown as Given;
    check.equal(layOutRows(rows, width), table);
  }),
]);
