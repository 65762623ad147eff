import type { Frame } from '../problems/source-location.ts';
import { buildResultReports, buildRunReport, type FormatPath, type ReadableRecord, type ResultReport } from '../results/report.ts';
import type { Status } from '../running/result.ts';

type CtrfStatus = 'passed' | 'failed' | 'skipped' | 'pending' | 'other';

const CTRF_VERSION = '0.0.0';
const statuses: Readonly<Record<Status, CtrfStatus>> = {
  passed: 'passed',
  failed: 'failed',
  errored: 'failed',
  skipped: 'skipped',
  'not-requested': 'pending',
  'known-failure': 'other',
  'not-run': 'pending',
};

/** Media types of attachments by file extension. */
const mediaTypes: Readonly<Record<string, string>> = { txt: 'text/plain', log: 'text/plain', json: 'application/json', html: 'text/html', png: 'image/png' };

/**
 * Formats a record in the Common Test Report Format: one test per case. Statuses without an equivalent are in `rawStatus`. A failed shared
 * teardown and a problem outside the cases are failed tests too, so that readers that only count lose no failure.
 */
export function* reportAsCtrf(recorded: ReadableRecord, nameFile: FormatPath): Generator<string> {
  const { info } = recorded;
  const { problems } = buildRunReport(recorded, nameFile);
  const start = Date.parse(info.started);
  // A lane can have several processes. Times are relative to the start of the case's process.
  const starts = new Map<number, number>();
  const followed: ReadableRecord = {
    info,
    *entries() {
      let lane = 0;
      for (const entry of recorded.entries()) {
        if (entry.type === 'header') lane = entry.lane;
        else if (entry.type === 'running') starts.set(lane, entry.at);
        yield entry;
      }
    },
  };
  const counts: Record<CtrfStatus, number> = { passed: 0, failed: 0, skipped: 0, pending: 0, other: 0 };
  const suites = new Set<string>();
  let flaky = 0;
  const head = { reportFormat: 'CTRF', specVersion: CTRF_VERSION, timestamp: info.started, generatedBy: `red-lattice ${info.tool}` };
  yield `${JSON.stringify(head).slice(0, -1)},"results":{"tool":${JSON.stringify({ name: 'red-lattice', version: info.tool })},"tests":[`;
  let separator = '\n';
  const write = (test: { readonly status: CtrfStatus } & Readonly<Record<string, unknown>>): string => {
    counts[test.status]++;
    const line = `${separator}${JSON.stringify(test)}`;
    separator = ',\n';
    return line;
  };
  for (const result of buildResultReports(followed, nameFile)) {
    const suite = findSuite(result);
    suites.add(suite.join('\n'));
    if (result.status === 'passed' && result.attempts > 1) flaky++;
    yield write(toTest(result, suite, (starts.get(result.lane) ?? start) + result.start));
  }
  for (const { severity, message, location, problem } of problems)
    if (severity === 'error' && problem.code !== 'teardown-failed')
      yield write({
        name: message,
        status: 'failed',
        rawStatus: 'problem',
        duration: 0,
        message,
        ...(location && { filePath: location.file, line: location.line }),
      });
  const summary = {
    tests: Object.values(counts).reduce((sum, count) => sum + count),
    ...counts,
    flaky,
    suites: suites.size,
    start,
    stop: start + Math.round(info.milliseconds ?? 0),
    duration: Math.round(info.milliseconds ?? 0),
    extra: { seed: info.seed, exitStatus: info.exitStatus, notRun: info.notRun },
  };
  const environment = { osPlatform: info.platform, extra: { node: info.node, lanes: info.lanes } };
  yield `\n],"summary":${JSON.stringify(summary)},"environment":${JSON.stringify(environment)}}}\n`;
}

/** The file and the titles of the suites. */
const findSuite = ({ id, path }: ResultReport): string[] => [id.split('#')[0] as string, ...path.slice(0, -1)];

function toTest(result: ResultReport, suite: readonly string[], start: number): { readonly status: CtrfStatus } & Readonly<Record<string, unknown>> {
  const { id, title, status, cause, reason, failures, milliseconds, attempts, lane, tags, row, steps, output, attachments } = result;
  const [first] = failures;
  const at = first?.location ?? result.location;
  const duration = milliseconds.setup + milliseconds.body + milliseconds.teardown;
  const message = failures.length > 0 ? failures.map(formatFailure).join('\n') : reason;
  return {
    testId: id,
    name: title,
    status: statuses[status],
    rawStatus: cause === undefined ? status : `${status}/${cause}`,
    duration: Math.round(duration),
    start: Math.round(start),
    stop: Math.round(start + duration),
    suite,
    threadId: `lane ${lane}`,
    ...(message !== undefined && { message }),
    ...(first?.frames && { trace: first.frames.map(formatFrame).join('\n') }),
    ...(at && { filePath: at.file, line: at.line }),
    ...(tags.length > 0 && { tags }),
    ...(attempts > 1 && { retries: attempts - 1, flaky: status === 'passed' }),
    ...(Object.keys(row).length > 0 && { parameters: row }),
    ...(steps.length > 0 && { steps: steps.map(({ title: name, status }) => ({ name, status: status === 'unfinished' ? 'other' : status })) }),
    ...(output.length > 0 && { stdout: output }),
    ...(attachments.length > 0 && {
      attachments: attachments.map(({ name, file }) => ({
        name,
        contentType: mediaTypes[/\.(\w+)$/.exec(name)?.[1] ?? ''] ?? 'application/octet-stream',
        path: `attachments/${file}`,
      })),
    }),
  };
}

const formatFailure = ({ message, note, actual, expected }: ResultReport['failures'][number]): string =>
  [note === undefined ? message : `${note}: ${message}`, actual !== undefined && `  actual    ${actual}`, expected !== undefined && `  expected  ${expected}`]
    .filter((line) => line !== false)
    .join('\n');

const formatFrame = ({ functionName, file, line, column }: Frame): string =>
  functionName === undefined ? `    at ${file}:${line}:${column}` : `    at ${functionName} (${file}:${line}:${column})`;
