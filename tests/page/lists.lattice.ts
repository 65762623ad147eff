import { cell, dataFile, namedRows, suite, table, test } from 'red-lattice';
import { collectVocabulary, completeFilter } from '../../page/src/record/completions.ts';
import { matches, readFilter, toggleStatus } from '../../page/src/record/filter.ts';
import { listFlakyCases, listTestHistories, measurePace } from '../../page/src/record/history.ts';
import { areRows, layOutRows } from '../../page/src/record/row-columns.ts';
import { Store } from '../../page/src/record/store.ts';
import { linesOf, type Order, treeOf } from '../../page/src/record/tree.ts';
import { describeVerdict } from '../../page/src/record/verdict.ts';
import { type EarlierRun, pageLine } from '../../src/results/page-entries.ts';
import { passLine } from '../pass-line.ts';

const header = (test: number, file: string, path: readonly string[], columns: readonly string[]): string =>
  JSON.stringify({
    type: 'test',
    header: {
      test,
      id: `${file}#${path.join('/')}`,
      file,
      path,
      source: columns.length > 0 ? 'a table' : undefined,
      tags: test === 0 ? ['money'] : [],
      columns,
    },
  });
const pass = (test: number, ordinal: number, body: number, row: Readonly<Record<string, unknown>>): string =>
  passLine({ test, ordinal, duplicateIndex: 1, start: 0, setup: 0, body, teardown: 0, checks: 1, line: 0, column: 1, row });
const fail = (test: number, ordinal: number, id: string, row: object): string =>
  JSON.stringify({
    type: 'ended',
    result: {
      test,
      ordinal,
      id,
      title: id,
      row,
      tags: [],
      status: 'failed',
      attempts: 1,
      start: 0,
      times: { setup: 0, body: 5, teardown: 0 },
      checks: { passed: 0, failed: 1 },
      failures: [],
      steps: [],
      output: [],
      attachments: [],
    },
  });

const store = (): Store => {
  const store = new Store();
  store.read(
    [
      JSON.stringify({
        format: 'red-lattice page',
        version: 3,
        name: 'latest',
        info: {},
        history: [
          {
            name: 'before',
            started: '2031-04-01',
            counts: {},
            notPassed: { 'dues/b': 'failed' },
            times: { 'a.lattice.ts#dues/a stay': 1, 'b.lattice.ts#tides': 1 },
          },
        ],
      }),
      header(0, 'a.lattice.ts', ['dues', 'a stay'], ['hull', 'loa']),
      pass(0, 1, 3, { hull: 'mono', loa: 6 }),
      fail(0, 0, 'dues/a', { hull: 'cat', loa: 12 }),
      fail(0, 2, 'dues/b', { hull: 'cat', loa: 15 }),
      header(1, 'b.lattice.ts', ['tides'], []),
      pass(1, 0, 90, {}),
      '+1 5 torn',
      '',
    ].join('\n'),
  );
  return store;
};

export const lists = suite('the lists of the page', [
  test('the filter “{typed}” keeps {kept}', {
    cases: dataFile('filters.csv', { columns: { typed: cell.text.default(''), kept: cell.list(cell.text, ' ').default([]) } }),
  }, ({ row, check }) => {
    const filter = readFilter(row.typed);
    check.equal(
      store()
        .items.filter((item) => matches(filter, item))
        .map(({ result }) => `${result.test}/${result.ordinal}`),
      [...row.kept],
    );
  }),

  test('a status is toggled in the filter', ({ check }) => {
    const once = toggleStatus('hull=cat', 'failed');
    check.equal([once, toggleStatus(once, 'errored'), toggleStatus(once, 'failed')], ['status:failed hull=cat', 'status:failed,errored hull=cat', 'hull=cat']);
  }),

  test('the filter “{typed}” is completed with {words}', {
    cases: dataFile('completions.csv', { columns: { typed: cell.text.default(''), words: cell.list(cell.text, ' ').default([]) } }),
  }, ({ row, check }) => {
    const words = completeFilter(row.typed, collectVocabulary(store())).map(({ word }) => word);
    check.equal(words, [...row.words]);
  }),

  test('rows are columns: {names}, the same in all {shared}', {
    cases: namedRows<{ rows: readonly object[]; names: readonly string[]; shared: readonly (readonly string[])[] }>({
      both: {
        rows: [
          { hull: 'mono', loa: 6, note: '' },
          { hull: 'catamaran', loa: 12.5, note: '' },
        ],
        names: ['hull 9', '#loa 4'],
        shared: [['note', '(empty)']],
      },
      long: { rows: [{ name: 'x'.repeat(90) }, { name: null }], names: ['name 18'], shared: [] },
      one: { rows: [{ hull: 'mono' }], names: [], shared: [] },
      alike: { rows: [{ hull: 'mono' }, { hull: 'mono' }], names: [], shared: [['hull', 'mono']] },
    }),
  }, ({ row, check }) => {
    const read = new Store();
    read.read([header(0, 'a.lattice.ts', ['a stay'], Object.keys(row.rows[0] ?? {})), ...row.rows.map((cells, i) => pass(0, i, 1, { ...cells }))].join('\n'));
    const laid = areRows(read.items) ? layOutRows(read.items) : undefined;
    check.equal(laid?.columns.map(({ name, width, isNumeric }) => `${isNumeric ? '#' : ''}${name} ${width}`) ?? [], [...row.names]);
    check.equal<unknown>(laid?.shared ?? [], row.shared);
  }),

  test(
    'times {times} are {pace} times the usual one',
    {
      cases: table(
        ['times', 'pace'],
        [
          [[100, 100, 100, 100, 100, 250], 2.5],
          [[100, 104, 96, 100, 100, 30], 0.3],
          [[100, 100, 100, 100, 100, 125], undefined],
          [[100, 180, 40, 160, 60, 190], undefined],
          [[1, 1, 1, 1, 1, 15], undefined],
          [[100, 100, 100, 100, 250], undefined],
          [[undefined, 100, 100, 100, 100, 100, 250], 2.5],
          [[100, 100, 100, 100, 100, undefined], undefined],
        ],
      ),
    },
    ({ row, check }) => check.equal(measurePace(row.times), row.pace),
  ),

  test('cases that have changed often come first, without those that were broken or fixed once', ({ check }) => {
    const read = store();
    // The oldest last, as in the page: passed, failed, passed, and then the run of the page.
    const times = { 'a.lattice.ts#dues/a stay': 1, 'b.lattice.ts#tides': 1 };
    read.history = [{}, { 'dues/a': 'failed' }, {}].map(
      (notPassed, i) => ({ name: `${i}`, started: '2031-04-01', counts: {}, notPassed, times }) as EarlierRun,
    );
    check.equal(
      listFlakyCases(read).map(({ item, changes, statuses }) => [item.result.id, changes, statuses.join()]),
      [['dues/a', 3, 'passed,failed,passed,failed']],
    );
    check.equal(
      listTestHistories(read).map(({ test, changes, times }) => [test.header.test, changes, times.length]),
      [
        [0, 3, 4],
        [1, 0, 4],
      ],
    );
  }),

  test('the tree is sorted by {order}', {
    cases: namedRows<{ order: Order; lines: readonly string[] }>({
      plan: { order: 'plan', lines: ['a.lattice.ts', 'dues', 'a stay', '0/0', '0/1', '0/2', 'b.lattice.ts', '1/0'] },
      time: { order: 'time', lines: ['b.lattice.ts', '1/0', 'a.lattice.ts', 'dues', 'a stay', '0/0', '0/2', '0/1'] },
      status: { order: 'status', lines: ['a.lattice.ts', 'dues', 'a stay', '0/0', '0/2', '0/1', 'b.lattice.ts', '1/0'] },
    }),
  }, ({ row, check }) => {
    const tree = treeOf(store().tests.values(), undefined);
    const lines = linesOf(tree, () => true, row.order).map(({ node, item }) => node?.title ?? `${item?.result.test}/${item?.result.ordinal}`);
    check.equal(lines, [...row.lines]);
    check.equal(
      tree.map(({ cases, failing, status }) => [cases, failing, status]),
      [
        [3, 2, 'failed'],
        [1, 0, 'passed'],
      ],
    );
    // A closed node hides its contents.
    check.equal(linesOf(tree, ({ kind }) => kind !== 'file', row.order).length, 2);
  }),

  test('cases are found by id, and have their earlier results', ({ check, ensure }) => {
    const read = store();
    const found = ensure.present(read.find('dues/b')) as NonNullable<ReturnType<Store['find']>>;
    check.equal(found.result.row, { hull: 'cat', loa: 15 });
    check.equal(read.find('dues/z'), undefined);
    check.equal(
      read.items.map((item) => read.inEarlier(read.history[0] as never, item)),
      ['passed', 'passed', 'failed', 'passed'],
    );
    check.equal(
      read.newlyFailing.map(({ result }) => result.id),
      ['dues/a'],
    );
  }),

  test('another run replaces the previous one', ({ check }) => {
    const read = store();
    read.read(
      [
        JSON.stringify({ type: 'new-run', head: { format: 'red-lattice page', version: 1, name: 'next', info: {}, history: [], live: true } }),
        header(0, 'c.lattice.ts', ['one'], []),
        pass(0, 0, 1, {}),
      ].join('\n'),
    );
    check.equal([read.name, read.live, read.items.length, read.state.counts.failed, [...read.tests.keys()]], ['next', true, 1, 0, [0]]);
  }),

  test('a page receives relative file names and unchanged rows', ({ check }) => {
    const place = { file: 'file:///office/a.ts', line: 1, column: 1 };
    const entry = {
      type: 'ended',
      result: {
        row: {
          file: 'file:///office/row.txt',
          data: 'file:///x',
          deep: [{ file: 'file:///office/a', line: 1 }, { file: 'file:///office/a', column: 1 }, place],
        },
        location: place,
        failures: [{ location: place, frames: [place] }],
      },
    };
    const onPage = JSON.parse(pageLine(JSON.stringify(entry), (file) => file.replace('file:///office/', ''))?.text ?? '{}') as typeof entry;
    check.equal([onPage.result.location.file, onPage.result.failures[0]?.frames[0]?.file, onPage.result.row], ['a.ts', 'a.ts', entry.result.row]);
    check.equal([pageLine('{"type":"activity"}', String), pageLine('{"type":"en', String), pageLine('+1 2 torn', String)], [undefined, undefined, undefined]);
  }),
]);

export const verdicts = test(
  'the headline of a run is {headline}',
  {
    cases: dataFile('verdicts.csv', {
      columns: {
        ...{ cases: cell.integer, failing: cell.integer, passed: cell.integer, isRed: cell.boolean, isLive: cell.boolean, isPartial: cell.boolean },
        ...{ mood: cell.text, headline: cell.text },
      },
    }),
  },
  ({ row, check }) => void check.columns(describeVerdict(row)),
);
