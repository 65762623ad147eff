import type { JournalEntry } from './journal.ts';
import { lacks, outcomeShapes, type Shapes } from './shape.ts';

const named: Shapes = { test: 'number', ordinal: 'number', id: 'text', title: 'text', row: 'object', tags: 'texts' };
const result: Shapes = { ...outcomeShapes, times: 'times' };
const problem: Shapes = { code: 'text' };
const failure: Shapes = { cause: 'text', message: 'text' };

interface EntryShape {
  readonly own: Shapes;
  /** Of a part that is an object, or of each item of a list. */
  readonly parts?: Readonly<Record<string, Shapes>>;
}

/** The fields of each entry. Code under test can corrupt what its lane writes, so the reader validates every line. */
const shapes: Readonly<Record<Exclude<JournalEntry['type'], 'passed'>, EntryShape>> = {
  header: { own: { version: 'number', lane: 'number' } },
  activity: { own: { activity: 'object' }, parts: { activity: { what: 'text', name: 'text', limit: 'number' } } },
  loaded: { own: { file: 'text', milliseconds: 'number', reads: 'texts' } },
  planned: { own: { files: 'number', tests: 'number', problems: 'list', warnings: 'list', hash: 'text' }, parts: { problems: problem, warnings: problem } },
  pieces: { own: { pieces: 'list', tests: 'texts' } },
  'exit-attributed': { own: {} },
  running: { own: { at: 'number' } },
  idle: { own: {} },
  test: { own: { header: 'object' }, parts: { header: { test: 'number', id: 'text', file: 'text', path: 'texts', tags: 'texts', columns: 'texts' } } },
  warning: { own: { problem: 'object' }, parts: { problem } },
  listed: { own: { name: 'object' }, parts: { name: named } },
  started: { own: { name: 'object', attempt: 'number', start: 'number' }, parts: { name: named } },
  streaming: { own: { test: 'number', limit: 'number' } },
  ended: { own: { result: 'object' }, parts: { result: { ...named, ...result, attachments: 'list' } } },
  'teardown-failed': { own: { id: 'text', title: 'text', result: 'object' }, parts: { result } },
  'test-ended': { own: { test: 'number' } },
  span: {
    own: { span: 'object' },
    parts: { span: { kind: 'text', fixture: 'text', owner: 'text', scope: 'text', start: 'number', milliseconds: 'number' } },
  },
  explained: { own: { explanation: 'object' } },
  problem: { own: { problem: 'object' }, parts: { problem } },
  output: { own: { text: 'text' } },
  leaks: { own: { leaks: 'list' } },
  bindings: { own: { uses: 'list', warnings: 'list' }, parts: { warnings: problem } },
  finished: { own: { selected: 'number', stuck: 'truth' } },
};

/** Describes why an entry is invalid. Returns undefined if it is valid or of an unknown type. */
export function refusesEntry(entry: JournalEntry): string | undefined {
  const shape = (Object.hasOwn(shapes, entry.type) ? shapes[entry.type as keyof typeof shapes] : undefined) as EntryShape | undefined;
  if (!shape) return undefined;
  const refused = lacks(entry, shape.own, `${entry.type} entry`);
  if (refused !== undefined) return refused;
  for (const [name, wanted] of Object.entries(shape.parts ?? {})) {
    const part = (entry as unknown as Readonly<Record<string, unknown>>)[name];
    for (const one of Array.isArray(part) ? (part as readonly unknown[]) : [part]) {
      const refusedPart = lacks(one, wanted, name);
      if (refusedPart !== undefined) return refusedPart;
      const failures = (one as { readonly failures?: readonly unknown[] }).failures ?? [];
      const refusedFailure = name === 'result' ? failures.map((item) => lacks(item, failure, 'failure')).find((found) => found !== undefined) : undefined;
      if (refusedFailure !== undefined) return refusedFailure;
    }
  }
  return undefined;
}
