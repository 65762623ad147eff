// Literal types are kept wherever a source is written. All supported versions of TypeScript check this file.
import { matrix, table, test, values } from 'red-lattice';

type Hull = 'cat' | 'mono';
const quays = values('quay', ['north', 'south']);

test('inline', { cases: matrix({ hull: ['cat', 'mono'], power: [true, false], nights: [1, 2] }) }, ({ row }) => {
  const hull: Hull = row.hull;
  const nights: 1 | 2 = row.nights;
  return [hull, nights];
});
test('in cross', { cases: quays.cross(matrix({ hull: ['cat', 'mono'] }, { strength: 1 })) }, ({ row }) => {
  const hull: Hull = row.hull;
  const quay: 'north' | 'south' = row.quay;
  return [hull, quay];
});
test('in zip', { cases: quays.zip(matrix({ hull: ['cat', 'mono'] })) }, ({ row }): Hull => row.hull);
test('in concat', { cases: matrix({ hull: ['cat', 'mono'] }).concat(matrix({ hull: ['tri'] })) }, ({ row }): Hull | 'tri' => row.hull);
test('in tables in cross', { cases: quays.cross(table(['season'], [['winter'], ['high']])) }, ({ row }): 'winter' | 'high' => row.season);
test('in sources in sources', { cases: quays.cross(matrix({ hull: ['cat', 'mono'] }).cross(matrix({ nights: [1, 2] }))) }, ({ row }) => {
  const hull: Hull = row.hull;
  const nights: 1 | 2 = row.nights;
  return [hull, nights];
});
// @ts-expect-error: no axis has this value
matrix({ hull: ['cat', 'mono'] }, { exclude: [{ hull: 'tri' }] });
