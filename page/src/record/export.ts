import { formatCsvLines } from '../../../src/formats/csv.ts';
import { type Item, type Store, timeOf } from './store.ts';

/** Downloads cases as CSV: their results, then the columns of their rows. No cell can be read as a formula. */
export function reportAsCsvOf(items: readonly Item[], store: Store): void {
  const columns = [...new Set(items.flatMap(({ result }) => Object.keys(result.row)))];
  const head = ['(id)', '(status)', '(title)', '(milliseconds)', '(message)', ...columns];
  const rows = items.map(({ result }) => [
    result.id,
    result.status,
    result.title,
    timeOf(result).toFixed(3),
    result.failures[0]?.message ?? '',
    ...columns.map((column) => result.row[column]),
  ]);
  const address = URL.createObjectURL(new Blob([formatCsvLines([head, ...rows]), '\n'], { type: 'text/csv' }));
  const link = document.createElement('a');
  link.href = address;
  link.download = `${store.name || 'cases'}.csv`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(address), 10_000);
}
