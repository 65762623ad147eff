import { reportFormat, reportVersion } from './report.ts';
import { findFault, isObject, optional, outcomeShapes, type Shapes, times } from './shapes.ts';

// Enough to detect a report that is incomplete or edited. `schema/report-2.json` is the full schema.
const runShapes: Shapes = {
  seed: 'number',
  started: 'text',
  machines: optional('names'),
  tests: 'list',
  problems: 'list',
  spans: 'list',
  leaks: 'list',
  output: 'texts',
  laneStarts: 'list',
};
const testShapes: Shapes = { test: 'number', id: 'text', file: 'text', path: 'texts', tags: 'texts', columns: 'texts' };
const resultShapes: Shapes = {
  ...outcomeShapes,
  kind: 'text',
  id: 'text',
  title: 'text',
  row: 'object',
  path: 'texts',
  tags: 'texts',
  lane: 'number',
  milliseconds: times,
  attachments: 'list',
};

/** Why this version cannot read a report with this beginning. Undefined if it can. */
export function findReportFault(head: unknown): string | undefined {
  const { format, version, run } = (isObject(head) ? head : {}) as { format?: unknown; version?: unknown; run?: unknown };
  if (format !== reportFormat) return 'not a Red Lattice report';
  if (String(version).split('.')[0] !== reportVersion.split('.')[0]) return `its version is ${version}; this Red Lattice reads ${reportVersion}`;
  const tests = isObject(run) && Array.isArray(run['tests']) ? (run['tests'] as readonly unknown[]) : [];
  const found = findFault(run, runShapes, 'run') ?? tests.map((test, at) => findFault(test, testShapes, `test ${at + 1}`)).find((one) => one !== undefined);
  return found && `${found}. The report was cut or changed; write it again with red-lattice report.`;
}

/** Why a value is not a result of a report. Undefined if it is. */
export const findResultFault = (result: unknown): string | undefined => findFault(result, resultShapes, 'result');
