// Sources that are written where they are used have the same rows as elsewhere.
import { cell, dataFile, matrix, namedRows, range, rows, table, values } from 'red-lattice';
import { dataFiles } from 'red-lattice/node';

const hulls = values('hull', ['mono', 'cat']);
const typed = { columns: { nights: cell.integer } };
export const sums: readonly number[] = [
  ...[
    hulls.cross(dataFile('a.csv', typed)),
    hulls.zip(dataFile('a.csv', { columns: { nights: cell.integer } })),
    hulls.cross(range('nights', 1, 2)),
    hulls.cross(rows([{ nights: 1 }])),
  ].map((source) => source.filter(({ hull, nights }) => hull !== 'cat' && nights > 1).toString().length),
  hulls
    .cross(matrix({ loa: [6, 9], water: ['low', 'high'] }))
    .filter(({ hull, loa, water }) => hull === 'cat' && loa > 6 && water === 'low')
    .toString().length,
  hulls
    .cross(table(['loa', 'due'], [[6, 12]]))
    .filter(({ hull, loa, due }) => hull === 'cat' && loa + due > 6)
    .toString().length,
  hulls
    .cross(namedRows({ short: { loa: 6 } }))
    .filter(({ hull, loa }) => hull === 'cat' && loa > 6)
    .toString().length,
  hulls
    .cross(dataFiles('plans/*.txt'))
    .filter(({ hull, name }) => hull === 'cat' && name !== '')
    .toString().length,
  hulls
    .expand(() => dataFile('a.csv', typed))
    .filter(({ hull, nights }) => hull === 'cat' && nights > 1)
    .toString().length,
  dataFile('b.csv', { columns: { berth: cell.text } })
    .concat(dataFile('a.csv', typed))
    .filter(({ berth, nights }) => berth === 'N4' || nights === 2)
    .toString().length,
];

// @ts-expect-error: a file without `columns` could have a column `hull`
void (() => hulls.cross(dataFile('a.csv')));
// @ts-expect-error: a column in both sources
void (() => hulls.cross(values('hull', ['tri'])));
