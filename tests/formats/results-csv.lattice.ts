import papa from 'papaparse';
import { test } from 'red-lattice';
import { reportAsCsv } from '../../src/formats/results-csv.ts';
import type { JournalEntry } from '../../src/results/journal/entries.ts';
import { JournalReader } from '../../src/results/journal/reader.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import { passLine } from '../pass-line.ts';

export const columns = test('CSV has the columns of all rows, also those that the first row lacks', ({ check }) => {
  const header = { test: 0, id: 'a.ts#t', file: 'a.ts', path: ['t'], source: 'rows', tags: [], columns: ['a'] };
  const rows = [{ a: 2, b: [3] }, { c: 'x' }];
  const whole = rows.map((row, i) => {
    const name = { test: 0, ordinal: i + 1, id: `a.ts#t/${i}`, title: `t ${i}`, row, tags: [], attachments: [] };
    return JSON.stringify({ type: 'ended', result: { ...EMPTY_OUTCOME, ...name, status: 'passed' } });
  });
  const lines = [
    JSON.stringify({ type: 'test', header }),
    passLine({ test: 0, ordinal: 0, duplicateIndex: 1, start: 0, setup: 0, body: 0, teardown: 0, checks: 1, line: 0, column: 1, row: { a: 1 } }),
    ...whole,
  ];
  const entries = (): JournalEntry[] => [...new JournalReader().readAll(new TextEncoder().encode(`${lines.join('\n')}\n`))].flat();
  const csv = [...reportAsCsv({ info: { lanes: 1 } as never, entries }, (file) => file)].join('');
  check.equal(
    papa.parse<Record<string, string>>(csv, { header: true, skipEmptyLines: true }).data.map(({ a, b, c }) => [a, b, c]),
    [
      ['1', '', ''],
      ['2', '[3]', ''],
      ['', '', 'x'],
    ],
  );
});
