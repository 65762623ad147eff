import { suite, table, testWith } from 'red-lattice';
import { answer, entries, expected, request, service, transaction } from './service-fixtures.ts';

const testOfAnswer = testWith({ answer, expected, entries });

/** The properties of every answer. A valid request is the base; each suite below states only how it differs. */
export const good = suite('a booking request', { tags: ['service'] }, [
  testOfAnswer('is answered with the right status', ({ check }, { answer, expected }) => check.equal(answer.status, expected.status)),
  testOfAnswer('names the invalid field, if any', ({ check }, { answer, expected }) => check.equal(answer.body.field, expected.field)),
  testOfAnswer('is in the register only if it was accepted', ({ check }, { entries, expected }) => check.equal(entries, expected.entries)),
]);

export const stale = good.adapt('a booking request with a stale token', {
  overrides: [request.with({ token: 'harbour-2029' }), expected.with({ status: 401, entries: 0 })],
});

export const nameless = good.adapt('a booking request without a vessel', {
  overrides: [request.withInvalid('vessel'), expected.with({ status: 422, field: 'vessel', entries: 0 })],
});

export const wrong = good.adapt('a booking request whose {field} is {value}', {
  cases: table(
    ['field', 'value'],
    [
      ['berth', ''],
      ['berth', 4],
      ['vessel', null],
      ['vessel', 'a name that is longer than any harbour master would ever care to write'],
      ['from', 'tomorrow'],
      ['from', '2031-13-01'],
      ['to', ['2031-04-12']],
    ],
  ),
  overrides: (row) => [request.withInvalid(row.field, row.value), expected.with({ status: 422, field: row.field, entries: 0 })],
});

export const listing = suite('the bookings of a period', { tags: ['service'] }, [
  testWith({ answer, service })('contain the accepted bookings', async ({ check }, { service }) => {
    const response = await fetch(`${service.url}/bookings?from=2031-04-01&to=2031-05-01`);
    check.equal([response.status, await response.json()], [200, [{ berth: 'N4', vessel: 'Gull', from: '2031-04-10', to: '2031-04-12' }]]);
  }),

  testWith({ transaction, service })(
    'requested by {asked}: {status}',
    {
      cases: table(
        ['asked', 'method', 'status'],
        [
          ['/bookings?from=2031-04-01', 'GET', 422],
          ['/bookings?from=april&to=2031-05-01', 'GET', 422],
          ['/bookings', 'DELETE', 405],
          ['/vessels', 'GET', 404],
        ],
      ),
    },
    async ({ row, check }, { service }) => check.equal((await fetch(`${service.url}${row.asked}`, { method: row.method })).status, row.status),
  ),
]);
