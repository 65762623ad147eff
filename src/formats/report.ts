import type { NameFile, Recorded } from '../results/report.ts';
import { failingTests, type RunState, stateOf } from '../results/run-state.ts';
import { whereTestsFail } from '../results/where/tests.ts';

/** What a record can be written as, beside text for people. */
export const reportFormats = ['html', 'markdown', 'tap', 'csv', 'json', 'jsonl'] as const;
export type ReportFormat = (typeof reportFormats)[number];

/** The format that a file's name asks for. */
export function formatOf(file: string): ReportFormat | undefined {
  const extension = /\.([a-z]+)$/i.exec(file)?.[1]?.toLowerCase();
  return extension === 'md' ? 'markdown' : extension === 'htm' ? 'html' : reportFormats.find((format) => format === extension);
}

/** A record in one of the formats, piece by piece. Each format is loaded when it is asked for. */
export async function* writeReport(format: Exclude<ReportFormat, 'html'>, recorded: Recorded, nameFile: NameFile): AsyncGenerator<string> {
  if (format === 'json') yield* (await import('./json.ts')).reportAsJson(recorded, nameFile);
  else if (format === 'jsonl') yield* (await import('./json.ts')).reportAsJsonLines(recorded, nameFile);
  else if (format === 'tap') yield* (await import('./tap.ts')).reportAsTap(recorded, nameFile);
  else if (format === 'csv') yield* (await import('./results-csv.ts')).reportAsCsv(recorded, nameFile);
  else {
    const state: RunState = stateOf(recorded.entries());
    const where = whereTestsFail(recorded.entries, failingTests(state));
    yield (await import('./markdown.ts')).reportAsMarkdown(state, recorded.info, where, nameFile);
  }
}
