import { formatProblem } from '../../problems/format-problem.ts';
import type { Problem } from '../../problems/problem.ts';
import { each, fields, findFault, locationShape, optional, outcomeShapes, type Shape, type Shapes, times } from '../shapes.ts';
import type { JournalEntry } from './entries.ts';

const named: Shapes = {
  test: 'count',
  ordinal: 'count',
  id: 'text',
  title: 'text',
  name: optional('text'),
  row: 'object',
  tags: 'texts',
  location: optional(locationShape),
};
const leaks = each(fields({ kind: 'text', after: optional(fields({ id: 'text', title: 'text' })), location: optional(locationShape) }));
const outcome: Shapes = { ...outcomeShapes, times };
const problem: Shape = fields({ code: 'text', at: optional(locationShape) });
const origin: Shapes = { owner: 'text', at: optional(locationShape) };
const fixture: Shape = fields({
  name: 'text',
  scope: 'text',
  needs: 'texts',
  lazy: 'boolean',
  definedAt: optional(locationShape),
  settings: each(fields({ name: 'text', value: 'text', from: optional(fields(origin)) })),
  replaced: optional(fields({ ...origin, by: 'text' })),
});
const header: Shapes = {
  test: 'count',
  id: 'text',
  file: 'text',
  path: 'texts',
  tags: 'texts',
  columns: 'texts',
  source: optional('text'),
  data: optional('text'),
  facts: optional('texts'),
  location: optional(locationShape),
  testsOnLine: optional('count'),
  fixtures: optional(each(fixture)),
};

/** The fields of each entry. Code under test can corrupt what its lane writes, so the reader validates every line. */
const shapes: Readonly<Record<Exclude<JournalEntry['type'], 'passed'>, Shapes>> = {
  header: { version: 'count', lane: 'count' },
  activity: { activity: fields({ kind: 'text', name: 'text', limit: 'number', invalid: optional(fields(named)) }) },
  loaded: { file: 'text', milliseconds: 'number', reads: 'texts' },
  'expected-file': { file: 'text', reader: 'text' },
  planned: { files: 'count', tests: 'count', problems: each(problem), warnings: each(problem), hash: 'text', suggestions: optional('texts') },
  'work-units': { units: each(fields({ tests: each('count'), isPartitionable: 'boolean' })), tests: 'texts' },
  'exit-attributed': {},
  running: { at: 'number' },
  idle: {},
  test: { header: fields(header) },
  warning: { problem },
  listed: { name: fields(named) },
  started: { name: fields(named), attempt: 'count', start: 'number' },
  streaming: { test: 'count', limit: 'number' },
  ended: {
    result: fields({ ...named, ...outcome, attachments: each(fields({ name: 'text', file: 'text' })), fixtures: optional(each(fixture)) }),
  },
  'teardown-failed': { id: 'text', title: 'text', result: fields(outcome) },
  'test-ended': { test: 'count' },
  span: { span: fields({ kind: 'text', fixture: 'text', owner: 'text', scope: 'text', start: 'number', milliseconds: 'number' }) },
  explained: { name: fields(named), explanation: fields({ fixtures: each(fixture) }) },
  problem: { problem },
  output: { text: 'text' },
  leaks: { leaks },
  'located-leaks': { leaks },
  'override-usage': { uses: each(fields({ number: 'count', unusedReason: optional(problem) })), warnings: each(problem) },
  finished: { selected: 'count', isStuck: 'boolean', notRun: optional(fields({ cases: 'count', isMore: 'boolean' })), inOtherShards: optional('count') },
};

/** Describes why an entry is invalid. Returns undefined if it is valid or of an unknown type. */
export function findEntryFault(entry: JournalEntry): string | undefined {
  const shape = Object.hasOwn(shapes, entry.type) ? shapes[entry.type as keyof typeof shapes] : undefined;
  if (!shape) return undefined;
  return findFault(entry, shape, `${entry.type} entry`) ?? problemsOf(entry).find(isUnknown)?.code;
}

function problemsOf(entry: JournalEntry): readonly Problem[] {
  if (entry.type === 'planned') return [...entry.problems, ...entry.warnings];
  if (entry.type === 'override-usage') return entry.warnings;
  return entry.type === 'problem' || entry.type === 'warning' ? [entry.problem] : [];
}

/** Whether a problem cannot be formatted. */
function isUnknown(one: Problem): boolean {
  try {
    return typeof formatProblem(one) !== 'string';
  } catch {
    return true;
  }
}
