import { suite, table, testWith } from 'red-lattice';
import { answer, entries, expected, request } from './service-fixtures.ts';

const testOfAnswer = testWith({ answer, expected, entries });

/** What every answer must hold to. A good request is the base; each suite below states only how it differs. */
export const good = suite('a booking request', { tags: ['service'] }, [
  testOfAnswer('is answered with the right status', ({ check }, { answer, expected }) => check.equal(answer.status, expected.status)),
  testOfAnswer('is told which field is wrong, if one is', ({ check }, { answer, expected }) => check.equal(answer.body.field, expected.field)),
  testOfAnswer('is in the register if it was entered, and only then', ({ check }, { entries, expected }) => check.equal(entries, expected.entries)),
]);

export const stale = good.adapt('a booking request with a stale token', {
  bind: [request.set({ token: 'harbour-2029' }), expected.set({ status: 401, entries: 0 })],
});

export const nameless = good.adapt('a booking request without a vessel', {
  bind: [request.spoil('vessel'), expected.set({ status: 422, field: 'vessel', entries: 0 })],
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
  bind: (row) => [request.spoil(row.field, row.value), expected.set({ status: 422, field: row.field, entries: 0 })],
});
