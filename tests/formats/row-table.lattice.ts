import { namedRows, suite, test } from 'red-lattice';
import { layOutRows, type RowTable } from '../../src/formats/human/row-table.ts';

type Row = Readonly<Record<string, unknown>>;

export const tables = suite('rows as a table', [
  test(
    '{what}',
    {
      cases: namedRows<{ what: string; rows: readonly Row[]; width?: number; table: RowTable | undefined }>({
        differing: {
          what: 'has the columns in which they differ, and names the others once',
          rows: [
            { hull: 'cat', loa: 6, season: 'winter', note: 'a' },
            { hull: 'cat', loa: 12.5, season: 'winter', note: 'two words' },
          ],
          table: { same: 'hull=cat, season=winter', head: ' loa  note', lines: ['   6  a        ', '12.5  two words'] },
        },
        wide: {
          what: 'measures wide characters and escapes controls',
          rows: [
            { name: '港', due: 1 },
            { name: 'a\nb', due: 2 },
          ],
          table: { same: '', head: 'name    due', lines: ['港        1', '"a\\nb"    2'] },
        },
        single: { what: 'is not made of one row', rows: [{ a: 1 }], table: undefined },
        alike: { what: 'is not made of rows that do not differ', rows: [{ a: 1 }, { a: 1 }], table: undefined },
        missing: { what: 'is not made of rows with other columns', rows: [{ a: 1 }, { b: 1 }], table: undefined },
        long: { what: 'is not made of long values', rows: [{ a: 'x'.repeat(40) }, { a: 'y' }], table: undefined },
        narrow: {
          what: 'is not made where it is too wide',
          rows: [
            { first: 1, second: 2 },
            { first: 2, second: 3 },
          ],
          width: 12,
          table: undefined,
        },
      }),
    },
    ({ row: { rows, width = 70, table }, check }) => check.equal(layOutRows(rows, width), table),
  ),
]);
