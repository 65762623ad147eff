import { range, test } from 'red-lattice';
import { printCases, printRecord } from '../../src/command/print-record.ts';
import { comparisonAsMarkdown, renderComparison } from '../../src/formats/comparison.ts';
import { renderTimeline } from '../../src/formats/human/timeline.ts';
import { writeReport } from '../../src/formats/report.ts';
import { plainStyle } from '../../src/formats/style.ts';
import { drawRecord } from '../office/drawn.ts';
import { compareRecords, print, readAll } from '../office/recorded.ts';

/** Review changes of these files before you accept them. */
export const drawn = test('of a record that is drawn, every form is as before: seed {seed}', { cases: range('seed', 1, 6) }, async ({
  row: { seed },
  check,
}) => {
  const record = drawRecord(String(seed));
  const other = drawRecord(String(seed), 1);
  const width = [60, 80, 100, 140][seed % 4] as number;
  const compared = compareRecords(record, other);
  const write = (format: Parameters<typeof writeReport>[0]): Promise<string> => readAll(writeReport(format, record, (file) => `./${file}`));
  const forms: Readonly<Record<string, string>> = {
    'the record': print(
      (terminal) => printRecord(record, '/project', { sort: (['plan', 'name', 'time'] as const)[seed % 3] as 'plan', grid: seed % 2 === 0 }, terminal),
      { width },
    ),
    'its cases': print((terminal) => printCases(record.entries, terminal), { width }),
    'its timeline': renderTimeline(record.entries, width, plainStyle, record.info.machines).join('\n'),
    'compared with another run': renderComparison(...compared, plainStyle, width).join('\n'),
    'compared, as Markdown': comparisonAsMarkdown(...compared),
    Markdown: await write('markdown'),
    TAP: await write('tap'),
    CSV: await write('csv'),
    CTRF: await write('ctrf'),
  };
  await check.file(
    `drawn/${seed}.txt`,
    Object.entries(forms)
      .map(([name, text]) => `== ${name}\n${text.trimEnd()}\n`)
      .join('\n'),
  );
});
