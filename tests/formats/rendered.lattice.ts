import { cell, dataFile, suite, table, test } from 'red-lattice';
import { renderNarrowed } from '../../src/formats/human/narrow.ts';
import { explainNothingSelected } from '../../src/formats/human/nothing-selected.ts';
import { renderTimeline } from '../../src/formats/human/timeline.ts';
import { plainStyle } from '../../src/formats/style.ts';
import type { JournalEntry } from '../../src/results/journal/entries.ts';
import type { NarrowedResult } from '../../src/results/narrowing/session.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';

type Spans = readonly [kind: 'setup' | 'teardown', fixture: string, owner: string, scope: 'file', start: number, milliseconds: number][];
interface Lane {
  readonly lane: number;
  readonly at: number;
  readonly spans?: Spans;
  readonly results?: readonly [title: string, start: number, setup: number, body: number, teardown: number, attempts?: number][];
}

function* entriesOf(lanes: readonly Lane[]): Generator<JournalEntry> {
  for (const { lane, at, spans = [], results = [] } of lanes) {
    yield { type: 'header', version: 1, lane };
    yield { type: 'running', at };
    for (const [kind, fixture, owner, scope, start, milliseconds] of spans) yield { type: 'span', span: { kind, fixture, owner, scope, start, milliseconds } };
    for (const [title, start, setup, body, teardown, attempts = 1] of results) {
      const name = { test: 0, ordinal: 0, id: title, title, row: {}, tags: [] };
      yield { type: 'ended', result: { ...EMPTY_OUTCOME, ...name, status: 'passed', start, times: { setup, body, teardown }, attempts, attachments: [] } };
    }
  }
}

const cause = {
  conditions: [{ kind: 'value', column: 'season', value: 'winter' }],
  ...{ failed: 4, cases: 4, passedWithout: 5, casesWithout: 5, isProven: true, smallest: [] },
} as const;
const header = {
  ...{ test: 0, id: 'a.ts#dues', file: 'a.ts', path: ['dues', 'a price'], tags: [], columns: ['season'] },
  location: { file: 'a.ts', line: 7, column: 1 },
};
const fileName = (what: string, ending: string): string => `rendered/${what.replaceAll(/\W+/g, '-')}.${ending}`;

export const rendered = suite('rendered', [
  test('is a timeline of {what}', {
    cases: dataFile('timelines.yaml', { columns: { what: cell.text, width: cell.integer, lanes: cell.json, machines: cell.json.optional() } }),
  }, async ({ row, check }) => {
    const lines = renderTimeline(() => entriesOf(row.lanes as Lane[]), row.width, plainStyle, row.machines as Record<number, string> | undefined);
    await check.file(fileName(row.what, 'timeline.txt'), `${lines.join('\n')}\n`);
  }),

  test('is a narrowed test: {what}', {
    cases: dataFile('narrowed.yaml', { columns: { what: cell.text, causes: cell.json.optional(), unexplained: cell.json.optional() } }),
  }, async ({ row, check }) => {
    const probe = { row: {}, failed: true };
    const result = {
      ...{ header, cases: 9, failing: [{}, {}], probes: [probe, probe, probe], milliseconds: 1500 },
      causes: ((row.causes ?? []) as object[]).map((one) => ({ ...cause, ...one })),
      unexplained: ((row.unexplained ?? []) as string[]).map((reason, i) => ({ id: i === 0 ? header.id : `${header.id}/${i}`, reason })),
    } as unknown as NarrowedResult;
    const lines = renderNarrowed(result, {}, { style: plainStyle, columns: 80, shown: new Set(), nameFile: (file) => `./${file}`, source: () => undefined });
    await check.file(fileName(row.what, 'txt'), `${lines.join('\n')}\n`);
  }),

  test(
    'is the reason why no case of {selection} was selected: {says}',
    {
      cases: table(
        ['selection', 'where', 'suggestions', 'says'],
        [
          [{}, [], [], 'no case was selected'],
          [{ titles: ['a', 'b'], tags: ['quick'] }, [], [], 'no case was selected: none has "a" or "b" in its title and has the tag "quick"'],
          [
            { targets: [{}], notTags: ['slow', 'old'] },
            ['a.ts', 'b.ts:2'],
            [],
            'no case was selected: none is in "a.ts" or "b.ts:2" and lacks the tag "slow" or "old"',
          ],
          [{ ids: ['a', 'b', 'c'] }, [], ['--id x'], 'no case was selected: none has the id "a" or "b" or "c"; did you mean --id x?'],
          [{ ids: ['a', 'b', 'c', 'd'] }, [], ['--id x', '--id y'], 'no case was selected: none has one of 4 ids; did you mean --id x or --id y?'],
          [{ ids: [] }, [], [], 'no case was selected: none failed last time'],
          [
            {
              rows: [
                { column: 'loa', operator: '>=', value: '8' },
                { column: 'hull', operator: '=', value: 'cat' },
              ],
              shard: { index: 2, of: 3 },
            },
            [],
            [],
            'no case was selected: none has loa>=8 and hull=cat in its row and is in part 2 of 3',
          ],
        ],
      ),
    },
    ({ row, check }) => check.equal(explainNothingSelected(row.selection as never, row.where, row.suggestions), row.says),
  ),
]);
