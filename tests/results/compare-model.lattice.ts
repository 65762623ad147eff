import { range, suite, table, test } from 'red-lattice';
import { formatValuesName } from '../../src/cases/ids.ts';
import { createRandom } from '../../src/cases/random.ts';
import { comparisonAsMarkdown, renderComparison } from '../../src/formats/comparison.ts';
import { plainStyle } from '../../src/formats/style.ts';
import { type Change, type Compared, type Comparison, changes, compare, hasNewFailure } from '../../src/results/compare.ts';
import type { JournalEntry } from '../../src/results/journal/entries.ts';
import type { RunInfo } from '../../src/results/run-info.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import { type Status, statuses } from '../../src/running/result.ts';

const ended = (id: string, status: Status, body: number): JournalEntry => ({
  type: 'ended',
  result: { ...EMPTY_OUTCOME, test: 0, ordinal: 0, id, title: id, row: {}, tags: [], attachments: [], status, times: { setup: 0, body, teardown: 0 } },
});

/** How a case changes, as a table: a row for its status before, a column for its status after. */
const becomes: Readonly<Record<'none' | 'fails' | 'passed' | 'excused', Readonly<Record<'none' | 'fails' | 'passed' | 'excused', Change | undefined>>>> = {
  none: { none: undefined, fails: 'new', passed: 'new', excused: 'new' },
  fails: { none: 'gone', fails: 'still failing', passed: 'fixed', excused: 'excused' },
  passed: { none: 'gone', fails: 'newly failing', passed: 'same', excused: 'excused' },
  excused: { none: 'gone', fails: 'newly failing', passed: 'same', excused: 'same' },
};
const kindOf = (status: Status | undefined) =>
  status === undefined ? 'none' : status === 'failed' || status === 'errored' ? 'fails' : status === 'passed' ? 'passed' : 'excused';

const run = (name: string) => ({
  name,
  info: { started: '2031-04-01T08:00:00.000Z', milliseconds: 5, exitStatus: 0, command: [], seed: 1 } as unknown as RunInfo,
});

export const comparisons = suite('a comparison of two runs', [
  test('shows the status of a case that is skipped and failed before', ({ check }) => {
    const lines = renderComparison(
      compare(
        () => [ended('a#1', 'failed', 1)],
        () => [ended('a#1', 'skipped', 1)],
      ),
      run('before'),
      run('after'),
      plainStyle,
      80,
    );
    check.includes(lines, '  a#1  skipped, was failed');
  }),

  test('shows rows as a table if it fits in {width} columns', {
    cases: table(
      ['width', 'lines'],
      [
        [80, ['    loa  hull    all: season=winter', '      9  cat   was passed: off by 2', '     12  mono  was passed: off by 2']],
        [30, ['    loa=9, hull=cat, season=winter  was passed: off by 2', '    loa=12, hull=mono, season=winter  was passed: off by 2']],
      ],
    ),
  }, ({ row, check }) => {
    const rows = [
      { loa: 9, hull: 'cat', season: 'winter' },
      { loa: 12, hull: 'mono', season: 'winter' },
    ];
    const header = { test: 0, id: 'a#dues', file: 'a', path: ['dues'], columns: [], tags: [] };
    const side = (status: Status) => (): JournalEntry[] => [
      { type: 'test', header },
      ...rows.map((cells, ordinal): JournalEntry => {
        const name = formatValuesName(cells);
        const { result } = ended(`a#dues/${name}`, status, 1) as Extract<JournalEntry, { type: 'ended' }>;
        const failures = status === 'failed' ? [{ cause: 'check', message: 'off by 2' } as const] : [];
        return { type: 'ended', result: { ...result, ordinal, title: `dues › ${name}`, row: cells, failures } };
      }),
    ];
    const lines = renderComparison(compare(side('passed'), side('failed')), run('before'), run('after'), plainStyle, row.width);
    check.equal(
      lines.filter((line) => line.startsWith('    ')),
      [...row.lines],
    );
  }),

  test('reports for a case that still fails {what}', {
    cases: table(
      ['what', 'before', 'after', 'detail'],
      [
        ['its message, once if it is the same', 'off by 2', 'off by 2', 'a#1  off by 2'],
        ['both messages if they differ', 'off by 2', 'is null', 'a#1  is null (was: off by 2)'],
      ],
    ),
  }, ({ row, check }) => {
    const failing = (message: string) => (): JournalEntry[] => {
      const entry = ended('a#1', 'failed', 1) as Extract<JournalEntry, { type: 'ended' }>;
      return [{ type: 'ended', result: { ...entry.result, failures: [{ cause: 'check', message }] } }];
    };
    const lines = renderComparison(compare(failing(row.before), failing(row.after)), run('before'), run('after'), plainStyle, 80);
    check.equal(
      lines.filter((line) => line.includes('a#1')).map((line) => line.trim()),
      [row.detail],
    );
  }),

  test('classifies each case by its two statuses: seed {seed}', { cases: range('seed', 1, 40) }, ({ row, check }) => {
    const random = createRandom(`compare ${row.seed}`);
    const ids = Array.from({ length: 40 }, (_, i) => `a#${i}`);
    const side = (): Map<string, Status> => new Map(ids.flatMap((id) => (random.integer(0, 4) === 0 ? [] : [[id, random.pick(statuses)] as const])));
    const [before, after] = [side(), side()];
    const entries = (of: ReadonlyMap<string, Status>) => (): JournalEntry[] =>
      random.shuffle([...of]).map(([id, status]) => ended(id, status, random.real(0, 400)));
    const found = compare(entries(before), entries(after));
    const expected = new Map<Change, string[]>();
    for (const id of ids) {
      const change = becomes[kindOf(before.get(id))][kindOf(after.get(id))];
      if (change) expected.set(change, [...(expected.get(change) ?? []), id]);
    }
    for (const change of changes) {
      const wanted = expected.get(change) ?? [];
      // An unchanged case can be slower or faster by its times.
      if (change === 'same') check.equal(found.same + found.cases.slower.length + found.cases.faster.length, wanted.length, change);
      else if (change !== 'slower' && change !== 'faster') check.equal(found.cases[change].map(({ id }) => id).sort(), wanted.sort(), change);
    }
    const isRed = ids.some((id) => kindOf(after.get(id)) === 'fails' && kindOf(before.get(id)) !== 'fails');
    check.equal(hasNewFailure(found), isRed, 'whether a case fails that did not');
  }),

  test('names up to eight cases of a test, three of one side, twenty tests and eight files, in each format', ({ check }) => {
    const side = (status: Status, milliseconds: number, message?: string) => ({ status, milliseconds, message });
    const cases = (path: string, count: number, more: object): Compared[] =>
      Array.from({ length: count }, (_, i) => ({
        id: `${path}/${i}`,
        title: `${path} › n=${i}`,
        path: [path],
        row: undefined,
        before: undefined,
        after: undefined,
        ...more,
      }));
    const none = Object.fromEntries(changes.map((change) => [change, []])) as unknown as Comparison['cases'];
    const comparison: Comparison = {
      same: 7,
      pace: 1.3,
      cases: {
        ...none,
        'newly failing': Array.from({ length: 21 }, (_, i) =>
          cases(`t${i}`, i === 0 ? 9 : 1, { before: side('passed', 1), after: side('failed', 1, 'off') }),
        ).flat(),
        new: [...cases('fresh', 4, { after: side('failed', 1, 'off by 2') }), ...cases('many', 9, { after: side('passed', 1) })],
        gone: cases('old', 3, { before: side('passed', 1) }),
        excused: cases('dues', 1, { before: side('passed', 1), after: side('skipped', 1) }),
        slower: cases('long', 2, { before: side('passed', 100), after: side('passed', 250) }),
        faster: cases('short', 1, { before: side('passed', 300), after: side('passed', 100) }),
      },
    };
    const withFiles = (name: string, digest: string) => {
      const made = run(name);
      return { ...made, info: { ...made.info, files: {}, reads: Object.fromEntries(Array.from({ length: 10 }, (_, i) => [`d${i}.csv`, digest])) } };
    };
    const [before, after] = [withFiles('before', 'a'), withFiles('after', 'b')];
    const lines = renderComparison(comparison, before, after, plainStyle, 80);
    check.equal(lines.slice(2), [
      '',
      'newly failing: 29',
      '  t0',
      ...Array.from({ length: 8 }, (_, i) => `    n=${i}  was passed: off`),
      '    … and 1 more case',
      ...Array.from({ length: 19 }, (_, i) => [`  t${i + 1}`, '    n=0  was passed: off']).flat(),
      '  … in 1 more test',
      '',
      'not in the earlier run: 13',
      '  fresh',
      ...[0, 1, 2].map((i) => `    n=${i}  failed: off by 2`),
      '    … and 1 more case',
      '  many  9 cases',
      '',
      'not in the later run: 3',
      '  old',
      ...[0, 1, 2].map((i) => `    n=${i}`),
      '',
      'not failing because skipped, not requested or a known failure: 1',
      '  dues',
      '    n=0  skipped, was passed',
      '',
      'slower: 2',
      '  long',
      ...[0, 1].map((i) => `    n=${i}  100 ms → 250 ms, 2.5 × as long`),
      '',
      'faster: 1',
      '  short',
      '    n=0  300 ms → 100 ms, 3.0 × as fast',
      '',
      `changed between the runs: ${Array.from({ length: 8 }, (_, i) => `d${i}.csv`).join(', ')}, … and 2 more files`,
      'the median case took 1.3 × as long as before; slower and faster are relative to that',
      '29 newly failing, 13 not in the earlier run, 3 not in the later run, 1 not failing because skipped, not requested or a known failure, 2 slower, 1 faster, 7 the same',
    ]);
    const markdown = comparisonAsMarkdown(comparison, before, after);
    for (const part of ['  - … and 1 more case\n', '- `many`\n  - 9 cases\n', '- … in 1 more test\n', '  - `n=0` `100 ms → 250 ms, 2.5 × as long`\n'])
      check.includes(markdown, part);
    const long = Array.from({ length: 20 }, (_, i) => cases(`t${i}`, 8, { title: 'n'.repeat(250), after: side('failed', 1, 'x'.repeat(250)) })).flat();
    const cut = comparisonAsMarkdown({ ...comparison, cases: { ...none, 'newly failing': long } }, before, after);
    check.holds(cut.length < 60_000);
    check.matches(cut, /\n\n… the rest was omitted\.\n$/);
  }),
]);
