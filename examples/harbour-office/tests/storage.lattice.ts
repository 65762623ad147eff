import { suite, testWith } from 'red-lattice';
import { calendar, gull, secondBookings } from './fixtures.ts';
import { inDatabase, register } from './service-fixtures.ts';

const testOfRegister = testWith({ register });

/** The same tests for both ways to store bookings. */
export const storage = suite('the register', { variants: { 'in memory': [], 'in the database': [register.replaceWith(inDatabase)] } }, [
  testOfRegister(
    'answers a second booking from {from} to {to} with {answer}',
    {
      cases: secondBookings,
    },
    async ({ row, check, ensure }, { register }) => {
      ensure.equal(await register.enter(gull), 'entered');
      check.equal(await register.enter({ ...gull, vessel: 'Tern', from: row.from, to: row.to }), row.answer);
      check.equal(await register.size(), row.answer === 'entered' ? 2 : 1);
    },
  ),

  testOfRegister('finds the vessel at a berth', async ({ check }, { register }) => {
    await register.enter(gull);
    check.equal(await register.at('N4', '2031-04-11'), 'Gull');
    check.equal(await register.at('N4', '2031-04-12'), undefined, 'on the day of departure');
    check.equal(await register.at('S1', '2031-04-11'), undefined, 'at another berth');
  }),

  testOfRegister('rejects bookings for past days', { overrides: [calendar.with({ today: '2031-04-11' })] }, async ({ check }, { register }) => {
    check.equal(await register.enter(gull), 'past');
  }),

  testOfRegister('lists bookings that overlap a period', async ({ check }, { register }) => {
    const tern = { berth: 'A1', vessel: 'Tern', from: '2031-04-12', to: '2031-04-15' };
    for (const booking of [gull, tern, { ...gull, vessel: 'Skua', from: '2031-04-14', to: '2031-04-16' }]) await register.enter(booking);
    check.equal(
      (await register.between('2031-04-11', '2031-04-14')).map(({ vessel, from, to }) => [vessel, from, to]),
      [
        ['Tern', tern.from, tern.to],
        ['Gull', gull.from, gull.to],
      ],
    );
    check.equal(await register.between('2031-04-16', '2031-04-30'), [], 'from a day of departure on');
  }),

  testOfRegister('begins empty', async ({ check }, { register }) => check.equal(await register.size(), 0)),
]);
