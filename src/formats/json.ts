import { buildResultReports, buildRunReport, type FormatPath, type ReadableRecord, reportFormat, reportVersion } from '../results/report.ts';

const head = { format: reportFormat, version: reportVersion };

/** Formats a record as one JSON object, in chunks. */
export function* reportAsJson(recorded: ReadableRecord, nameFile: FormatPath): Generator<string> {
  yield `{"format":${JSON.stringify(head.format)},"version":${JSON.stringify(head.version)},\n"run":${JSON.stringify(buildRunReport(recorded, nameFile, true))},\n"results":[`;
  let first = true;
  for (const result of buildResultReports(recorded, nameFile)) {
    yield `${first ? '' : ','}\n${JSON.stringify(result)}`;
    first = false;
  }
  yield '\n]}\n';
}

/** Formats a record as JSON Lines: the run, then one line per result. */
export function* reportAsJsonLines(recorded: ReadableRecord, nameFile: FormatPath): Generator<string> {
  yield `${JSON.stringify({ ...head, run: buildRunReport(recorded, nameFile, true) })}\n`;
  for (const result of buildResultReports(recorded, nameFile)) yield `${JSON.stringify(result)}\n`;
}
