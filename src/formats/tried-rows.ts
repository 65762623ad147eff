interface TriedRow {
  readonly row: Readonly<Record<string, unknown>>;
  readonly failed: boolean;
}

export const triedRowFormats = ['.csv', '.json', '.jsonl'] as const;

/** Formats rows as a data file, by its extension, with a column for whether each failed. */
export async function formatTriedRows(rows: readonly TriedRow[], path: string): Promise<string> {
  const columns = [...new Set(rows.flatMap(({ row }) => Object.keys(row)))];
  const result = columns.includes('failed') ? '(failed)' : 'failed';
  const asObjects = rows.map(({ row, failed }) => ({ ...row, [result]: failed }));
  if (path.endsWith('.json')) return `${JSON.stringify(asObjects, null, 2)}\n`;
  if (path.endsWith('.jsonl')) return asObjects.map((row) => `${JSON.stringify(row)}\n`).join('');
  const { formatCsvLine: csvLine } = await import('./csv.ts');
  return `${[[...columns, result], ...rows.map(({ row, failed }) => [...columns.map((column) => row[column]), failed])].map(csvLine).join('\n')}\n`;
}
