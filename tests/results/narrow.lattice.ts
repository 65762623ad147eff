import { formatCondition, matrix, type NarrowedTest, namedRows, narrow, range, suite, table, test } from 'red-lattice';
import { createRandom, type Random } from '../../src/cases/random.ts';

type Row = Readonly<Record<string, unknown>>;

const axes = { season: ['summer', 'winter', 'spring'], hull: ['mono', 'cat', 'tri'], flag: ['a', 'b', 'c'], pet: ['no', 'cat', 'dog'], quay: ['N', 'S', 'W'] };

async function rowsOf(source: AsyncIterable<Row>): Promise<Row[]> {
  const rows: Row[] = [];
  for await (const row of source) rows.push(row);
  return rows;
}

/** Runs a search to its end. `fails` is undefined for rows that are not possible. */
function search(rows: readonly Row[], fails: (row: Row) => boolean | undefined, options: Parameters<typeof narrow>[1] = {}): NarrowedTest & { tried: Row[] } {
  const tried: Row[] = [];
  const running = narrow(
    rows.map((row) => ({ row, failed: fails(row) === true })),
    options,
  );
  let step = running.next();
  for (; !step.done; step = running.next(fails(step.value))) tried.push(step.value);
  return { ...step.value, tried };
}

const textsOf = ({ causes }: NarrowedTest): string[] => causes.map(({ conditions }) => conditions.map(formatCondition).join(' & ')).sort();
const meets = (row: Row, cause: Row): boolean => Object.entries(cause).every(([column, value]) => row[column] === value);

function plantCauses(random: Random, rows: readonly Row[], count: number): Row[] {
  const causes: Row[] = [];
  while (causes.length < count) {
    const columns = random.shuffle(Object.keys(axes)).slice(0, random.integer(count, 3));
    const row = random.pick(rows);
    const cause = Object.fromEntries(Object.keys(axes).flatMap((column) => (columns.includes(column) ? [[column, row[column]]] : [])));
    const all = [...causes, cause];
    // Each has a row that fails for no other cause, and for each value of a column one that passes.
    const isApart = all.every((one) => rows.some((other) => meets(other, one) && all.every((more) => more === one || !meets(other, more))));
    if (isApart && !causes.some((other) => meets(other, cause) || meets(cause, other))) causes.push(cause);
  }
  return causes;
}

const stays = Array.from({ length: 48 }, (_, i) => ({
  nights: [1, 2, 5, 9, 12, 17, 21, 30][(i * 5) % 8],
  loa: 6 + ((i * 37) % 96) / 8,
  from: `2031-0${1 + ((i * 4) % 9)}-1${(i * 3) % 10}`,
  hull: ['mono', 'cat', 'tri'][i % 3],
  note: `stay ${i}${i === 31 ? ' at Hafenstraße' : ''}`,
  extras: [['power'], ['power', 'crane'], [], ['water', 'crane', 'pilot']][(i * 7) % 4],
  guest: { class: ['A', 'B'][(i >> 1) % 2], ...(i % 5 === 0 ? {} : { age: 20 + (i % 7) }) },
}));
type Stay = (typeof stays)[number];

export const narrowing = suite('narrow', { timeout: 60_000 }, [
  test('finds that any of {count} values of a column fails, or only {failing} of them{more}: seed {seed}', {
    cases: matrix(
      { count: [1, 2, 4], failing: [1, 2, 4], more: ['', ' with another value'], seed: [1, 2, 3] },
      { exclude: (never) => [never(['count', 'failing'], ({ count, failing }) => failing > count)] },
    ),
  }, async ({ row: { count, failing, more, seed }, check }) => {
    const pilots = ['Ada', 'Ben', 'Cleo', 'Dan'].slice(0, count);
    const rows = (await rowsOf(matrix({ hull: axes.hull, pilot: [...pilots, undefined], quay: axes.quay }, { seed }))).map(({ pilot, ...row }) =>
      pilot === undefined ? row : { ...row, pilot },
    );
    const cause = more === '' ? [] : ['hull=cat'];
    const fails = (row: Row): boolean => pilots.slice(0, failing).includes(row['pilot'] as string) && (more === '' || row['hull'] === 'cat');
    const wanted = failing === count && count > 1 ? ['pilot is present'] : pilots.slice(0, failing).map((pilot) => `pilot=${pilot}`);
    const found = search(rows, fails, { seed });
    check.equal(textsOf(found), wanted.map((text) => [...cause, text].join(' & ')).sort());
    check.equal(found.unexplained, []);
  }),

  test('finds {causes} planted in a covering matrix: seed {seed}', { cases: range('seed', 1, 40).derive(({ seed }) => ({ causes: 1 + (seed % 2) })) }, async ({
    row: { seed, causes: count },
    check,
  }) => {
    const random = createRandom(`narrow ${seed}`);
    const rows = await rowsOf(matrix(axes, { strength: 2 + (seed % 2), seed }));
    const causes = plantCauses(random, rows, count);
    const found = search(rows, (row) => causes.some((cause) => meets(row, cause)), { seed });
    check.equal(
      textsOf(found),
      causes
        .map((cause) =>
          Object.entries(cause)
            .map(([column, value]) => `${column}=${value}`)
            .join(' & '),
        )
        .sort(),
    );
    check.equal(
      found.causes.map(({ isProven }) => isProven),
      causes.map(() => true),
    );
    check.equal(found.unexplained, []);
    // No row is tried twice, other than failing rows once more, and each is a combination of the axes.
    const known = new Set([...rows.filter((row) => !causes.some((cause) => meets(row, cause)))].map((row) => JSON.stringify(row)));
    for (const row of found.tried) check.equal([known.has(JSON.stringify(row)), Object.keys(row)], [false, Object.keys(axes)]);
  }),

  test('finds {what}', {
    cases: namedRows<{ what: string; fails: (row: Stay) => boolean; found: readonly string[]; smallest?: readonly unknown[] }>({
      above: { what: 'the edge of a number between two rows', fails: ({ nights = 0 }) => nights >= 14, found: ['nights>=14'] },
      between: { what: 'both edges of decimals', fails: ({ loa }) => loa >= 8.3 && loa <= 11.7, found: ['8.3<=loa<=11.7'] },
      date: { what: 'the edge of a date', fails: ({ from }) => from <= '2031-04-20', found: ['from<=2031-04-20'] },
      both: { what: 'an edge beside a value', fails: ({ nights = 0, hull }) => nights <= 3 && hull === 'cat', found: ['nights<=3 & hull=cat'] },
      nested: { what: 'a value inside of a column', fails: ({ guest }) => guest.class === 'B', found: ['guest.class=B'] },
      missing: { what: 'a missing value', fails: ({ guest, hull }) => !('age' in guest) && hull === 'tri', found: ['hull=tri & guest.age is missing'] },
      text: { what: 'the smallest text', fails: ({ note }) => note.includes('ß'), found: ['note=stay 31 at Hafenstraße'], smallest: ['ß'] },
      list: {
        what: 'the smallest list',
        fails: ({ extras = [] }) => extras.includes('pilot'),
        found: ['extras=["water","crane","pilot"]'],
        smallest: [['pilot']],
      },
    }),
  }, ({ row, check }) => {
    const found = search(stays, (stay) => row.fails(stay as Stay));
    check.equal(textsOf(found), [...row.found]);
    check.equal(
      found.causes.flatMap(({ smallest }) => smallest.map(({ value }) => value)),
      [...(row.smallest ?? [])],
    );
    check.holds(found.causes.every(({ isProven }) => isProven));
  }),

  test('the smallest text is searched if most rows have a text of their own: {different} of 48', {
    cases: table(
      ['different', 'smallest'],
      [
        [24, []],
        [25, ['ß']],
      ],
    ),
  }, ({ row: { different, smallest }, check }) => {
    const rows = stays.map((stay, i) => ({ ...stay, note: `stay ${i % different}${i % different === 7 ? ' at Hafenstraße' : ''}` }));
    const found = search(rows, (stay) => String(stay['note']).includes('ß'));
    check.equal([textsOf(found), found.causes.flatMap(({ smallest }) => smallest.map(({ value }) => value))], [['note=stay 7 at Hafenstraße'], [...smallest]]);
  }),

  test('finds a combination of five values by bisection', async ({ check }) => {
    const wide = Object.fromEntries(Array.from({ length: 12 }, (_, i) => [`c${i}`, ['x', 'y', 'z']]));
    const rows = [...(await rowsOf(matrix(wide, { strength: 2 }))), Object.fromEntries(Object.keys(wide).map((column) => [column, 'x']))];
    const found = search(rows, (row) => ['c1', 'c4', 'c5', 'c8', 'c11'].every((column) => row[column] === 'x'));
    check.equal(
      found.causes.map(({ conditions }) => conditions.map(({ column }) => column).sort()),
      [['c1', 'c11', 'c4', 'c5', 'c8']],
    );
  }),

  test('reports why a row is not explained: {why}', {
    cases: namedRows<{ why: string; rows: readonly Row[]; fails: () => (row: Row) => boolean; budget?: number }>({
      flaky: {
        why: 'flaky',
        rows: stays,
        fails: () => {
          let calls = 0;
          return () => ++calls === 5;
        },
      },
      budget: { why: 'budget', rows: stays, fails: () => (row) => row === stays[7] || (row['hull'] === 'cat' && (row['nights'] as number) > 4), budget: 2 },
      'no-columns': { why: 'no-columns', rows: [{ hull: 'cat' }, { hull: 'cat' }], fails: () => () => true },
    }),
  }, ({ row, check }) => {
    const { causes, unexplained, tried } = search(row.rows, row.fails(), { budget: row.budget });
    check.equal(
      causes.filter(({ isProven }) => isProven),
      [],
    );
    check.holds(unexplained.some(({ reason }) => reason === row.why));
    check.holds(tried.length <= (row.budget ?? 200));
  }),

  test('a value that passes within a range is not proven to fail', async ({ check }) => {
    const rows = await rowsOf(matrix({ hull: ['mono', 'cat'], lines: [2, 3, 4, 6, 8], wind: ['calm', 'breeze', 'gale'] }));
    const found = search(rows, (row) => row['wind'] === 'gale' && (row['lines'] === 2 || row['lines'] === 4));
    check.holds(found.causes.length > 0);
    for (const { isProven, failed, cases } of found.causes) check.holds(!isProven || failed === cases);
  }),

  test('only the given columns are varied', ({ check }) => {
    const found = search(stays, (row) => row['hull'] === 'cat', { columns: ['hull', 'nights'] });
    check.equal(textsOf(found), ['hull=cat']);
    for (const row of found.tried) check.holds(stays.some(({ from, note }) => from === row['from'] && note === row['note']));
  }),

  test('rows that are not possible do not count', async ({ check }) => {
    const possible = (row: Row): boolean => !(row['flag'] === 'a' && row['quay'] === 'N');
    const rows = await rowsOf(matrix(axes, { strength: 2, exclude: [{ flag: 'a', quay: 'N' }] }));
    const found = search(rows, (row) => (possible(row) ? row['season'] === 'winter' && row['hull'] === 'cat' : undefined));
    check.equal(textsOf(found), ['season=winter & hull=cat']);
    check.equal(
      found.causes.map(({ failed, cases }) => failed === cases),
      [true],
    );
  }),
]);
