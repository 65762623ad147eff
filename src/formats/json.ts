import { type FormatPath, type ReadableRecord, reportFormat, reportVersion, resultReports, runReport } from '../results/report.ts';

const head = { format: reportFormat, version: reportVersion };

/** A record as one JSON object, piece by piece. */
export function* reportAsJson(recorded: ReadableRecord, nameFile: FormatPath): Generator<string> {
  yield `{"format":${JSON.stringify(head.format)},"version":${JSON.stringify(head.version)},\n"run":${JSON.stringify(runReport(recorded, nameFile, true))},\n"results":[`;
  let first = true;
  for (const result of resultReports(recorded, nameFile)) {
    yield `${first ? '' : ','}\n${JSON.stringify(result)}`;
    first = false;
  }
  yield '\n]}\n';
}

/** A record as JSON Lines: the run, then a result a line. */
export function* reportAsJsonLines(recorded: ReadableRecord, nameFile: FormatPath): Generator<string> {
  yield `${JSON.stringify({ ...head, run: runReport(recorded, nameFile, true) })}\n`;
  for (const result of resultReports(recorded, nameFile)) yield `${JSON.stringify(result)}\n`;
}
