// More examples, with many errors that the compiler must report.
import {
  assert,
  type CaseSource,
  cell,
  dataFile,
  type Fixture,
  factory,
  fixture,
  lazy,
  matrix,
  namedRows,
  type Provider,
  rows,
  suite,
  type Test,
  table,
  test,
  testWith,
  values,
  verifyCoverage,
} from 'red-lattice';
import { dataFiles, environmentVariables, tempDirectory } from 'red-lattice/node';

const tides = fixture('tide table', {
  scope: 'lane',
  setup: ({ lane, defer }) => {
    defer(({ failed }) => failed);
    return { at: (hour: number) => 1 + lane + hour / 10 };
  },
});
const form = fixture('booking form', { settings: { vessel: 'Nun', loa: 9, nights: 2 }, setup: ({ settings }) => ({ ...settings }) });
const answer = fixture('answer', {
  needs: { form, tides },
  locks: ['quay'],
  setup: async (_moment, { form }) => ({ status: form.loa > 0 ? 201 : 422, field: 'loa' as string | null }),
});

// A suite with overrides by its own rows; children that are fixed, or created for a row.
export const fields = suite(
  'refuses a wrong {field}',
  {
    cases: namedRows({ 'no length': { field: 'loa', value: undefined }, 'a word for a length': { field: 'loa', value: 'nine' } }),
    overrides: (row) => [form.withInvalid(row.field, row.value)],
  },
  [
    test('says so', { needs: { answer } }, ({ check, ensure }, { answer }) => {
      check.equal(answer.status, 422);
      ensure.present(answer.field).toUpperCase();
    }),
  ],
);
export const perHull = suite('hull {hull}', { cases: values('hull', ['mono', 'cat']) }, (row) => [
  row.hull === 'cat' && test('is wide', ({ check }) => check.equal(row.hull, 'cat')),
]);

// Needs that many tests share; one lazy provider; narrowing.
const withTides = testWith({ tides });
export const hours = withTides(
  'at {hour}',
  {
    cases: table(
      ['hour', 'name'],
      [
        [6, 'early'],
        [18, 'late'],
      ],
    ),
    needs: { later: lazy(answer) },
  },
  async (now, { tides, later }) => {
    const { status } = await later();
    const name: 'early' | 'late' = now.row.name;
    assert(now, tides.at(now.row.hour) > 1, name);
    await now.eventually(() => status, { within: 200, every: 10 });
    const made: number | undefined = now.step('count', ({ check }) => {
      check.holds(true);
      return 3;
    });
    const must: number = now.step.required('count for sure', () => 4);
    now.check.closeTo(made, must, 1);
    // @ts-expect-error: a promise always holds
    now.check.holds(later());
  },
);

// Factories with presets, with a longer scope, and with needs.
const owners = factory('owner', ({ n }) => ({ name: `Owner ${n}`, phone: null as string | null }), { scope: 'file' });
const vessels = factory('vessel', ({ n }, { owners }) => ({ name: `Vessel ${n}`, loa: 9, owner: owners.make() }), {
  needs: { owners },
  presets: { long: { loa: 30 }, tall: (made) => ({ loa: made.n }) },
});
export const made = test('a long vessel', { needs: { vessels, environmentVariables, folder: tempDirectory() } }, ({ check }, { vessels }) => {
  check.equal(vessels.with('long').make({ name: 'x' }).loa, 30);
  vessels.without('owner').name;
});
// @ts-expect-error: no such preset
test('', { needs: { vessels } }, (_now, { vessels }) => vessels.with('short'));

// Sources.
export const priced = test('{hull} {season} costs {due}', {
  cases: matrix(
    { hull: ['mono', 'cat'], season: ['summer', 'winter'], loa: [6, 12] },
    { strength: 2, exclude: (never) => [never(['hull', 'loa'], (row) => row.hull === 'cat' && row.loa > 6)] },
  )
    .derive((row) => ({ due: row.loa * (row.season === 'summer' ? 2 : 1) }))
    .expand((row) => rows(row.hull === 'cat' ? [{ berth: 'visitor' }] : [{ berth: 'north' }, { berth: 'south' }])),
}, ({ row, check }) => {
  const berth: string = row.berth;
  check.holds(row.due > 0, berth);
});
// @ts-expect-error: no such column in the title
test('{hul}', { cases: values('hull', ['mono']) }, () => {});
// @ts-expect-error: both have the column
values('hull', [1]).cross(values('hull', [2]));
// @ts-expect-error: a column twice
table(['a', 'a'], [[1, 2]]);
// @ts-expect-error: no such setting
form.with({ length: 3 });
// @ts-expect-error: a lane's fixture cannot be replaced by a case's
tides.replaceWith(fixture('other', { setup: () => ({ at: () => 1 }) }));
// @ts-expect-error: not a test
suite('x', [{ title: 'nonsense' }]);

const money = cell.from('money', (text) => BigInt(text.replace('.', '')));
export const file = test('{berth}', {
  cases: dataFile(new URL('./prices.xlsx', import.meta.url), {
    sheet: 'Prices',
    columns: {
      berth: cell.text.heading('Berth no.'),
      price: money,
      from: cell.date.optional(),
      kind: cell.oneOf('north', 'south').default(null),
      days: cell.list(cell.integer),
    },
  }),
}, ({ row, check }) => {
  const when: Date | undefined = row.from;
  const kind: 'north' | 'south' | null = row.kind;
  check.holds(row.price > 0n, `${when} ${kind} ${row.days.length}`);
});
export const golden = test('{name}', { cases: dataFiles('plans/*.json'), timeout: 500 }, async ({ row, ensure }) => {
  ensure.equal(JSON.parse(await row.text()).ok, true);
});
export const thrown = test('throws', async ({ check }) => {
  const error: RangeError | undefined = check.throws(() => {
    throw new RangeError('deep');
  }, RangeError);
  const late = await check.throws(async () => {
    throw new Error('late');
  }, /late/);
  check.matches(error?.message, /deep/, String(late));
});

// A function of the user that creates tests.
const pairs = <Row extends object>(title: string, cases: CaseSource<Row>, of: Provider<{ ok(row: Row): boolean }>): Test =>
  test(title, { cases, needs: { of } }, ({ row, check }, { of }) => check.holds(of.ok(row)));
const wrapped: Fixture<{ at(hour: number): number }, {}, 'lane'> = tides;
export const other = suite('wrapped', { overrides: [wrapped.replaceWith(async (_moment, original) => ({ at: (await original()).at }))] }, [
  pairs('p', rows([{ a: 1 }]), fixture('of', { setup: () => ({ ok: (row: { a: number }) => row.a > 0 }) })),
]);
export const covered = verifyCoverage({ a: [1, 2], b: ['x', 'y'] }, [{ a: 1, b: 'x' }], { strength: 2 }).missing.length;

// The columns are those of the row, and computed texts need not be literals.
const typed = test('types', {
  cases: table(
    ['hull', 'due'],
    [
      ['mono', 1],
      ['cat', 2],
    ],
  ),
}, ({ row, check }) => {
  const hull: string = row.hull;
  check.columns({ hull, due: 1 });
  // @ts-expect-error: no such column
  check.columns({ price: 1 });
  // @ts-expect-error: a text in a column of numbers
  check.columns({ due: '1' });
});
void typed;
