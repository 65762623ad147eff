import { fileURLToPath } from 'node:url';
import { namedRows, test } from 'red-lattice';
import { printCases, printRecord } from '../../src/command/print-record.ts';
import type { Terminal } from '../../src/command/terminal.ts';
import { comparisonAsJson, comparisonAsMarkdown, renderComparison } from '../../src/formats/comparison.ts';
import { renderTimeline } from '../../src/formats/human/timeline.ts';
import { writeReport } from '../../src/formats/report.ts';
import { colourStyle, plainStyle } from '../../src/formats/style.ts';
import { type OpenedRecord, openRecord } from '../../src/node/recorded.ts';
import { compare } from '../../src/results/compare.ts';
import { root } from '../program.ts';

const folder = fileURLToPath(new URL('office/', import.meta.url));
const open = (name: string): OpenedRecord => openRecord(`${name}.jsonl`, root, folder) as OpenedRecord;
const earlier = (): OpenedRecord => open('earlier');
const later = (): OpenedRecord => open('later');

/** What is printed on a terminal. */
function print(write: (terminal: Terminal) => void, { style = plainStyle, width = 100 } = {}): string {
  const lines: string[] = [];
  const out = (line: string): void => void lines.push(line);
  write({ out, writeRaw: out, error: out, style, live: undefined, width });
  return `${lines.join('\n')}\n`;
}

async function write(format: Parameters<typeof writeReport>[0]): Promise<string> {
  const parts: string[] = [];
  for await (const part of writeReport(format, later(), (file) => file)) parts.push(part);
  return parts.join('');
}

function compareRecords(before: OpenedRecord, after: OpenedRecord, as: (...compared: Parameters<typeof comparisonAsJson>) => string): string {
  return as(compare(before.entries, after.entries), before, after);
}
const asLines = (...[comparison, before, after]: Parameters<typeof comparisonAsJson>): string =>
  `${renderComparison(comparison, before, after, plainStyle, 100).join('\n')}\n`;

/** Two records of one project, with outcomes of every kind. What is shown of them is in the files of the folder `office`. */
export const whole = test(
  'of two recorded runs, {file} is written as before',
  {
    cases: namedRows<{ file: string; make: () => string | Promise<string> }>({
      earlier: { file: 'earlier.txt', make: () => print((terminal) => printRecord(earlier(), folder, {}, terminal)) },
      later: { file: 'later.txt', make: () => print((terminal) => printRecord(later(), folder, {}, terminal)) },
      colours: { file: 'colours.txt', make: () => print((terminal) => printRecord(later(), folder, {}, terminal), { style: colourStyle }) },
      sorted: {
        file: 'sorted-with-grids.txt',
        make: () => print((terminal) => printRecord(later(), folder, { sort: 'time', grid: true }, terminal), { width: 70 }),
      },
      requested: {
        file: 'requested-grid.txt',
        make: () => print((terminal) => printRecord(later(), folder, { sort: 'name', gridBy: { down: ['power'], across: ['hull', 'season'] } }, terminal)),
      },
      cases: { file: 'cases.txt', make: () => print((terminal) => printCases(later().entries, terminal)) },
      timeline: { file: 'timeline.txt', make: () => `${renderTimeline(later().entries, 100, plainStyle).join('\n')}\n` },
      narrow: { file: 'narrow-timeline.txt', make: () => `${renderTimeline(earlier().entries, 50, colourStyle).join('\n')}\n` },
      markdown: { file: 'later.md', make: () => write('markdown') },
      tap: { file: 'later.tap', make: () => write('tap') },
      csv: { file: 'later.csv', make: () => write('csv') },
      ctrf: { file: 'later.ctrf.json', make: () => write('ctrf') },
      'JSON Lines': { file: 'later.jsonl', make: () => write('jsonl') },
      compared: { file: 'compared.txt', make: () => compareRecords(earlier(), later(), asLines) },
      back: { file: 'compared-back.txt', make: () => compareRecords(later(), earlier(), asLines) },
      'compared as Markdown': { file: 'compared.md', make: () => compareRecords(earlier(), later(), comparisonAsMarkdown) },
      'compared as JSON': { file: 'compared.json', make: () => compareRecords(earlier(), later(), comparisonAsJson) },
    }),
  },
  async ({ row: { file, make }, check }) => void (await check.file(`office/${file}`, await make())),
);
