import { namedRows, rows, suite, table, test, values } from 'red-lattice';
import type { ExpansionHost } from '../../src/cases/row.ts';
import * as library from '../../src/index.ts';
import { expandCases } from '../../src/suites/expand.ts';
import { BUILT_IN_DEFAULTS, planFiles } from '../../src/suites/plan.ts';
import type { PlannedCaseImpl, PlannedTest } from '../../src/suites/planned.ts';
import { compileRedactions, hidden, type RedactionPredicate, redactEntry, redactSettings, Secrets } from '../../src/suites/redaction.ts';
import { memoryFiles } from '../inner.ts';

const isRedacted: RedactionPredicate = (name) => name === 'pin';
const cycle: Record<string, unknown> = { pin: 'abcd' };
cycle['self'] = cycle;
const today = new Date(0);

/** Plans a test of a file, and creates its cases. */
async function expand(planned: unknown, { base, ...host }: Omit<ExpansionHost, 'kept'> & { base: URL }): Promise<PlannedCaseImpl[]> {
  const file = { file: 'a.lattice.ts', url: new URL('a.lattice.ts', base), exports: { planned }, folders: [] };
  const plan = await planFiles([file], host, BUILT_IN_DEFAULTS);
  const cases: PlannedCaseImpl[] = [];
  for await (const some of expandCases(plan.tests[0] as PlannedTest, host)) cases.push(...some);
  return cases;
}

export const redaction = suite('redaction', [
  test('of a row replaces values by their names, at any depth', {
    cases: namedRows<{ row: object; becomes: object | undefined; secrets?: readonly unknown[] }>({
      'a column': { row: { pin: 1234, loa: 9 }, becomes: { pin: hidden, loa: 9 } },
      'a property': { row: { stay: { pin: 1234, nights: 2 } }, becomes: { stay: { pin: hidden, nights: 2 } } },
      'an object in a list': { row: { stays: [1, { pin: 1234 }] }, becomes: { stays: [1, { pin: hidden }] } },
      'a secret under another name': { row: { note: 'key', parts: ['key'] }, becomes: { note: hidden, parts: [hidden] }, secrets: ['key'] },
      'undefined and null': { row: { pin: undefined, other: null }, becomes: { pin: hidden, other: null } },
      nothing: { row: { loa: 9, stay: { nights: [2] } }, becomes: undefined },
      'an object of a class': { row: { at: today, pool: new Map([['pin', 1]]) }, becomes: undefined },
      'an object that contains itself': { row: { own: cycle }, becomes: { own: { pin: hidden, self: cycle } } },
    }),
  }, ({ row: { row, becomes, secrets }, check }) => {
    const entry = { row, name: 'first' };
    const redacted = redactEntry(entry, isRedacted, secrets);
    if (becomes === undefined) check.same(redacted, entry);
    else check.equal(redacted, { row: becomes, name: 'first' });
  }),

  test('of texts replaces what settings and rows hide, from {length} characters', { cases: values('length', [3, 4]) }, ({ row: { length }, check }) => {
    const secrets = new Secrets(isRedacted);
    const text = (letter: string): string => letter.repeat(length);
    check.equal(secrets.redactText('abcd'), 'abcd', 'without secrets');
    secrets.registerSecrets({ pin: text('a'), hour: 9, stay: { pin: { first: text('b'), list: [text('c')] }, at: today }, none: null, open: text('d') });
    secrets.learnHidden({ code: text('e'), stay: { key: text('f') }, loa: text('g') }, { code: hidden, stay: { key: hidden }, loa: text('g') });
    const shown = (letter: string): string => (length < 4 ? text(letter) : hidden);
    const [a, b, c, e, f] = ['a', 'b', 'c', 'e', 'f'].map(shown) as [string, string, string, string, string];
    check.equal(secrets.redactText([...'abcdefg'].map(text).join(' ')), `${a} ${b} ${c} ${text('d')} ${e} ${f} ${text('g')}`);
    const bytes = Uint8Array.of(1);
    check.equal(secrets.redactText({ note: [text('a'), 5, null], content: bytes }), { note: [a, 5, null], content: bytes });
  }),

  test('of texts leaves no part of a secret: {secrets}', {
    cases: table(
      ['secrets', 'text', 'becomes'],
      [
        [['harbour'], 'to harbour 4', `to ${hidden} 4`],
        [['harbour', 'harbour-east'], 'harbour-east, harbour', `${hidden}, ${hidden}`],
        [['east', 'harbour-east', 'harbour'], 'harbour-east', hidden],
      ],
    ),
  }, ({ row: { secrets, text, becomes }, check }) => {
    const known = new Secrets(isRedacted);
    for (const pin of secrets) {
      known.registerSecrets({ pin });
      // Secrets can be registered after texts have been redacted.
      known.redactText(text);
    }
    check.equal<string>(known.redactText(text), becomes);
  }),

  test('of settings hides their values', ({ check }) => {
    const described = {
      id: 'a',
      fixtures: [
        {
          name: 'gate',
          settings: [
            { name: 'pin', value: '1234' },
            { name: 'hour', value: '9' },
          ],
        },
      ],
    };
    check.equal(redactSettings(described, isRedacted).fixtures[0]?.settings, [
      { name: 'pin', value: hidden },
      { name: 'hour', value: '9' },
    ]);
    check.same(redactSettings(described, undefined), described);
  }),

  test(
    'by {patterns} applies to {name}: {applies}',
    {
      cases: rows<{ patterns: readonly (string | { source: string; flags: string })[] | undefined; name: string; applies: boolean | undefined }>([
        { patterns: undefined, name: 'pin', applies: undefined },
        { patterns: [], name: 'pin', applies: undefined },
        { patterns: ['pin'], name: 'pin', applies: true },
        { patterns: ['pin'], name: 'pins', applies: false },
        { patterns: ['code', { source: 'PIN', flags: 'i' }], name: 'the pins', applies: true },
        { patterns: ['code', { source: 'PIN', flags: '' }], name: 'the pins', applies: false },
      ]),
    },
    ({ row: { patterns, name, applies }, check }) => check.equal(compileRedactions(patterns as never)?.(name), applies),
  ),

  test('leaves duplicates, which are numbered even if they are far apart', async ({ check }) => {
    // In a file of rising numbers, names are compared only from the first repetition on.
    const lines = Array.from({ length: 2000 }, (_, i) => `${i},${9000 - i}`);
    const { files, base } = memoryFiles({ 'stays.csv': `loa,pin\n${[...lines, '7,1', '7,2', '2001,3'].join('\n')}\n` }, 500);
    const stays = library.test('stays', { cases: library.dataFile('stays.csv', { columns: { loa: library.cell.integer, pin: library.cell.text } }) }, () => {});
    const ids = (await expand(stays, { files, base, isRedacted })).map(({ id }) => id.replace(/^.*\//, ''));
    check.equal([ids.length, new Set(ids).size], [2003, 2003]);
    check.equal(ids.slice(2000, 2002), [`${ids[7]}~2`, `${ids[7]}~3`]);
    check.equal(ids[2002]?.includes('~'), false);
  }),

  test('leaves the problems of rows: {what}', {
    cases: namedRows<{ what: string; make: () => unknown; found: readonly (readonly string[])[]; rows?: readonly Readonly<Record<string, unknown>>[] }>({
      both: {
        what: 'those of cells and of tags',
        make: () =>
          library.test(
            't',
            {
              cases: library
                .values('quay', ['N'])
                .annotate(() => ({ tags: ['north'] }))
                .cross(library.dataFile('stays.csv', { columns: { loa: library.cell.integer } }) as never),
            },
            () => {},
          ),
        found: [['unknown-tag'], ['invalid-cell', 'unknown-tag'], ['unknown-tag']],
      },
      getter: {
        what: 'a value that cannot be read',
        make: () =>
          library.test(
            't',
            {
              cases: library.rows([
                {
                  get loa(): number {
                    throw new Error('fog');
                  },
                  pin: '1234',
                },
                { loa: 5, pin: '5' },
              ]),
            },
            () => {},
          ),
        found: [['unreadable-value'], []],
        rows: [{ pin: hidden }, { loa: 5, pin: hidden }],
      },
      overrides: {
        what: 'overrides that cannot be made hide nothing',
        make: () =>
          library.test(
            't',
            {
              cases: library.values('loa', [1, 2]),
              overrides: ({ loa }) => {
                if (loa === 1) throw new Error('fog');
                return [];
              },
            },
            () => {},
          ),
        found: [[], []],
        rows: [{ loa: 1 }, { loa: 2 }],
      },
    }),
  }, async ({ row: { make, found, rows: shown }, check }) => {
    const { files, base } = memoryFiles({ 'stays.csv': 'loa\n7\nx\n8\n' });
    const cases = await expand(make(), { files, base, isRedacted, tags: new Set(['south']) });
    check.equal(
      cases.map(({ entry }) => (entry.problems ?? []).map(({ code }): string => code)),
      found.map((codes) => [...codes]),
    );
    if (shown)
      check.equal(
        cases.map(({ redactedRow }) => ({ ...redactedRow })),
        [...shown],
      );
  }),
]);

export const foreignTags = test('tags that the configuration does not know are reported where they are', async ({ check }) => {
  const body = (): void => {};
  const children = [
    library.suite('s', { tags: ['known', 'suites'], annotations: { t: { tags: ['laid'] } } }, [library.test('t', { tags: ['tests', 'known'] }, body)]),
    library.test('rows', { cases: library.values('n', [1]).annotate(() => ({ tags: ['rows'] })) }, body),
  ];
  const { files, base } = memoryFiles({});
  const plan = await planFiles([{ file: 'a', url: base, exports: { children }, folders: [] }], { files, tags: new Set(['known']) }, BUILT_IN_DEFAULTS);
  check.equal(plan.problems.map((problem) => library.formatProblem(problem)).sort(), [
    'annotations of suite "s": unknown tag `laid`; known: `known`',
    'suite "s": unknown tag `suites`; known: `known`',
    'test "t": unknown tag `tests`; known: `known`',
  ]);
});
