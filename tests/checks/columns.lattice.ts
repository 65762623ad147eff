import { type CaseSource, cell, dataFile, type Failure, type FileSource, namedRows, suite, table, test, values } from 'red-lattice';
import { memoryFiles, runInside } from '../inner.ts';

const stays = table(['nights', 'due', 'parts'], [[3, 60.5, ['berth', 'power']]]);
type Stay = { readonly nights: number; readonly due: number; readonly parts: readonly string[] };

/** A source of one record of a data file: 7 nights for 70 in the band "a". */
const fileOf = (columns: Parameters<typeof dataFile>[1]): CaseSource<any> => dataFile(new URL('memory:///stays.csv'), columns);
const files = {
  async *read() {
    yield new TextEncoder().encode('Nights,due,band\n7,70,a\n');
  },
};

const failuresOf = async (cases: CaseSource<any>, values: (row: any) => object, how: 'check' | 'ensure' = 'check') => {
  const { seen } = await runInside([test('t', { cases }, ({ row, check, ensure }) => void (how === 'check' ? check : ensure).columns(values(row)))], {
    files,
    base: new URL('memory:///a.ts'),
  });
  return seen.flatMap(({ result }) => result.failures.map(({ message, actual, expected }) => [message, actual, expected].filter(Boolean).join(' | ')));
};

/** Files beside a test file. One cannot be read. */
const quay: Readonly<Record<string, string | Uint8Array>> = {
  'tide.txt': 'low\n',
  'windows.txt': 'low\r\ntide\r\n',
  'quote.json': '{"berth":"N4","dues":[1]}',
  'chart.bin': Uint8Array.of(1, 255),
};
const quayFiles: FileSource = {
  async *read({ pathname }) {
    const name = pathname.slice('/quay/'.length);
    if (name === 'locked.txt') throw new Error('no ink');
    const content = quay[name];
    if (content === undefined) throw Object.assign(new Error('nothing there'), { code: 'ENOENT' });
    yield typeof content === 'string' ? new TextEncoder().encode(content) : content;
  },
};
const quayBase = new URL('file:///quay/dues.lattice.ts');
const cycle: Record<string, unknown> = {};
cycle['self'] = cycle;

/** A case of `file-contents.yaml`. */
interface FileCase {
  readonly path?: string;
  readonly content?: unknown;
  readonly bytes?: readonly number[];
  readonly message: string;
  readonly actual?: string;
  readonly expected?: string;
  readonly isNew?: boolean;
}

export const columns = suite('check.columns', [
  test('compares computed values with the row: {what}', {
    cases: namedRows<{ what: string; values: (row: Stay) => object; says: readonly string[] }>({
      equal: { what: 'all equal', values: ({ nights, parts }) => ({ nights, due: 60.5, parts: [...parts] }), says: [] },
      none: { what: 'nothing given', values: () => ({}), says: [] },
      one: { what: 'one differs', values: ({ nights }) => ({ nights, due: 61 }), says: ['differs from the row in column due | { due: 61 } | { due: 60.5 }'] },
      both: {
        what: 'all differences at once',
        values: () => ({ nights: 4, due: 60.5, parts: ['berth'] }),
        says: ['differs from the row in columns nights, parts | { nights: 4, parts: ["berth"] } | { nights: 3, parts: ["berth", "power"] }'],
      },
      unknown: {
        what: 'a column that the row lacks',
        values: () => ({ duo: 1 }),
        says: ['differs from the row in column duo; the row has no duo | { duo: 1 } | {}'],
      },
      undefined: {
        what: 'a missing value',
        values: () => ({ due: undefined }),
        says: ['differs from the row in column due | { due: undefined } | { due: 60.5 }'],
      },
      promise: { what: 'a promise', values: () => ({ due: Promise.resolve(60.5) }), says: ['column due: the value is a promise; is an await missing?'] },
      text: { what: 'no object', values: () => 'due' as never, says: ['the argument of `columns` must be an object with a value for each column; got "due"'] },
    }),
  }, async ({ row, check }) => {
    check.equal(await failuresOf(stays, row.values as never), [...row.says]);
    check.equal(await failuresOf(stays, row.values as never, 'ensure'), [...row.says]);
  }),

  test('numbers can differ by the tolerance of their column: {what}', {
    cases: namedRows<{ what: string; source: () => CaseSource<any>; due: number; passes: boolean }>({
      within: { what: 'within', source: () => fileOf({ columns: { due: cell.number.within(0.5) } }), due: 70.5, passes: true },
      beyond: { what: 'beyond', source: () => fileOf({ columns: { due: cell.number.within(0.5) } }), due: 70.6, passes: false },
      exact: { what: 'without one', source: () => fileOf({ columns: { due: cell.number } }), due: 70.1, passes: false },
      optional: { what: 'in an optional column', source: () => fileOf({ columns: { due: cell.number.within(0.5).optional() } }), due: 69.5, passes: true },
      heading: { what: 'under another heading', source: () => fileOf({ columns: { due: cell.integer.within(1).heading('Nights') } }), due: 8, passes: true },
      derived: {
        what: 'in a source that was filtered and derived',
        source: () =>
          fileOf({ columns: { due: cell.number.within(0.5) } })
            .filter(() => true)
            .derive(() => ({ x: 1 })),
        due: 70.5,
        passes: true,
      },
      crossed: {
        what: 'in a source that was combined',
        source: () => table(['a'], [[1]]).cross(fileOf({ columns: { due: cell.number.within(0.5) } }) as CaseSource<{ due: number }>),
        due: 69.6,
        passes: true,
      },
    }),
  }, async ({ row, check }) => {
    check.equal((await failuresOf(row.source(), () => ({ due: row.due }))).length, row.passes ? 0 : 1);
  }),

  test('a tolerance follows a renamed column', async ({ check }) => {
    const source = fileOf({ columns: { due: cell.number.within(0.5) } }).rename({ due: 'price' });
    check.equal(await failuresOf(source, () => ({ price: 70.4 })), []);
    check.equal((await failuresOf(source, () => ({ price: 71 }))).length, 1);
  }),

  test('a negative tolerance is rejected', ({ check }) => void check.throws(() => cell.number.within(-1), /number of at least 0/)),

  test('a failure has the location of its check: {how}', { cases: values('how', ['check', 'ensure'] as const) }, async ({ row, check }) => {
    const { seen } = await runInside([test('t', { cases: stays }, (context) => void context[row.how].columns({ nights: 4 }))]);
    check.equal(
      seen.map(({ result }) => result.failures[0]?.location?.file),
      [import.meta.url],
    );
  }),

  test('a text of {length} characters is recorded: {isRecorded}', {
    cases: table(
      ['length', 'isRecorded'],
      [
        [99_998, true],
        [99_999, false],
      ],
    ),
  }, async ({ row, check }) => {
    const letters = cell.from(
      'length',
      (text) => text.length - 2,
      (length: number) => 'x'.repeat(length + 2),
    );
    for (const source of [fileOf({ columns: { band: cell.text } }), fileOf({ columns: { due: letters } })]) {
      const values = (given: object): object => ('band' in given ? { band: 'x'.repeat(row.length) } : { due: row.length });
      const { seen } = await runInside([test('t', { cases: source }, ({ row: given, check }) => void check.columns(values(given)))], {
        files,
        base: new URL('memory:///a.ts'),
      });
      check.equal(
        seen.map(({ result }) => result.failures[0]?.columns?.map(({ reason }) => reason === undefined)),
        [[row.isRecorded]],
      );
    }
  }),

  test('a text that differs from its file is shown, shortened above 50,000 characters: {length}', { cases: values('length', [5, 50_000, 50_001]) }, async ({
    row: { length },
    check,
  }) => {
    const { files, base } = memoryFiles({ 'a.txt': 'a'.repeat(length) }, 7000);
    const { seen } = await runInside([test('t', ({ check }) => check.file('a.txt', 'b'.repeat(length)))], { files, base: new URL('a.ts', base) });
    const [{ message, actual, expected } = {}] = seen[0]?.result.failures ?? [];
    const shown = (letter: string): string => JSON.stringify(length > 50_000 ? `${letter.repeat(50_000)}\n…` : letter.repeat(length));
    check.equal([message, actual, expected], ['differs from a.txt', shown('b'), shown('a')]);
  }),

  test('a file has the computed content: {message}', {
    cases: dataFile('file-contents.yaml'),
  }, async ({ row: given, check }) => {
    const { path = 'tide.txt', ...row } = given as unknown as FileCase;
    const content = row.bytes ? Uint8Array.from(row.bytes) : row.content;
    const { seen } = await runInside([test('t', ({ check }) => check.file(path, content))], { files: quayFiles, base: quayBase });
    const [{ message = 'passes', actual, expected, differingFile } = {}] = (seen[0]?.result.failures ?? []) as readonly Partial<Failure>[];
    check.equal([message.replace(/; got .*/s, ''), actual, expected], [row.message, row.actual, row.expected]);
    const isAcceptable = /^differs|not a text|does not exist/.test(row.message);
    check.equal([differingFile !== undefined, differingFile?.isNew], [isAcceptable, row.isNew]);
    const attached = seen[0]?.result.attachments.map(({ name }) => name.split(' ')[0]) ?? [];
    check.holds(!attached.includes('expected') || (row.bytes && !row.isNew), attached.join());
  }),

  test('a content that cannot be written to a file is refused: {content}', { cases: values('content', [{ at: new Map() }, undefined, cycle]) }, async ({
    row,
    check,
  }) => {
    const { seen } = await runInside([test('t', ({ check }) => check.file('tide.txt', row.content))], { files: quayFiles, base: quayBase });
    check.matches(seen[0]?.result.failures[0]?.message, /^the content of `file` must be a string, bytes, or a value that JSON holds; got /);
  }),

  test('a file check that is not awaited fails the case', async ({ check }) => {
    const { seen } = await runInside([test('t', ({ check }) => void check.file('a.txt', 'a'))], { files, base: new URL('memory:///a.ts') });
    check.equal(seen[0]?.result.failures[0]?.message, '`file` was still pending when the body ended; is an await missing?');
  }),

  test('`ensure` ends the case unless the values and the file are equal', async ({ check }) => {
    const reached: string[] = [];
    const children = [
      test('other columns', { cases: stays }, ({ ensure }) => {
        ensure.columns({ nights: 4 });
        reached.push('other columns');
      }),
      ...['high\n', 'low\n'].map((content) =>
        test(content, async ({ ensure }) => {
          await ensure.file('tide.txt', content);
          reached.push(content);
        }),
      ),
    ];
    await runInside(children, { files: quayFiles, base: quayBase });
    check.equal(reached, ['low\n']);
  }),
]);
