import { namedRows, test } from 'red-lattice';
import { printCases, printRecord } from '../../src/command/print-record.ts';
import { comparisonAsMarkdown, renderComparison } from '../../src/formats/comparison.ts';
import { renderTimeline } from '../../src/formats/human/timeline.ts';
import { writeReport } from '../../src/formats/report.ts';
import { colourStyle, plainStyle } from '../../src/formats/style.ts';
import type { OpenedRecord } from '../../src/node/recorded.ts';
import { compareRecords, earlier, later, print, readAll, recordsFolder } from '../office/recorded.ts';

const write = (format: Parameters<typeof writeReport>[0]): Promise<string> => readAll(writeReport(format, later(), (file) => file));
const compareAsLines = (before: OpenedRecord, after: OpenedRecord): string =>
  `${renderComparison(...compareRecords(before, after), plainStyle, 100).join('\n')}\n`;

/** What is shown of two records, in the files of the folder `office`. */
export const whole = test(
  'of two recorded runs, {file} is written as before',
  {
    cases: namedRows<{ file: string; make: () => string | Promise<string> }>({
      earlier: { file: 'earlier.txt', make: () => print((terminal) => printRecord(earlier(), recordsFolder, {}, terminal)) },
      later: { file: 'later.txt', make: () => print((terminal) => printRecord(later(), recordsFolder, {}, terminal)) },
      colours: { file: 'colours.txt', make: () => print((terminal) => printRecord(later(), recordsFolder, {}, terminal), { style: colourStyle }) },
      sorted: {
        file: 'sorted-with-grids.txt',
        make: () => print((terminal) => printRecord(later(), recordsFolder, { sort: 'time', grid: true }, terminal), { width: 70 }),
      },
      requested: {
        file: 'requested-grid.txt',
        make: () =>
          print((terminal) => printRecord(later(), recordsFolder, { sort: 'name', gridBy: { down: ['power'], across: ['hull', 'season'] } }, terminal)),
      },
      cases: { file: 'cases.txt', make: () => print((terminal) => printCases(later().entries, terminal)) },
      timeline: { file: 'timeline.txt', make: () => `${renderTimeline(later().entries, 100, plainStyle).join('\n')}\n` },
      narrow: { file: 'narrow-timeline.txt', make: () => `${renderTimeline(earlier().entries, 50, colourStyle).join('\n')}\n` },
      markdown: { file: 'later.md', make: () => write('markdown') },
      tap: { file: 'later.tap', make: () => write('tap') },
      csv: { file: 'later.csv', make: () => write('csv') },
      ctrf: { file: 'later.ctrf.json', make: () => write('ctrf') },
      compared: { file: 'compared.txt', make: () => compareAsLines(earlier(), later()) },
      back: { file: 'compared-back.txt', make: () => compareAsLines(later(), earlier()) },
      'compared as Markdown': { file: 'compared.md', make: () => comparisonAsMarkdown(...compareRecords(earlier(), later())) },
    }),
  },
  async ({ row: { file, make }, check }) => void (await check.file(`office/${file}`, await make())),
);
