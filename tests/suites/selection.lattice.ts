import { table as cases, range, suite, test } from 'red-lattice';
import { createRandom, type Random } from '../../src/cases/random.ts';
// The plan is created from the sources, and so are its tests.
import { cell, dataFile, suite as newSuite, test as newTest, table, values } from '../../src/index.ts';
import { expandCases } from '../../src/suites/expand.ts';
import { BUILT_IN_DEFAULTS, planFiles } from '../../src/suites/plan.ts';
import type { PlannedCaseImpl, PlannedTest } from '../../src/suites/planned.ts';
import { buildSelector, type Selection, selectsAll } from '../../src/suites/selection.ts';
import { suggestSelections } from '../../src/suites/suggestions.ts';

const body = (): void => undefined;
const office = () =>
  newSuite('Office', { tags: ['office'] }, [
    newTest(
      'Quay {berth}',
      {
        tags: ['slow'],
        cases: table(
          ['berth', 'loa'],
          [
            ['N4', 8],
            ['S1', 12],
            ['S2', 12],
          ],
        ),
      },
      body,
    ),
    newTest('tide', { tags: ['tide'] }, body),
    newSuite('inner', { tags: ['inner'] }, [newTest('hull {hull}', { cases: values('hull', ['mono', 'cat']) }, body)]),
  ]);
const other = () => newTest('other QUAY', { onRequest: 'takes a day', cases: values('loa', [8, 9]) }, body);

async function planned(): Promise<{ plan: Awaited<ReturnType<typeof planFiles>>; cases: PlannedCaseImpl[] }> {
  const plan = await planFiles(
    [{ file: 'a.lattice.ts', url: new URL('file:///a.lattice.ts'), exports: { office: office(), other: other() }, folders: [] }],
    {},
    BUILT_IN_DEFAULTS,
  );
  const cases: PlannedCaseImpl[] = [];
  for (const one of plan.tests) for await (const chunk of expandCases(one, {})) cases.push(...chunk);
  if (plan.problems.length > 0 || cases.length !== 8) throw new Error(`${cases.length} cases, ${JSON.stringify(plan.problems)}`);
  return { plan, cases };
}

/** Some of the possible conditions of a selection. */
function randomSelection(random: Random, ids: readonly string[]): Selection {
  const some = <T>(items: readonly T[]): T[] | undefined => (random.integer(0, 2) > 0 ? undefined : random.shuffle([...items]).slice(0, random.integer(1, 2)));
  const rows = some([
    { column: 'loa', operator: '>=', value: '9' },
    { column: 'loa', operator: '=', value: '8' },
    { column: 'hull', operator: '!=', value: 'cat' },
  ] as const);
  return {
    titles: some(['quay', 'HULL', '/^Office › tide$/', '/S\\d/', 'nowhere']),
    tags: some(['slow', 'inner', 'office']),
    notTags: some(['tide', 'slow']),
    ids: random.integer(0, 3) > 0 ? undefined : random.shuffle([...ids]).slice(0, random.integer(0, 4)),
    rows,
    onRequest: random.integer(0, 1) === 0,
  };
}

/** The same for one case, computed plainly. */
function isSelected({ id, title, tags, row }: PlannedCaseImpl, selection: Selection): boolean {
  const titles = selection.titles?.some((text) =>
    text.startsWith('/') ? new RegExp(text.slice(1, -1)).test(title) : title.toLowerCase().includes(text.toLowerCase()),
  );
  const rows = selection.rows?.every(({ column, operator, value }) => {
    const given = row[column];
    if (operator === '!=') return String(given) !== value;
    if (given === undefined) return false;
    return operator === '>=' ? Number(given) >= Number(value) : String(given) === value;
  });
  return (
    titles !== false &&
    rows !== false &&
    selection.tags?.some((tag) => tags.includes(tag)) !== false &&
    selection.notTags?.every((tag) => !tags.includes(tag)) !== false &&
    selection.ids?.includes(id) !== false
  );
}

export const selections = suite('a selection', [
  test('selects the cases that meet all of its conditions: seed {seed}', { cases: range('seed', 1, 60) }, async ({ row, check }) => {
    const random = createRandom(`selection ${row.seed}`);
    const { plan, cases } = await planned();
    const selection = randomSelection(
      random,
      cases.map(({ id }) => id),
    );
    const { select, all, isRequested } = buildSelector(selection, plan);
    const wanted = cases.filter((one) => isSelected(one, selection));
    check.equal(
      cases.filter(select).map(({ title }) => title),
      wanted.map(({ title }) => title),
      JSON.stringify(selection),
    );
    if (all) check.equal(wanted.length, cases.length, 'all');
    if (selectsAll(selection)) check.holds(all, 'everything');
    for (const one of cases) {
      const isAsked = selection.onRequest || selection.ids?.includes(one.id) || selection.tags?.some((tag) => one.tags.includes(tag)) || false;
      check.equal(isRequested(one), isAsked, `asked for ${one.title}`);
    }
  }),

  test('by shards is disjoint and complete', async ({ check }) => {
    const { plan, cases } = await planned();
    const parts = [1, 2, 3].map((index) => cases.filter(buildSelector({ shard: { index, of: 3 } }, plan).select).map(({ id }) => id));
    check.equal(parts.flat().sort(), cases.map(({ id }) => id).sort());
    check.equal(
      parts.map(({ length }) => length),
      [3, 1, 4],
      'the parts are the same in every version',
    );
  }),

  test('of a file and a line selects the whole file', async ({ check }) => {
    const [a, b] = ['file:///a.lattice.ts', 'file:///b.lattice.ts'] as const;
    const load = (url: string, name: string) => ({ file: url.slice(8), url: new URL(url), exports: { one: newTest(name, body) }, folders: [] });
    const { tests, ...plan } = await planFiles([load(a, 'tide'), load(b, 'berth')], {}, BUILT_IN_DEFAULTS);
    const { select } = buildSelector({ targets: [{ url: a }, { url: b, line: 1 }] }, { ...plan, tests });
    const titles: string[] = [];
    for (const one of tests) for await (const chunk of expandCases(one, {})) titles.push(...chunk.filter(select).map(({ title }) => title));
    check.equal(titles, ['tide']);
  }),

  test('without a case suggests what has a similar name', async ({ check }) => {
    const { plan } = await planned();
    const rows = [
      { column: 'lao', operator: '>=', value: '9' },
      { column: 'berth', operator: '=', value: 'N5' },
    ] as const;
    check.equal(suggestSelections({ titles: ['Qay', 'tide'], tags: ['slw', 'tide'], rows }, plan), ['--title Quay', '--tag slow', '--row "loa>=9"']);
  }),

  test('by line {line} of {file} selects the rows that are made of it: {titles}', {
    cases: cases(
      ['file', 'line', 'titles'],
      [
        ['berths.csv', 2, ['N4 for 1', 'N4 for 2']],
        ['berths.csv', 3, ['S1 for 1', 'S1 for 2']],
        ['nights.csv', 3, ['N4 for 2', 'S1 for 2']],
        ['nights.csv', 4, []],
        ['nights.csv', undefined, ['N4 for 1', 'N4 for 2', 'S1 for 1', 'S1 for 2']],
      ],
    ),
  }, async ({ row: { file, line, titles }, check }) => {
    const texts: Readonly<Record<string, string>> = { 'berths.csv': 'berth\nN4\nS1\n', 'nights.csv': 'nights\n1\n2\n' };
    const files = {
      read: async function* ({ pathname }: URL) {
        yield new TextEncoder().encode(texts[pathname.slice(pathname.lastIndexOf('/') + 1)]);
      },
    };
    const stays = newTest(
      '{berth} for {nights}',
      { cases: dataFile('berths.csv', { columns: { berth: cell.text } }).cross(dataFile('nights.csv', { columns: { nights: cell.integer } })) },
      body,
    );
    const plan = await planFiles(
      [{ file: 'a.lattice.ts', url: new URL('file:///a.lattice.ts'), exports: { stays }, folders: [] }],
      { files },
      BUILT_IN_DEFAULTS,
    );
    const found: PlannedCaseImpl[] = [];
    for await (const chunk of expandCases(plan.tests[0] as PlannedTest, { files })) found.push(...chunk);
    const url = found
      .flatMap(({ entry }) => [entry, ...(entry.others ?? [])])
      .map(({ location }) => location?.file ?? '')
      .find((one) => one.endsWith(file)) as string;
    check.equal(
      found.filter(buildSelector({ targets: [{ url, line }] }, plan).select).map(({ title }) => title),
      [...titles],
    );
  }),
]);
