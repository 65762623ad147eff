// How it reads. Made-up harbour; a thing the compiler must refuse stands under each @ts-expect-error.
import { cell, dataFile, factory, fixture, matrix, namedRows, range, suite, table, test } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';

// --- fixtures -----------------------------------------------------------------------------------------------------------
const tariff = fixture('tariff', { scope: 'file', setup: async () => ({ quote: (stay: { loa: number; nights: number }) => stay.loa * stay.nights * 2 }) });
const clock = fixture('harbour clock', { settings: { now: '2031-04-01T08:00:00Z' }, setup: ({ settings }) => ({ now: () => new Date(settings.now) }) });
const registerServer = fixture('register server', {
  scope: 'run',
  async setup({ defer }) {
    const server = { port: 4100, close: async () => {} };
    defer(() => server.close());
    return { url: `http://127.0.0.1:${server.port}` }; // plain data: every lane gets it
  },
});
const ledger = fixture('ledger', {
  needs: { registerServer, clock, folder: tempDirectory() },
  setup: async (_moment, { registerServer, clock, folder }) => ({ entries: [] as string[], at: `${registerServer.url}/${folder}/${clock.now().getTime()}` }),
  teardown: (ledger) => ledger.entries.splice(0),
});
// @ts-expect-error: a fixture of the whole run cannot need one of a single case
fixture('bad', { scope: 'run', needs: { clock }, setup: () => 1 });

const stays = factory('stay', ({ n, random }) => ({ vessel: `Vessel ${n}`, loa: random.integer(6, 18), nights: 1 }), { presets: { long: { nights: 30 } } });

// --- a table, with what is expected -------------------------------------------------------------------------------------
export const dues = suite('berth dues', { tags: ['money'] }, [
  test(
    'charge {nights} nights at {loa} m',
    {
      needs: { tariff },
      cases: table(
        ['loa', 'nights', 'due'],
        [
          [8, 1, 16],
          [12, 3, 72],
        ],
      ),
    },
    ({ row, check }, { tariff }) => {
      check.equal(tariff.quote(row), row.due);
      // @ts-expect-error: there is no such column
      check.equal(row.lao, 8);
    },
  ),

  test(
    'are what the harbour office charged last year',
    {
      needs: { tariff },
      cases: dataFile('dues.csv', { columns: { loa: cell.number, nights: cell.integer, resident: cell.boolean.default(false), due: cell.number } }),
    },
    ({ row, check }, { tariff }) => {
      check.closeTo(tariff.quote(row), row.due, 0.005);
    },
  ),

  test(
    'never fall as the stay grows',
    {
      needs: { tariff },
      cases: matrix(
        { loa: [6, 9, 12, 18], season: ['summer', 'winter'], hull: ['mono', 'cat', 'tri'], power: [true, false] },
        {
          strength: 2,
          exclude: [{ hull: 'tri', loa: [6, 9] }],
          include: [{ loa: 18, hull: 'tri' }],
        },
      ).cross(range('nights', 1, 3)),
    },
    ({ row, check, step }, { tariff }) => {
      const season: 'summer' | 'winter' = row.season;
      step('one night more', () => check.holds(tariff.quote({ ...row, nights: row.nights + 1 }) > tariff.quote(row), season));
    },
  ),
]);

// --- a row that reaches into a fixture; a suite that is adapted -----------------------------------------------------------
const booking = suite('booking a berth', { overrides: [clock.with({ now: '2031-07-01T12:00:00Z' })] }, [
  test('is entered in the ledger', { needs: { ledger, stays } }, async ({ ensure }, { ledger, stays }) => {
    ledger.entries.push(stays.with('long').make({ loa: 11 }).vessel);
    ensure.equal(ledger.entries.length, 1);
  }),
  test(
    'at {hour} is {answer}',
    {
      needs: { clock },
      cases: namedRows({ 'before opening': { hour: '06:00', answer: 'refused' }, 'at noon': { hour: '12:00', answer: 'taken' } }),
      overrides: (row) => [clock.with({ now: `2031-07-01T${row.hour}:00Z` })],
    },
    ({ row, check }, { clock }) => check.equal(clock.now().getUTCHours() >= 8 ? 'taken' : 'refused', row.answer),
  ),
]);
export const summer = booking;
export const closed = booking.adapt('booking in the closed season', {
  overrides: [clock.with({ now: '2031-01-01T12:00:00Z' })],
  variants: { 'quiet ledger': [ledger.replaceWith(() => ({ entries: [], at: '' }))], 'real ledger': [] },
});

// @ts-expect-error: a table's rows are as long as its columns
table(['loa', 'nights'], [[8]]);
