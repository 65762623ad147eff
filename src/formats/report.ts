import type { FormatPath, ReadableRecord } from '../results/report.ts';
import { findRerunSelections } from '../results/rerun-selection.ts';
import { buildRunState, failingTests } from '../results/run-state.ts';
import { whereTestsFail } from '../results/where/tests.ts';
import { reportAsCtrf } from './ctrf.ts';
import { reportAsJson, reportAsJsonLines } from './json.ts';
import { reportAsMarkdown } from './markdown.ts';
import type { ReportFormat } from './report-formats.ts';
import { reportAsCsv } from './results-csv.ts';
import { reportAsTap } from './tap.ts';

/** Formats a record in one of the formats, in chunks. Each format is one file of the build, loaded on demand. */
export async function* writeReport(format: Exclude<ReportFormat, 'html'>, recorded: ReadableRecord, nameFile: FormatPath): AsyncGenerator<string> {
  if (format === 'json') yield* reportAsJson(recorded, nameFile);
  else if (format === 'jsonl') yield* reportAsJsonLines(recorded, nameFile);
  else if (format === 'tap') yield* reportAsTap(recorded, nameFile);
  else if (format === 'ctrf') yield* reportAsCtrf(recorded, nameFile);
  else if (format === 'csv') yield* reportAsCsv(recorded, nameFile);
  else {
    const state = buildRunState(recorded);
    const where = whereTestsFail(recorded.entries, failingTests(state));
    yield reportAsMarkdown(state, recorded.info, where, findRerunSelections(recorded.entries, state, recorded.info), nameFile);
  }
}
