import { cell, dataFile, test } from 'red-lattice';
import { buildColumns, type Column } from '../../src/results/where/columns.ts';

const describe = ({ name, of, other, order, values, codes, starts, isSometimesMissing, prefixes }: Column): string =>
  [
    `${name} ${of}${other === undefined ? '' : ` ${other}`}, ${order}${isSometimesMissing ? ', sometimes missing' : ''}`,
    JSON.stringify(values),
    `rows ${codes.join(' ')}`,
    ...(starts ? [`from ${starts.join(' ')}`] : []),
    ...prefixes.map((group) => JSON.stringify(group)),
  ].join('\n  ');

export const columns = test('the columns that explain failures, of {what}', {
  cases: dataFile('where-columns.yaml', { columns: { what: cell.text, failing: cell.integer, columns: cell.json } }),
}, async ({ row, check }) => {
  const given = Object.entries(row.columns as Record<string, unknown[]>);
  const rows = (given[0]?.[1] ?? []).map((_, i) => Object.fromEntries(given.flatMap(([name, cells]) => (cells[i] === '-' ? [] : [[name, cells[i]]]))));
  await check.file(`where-columns/${row.what.replaceAll(' ', '-')}.txt`, `${buildColumns(rows, row.failing).map(describe).join('\n')}\n`);
});
