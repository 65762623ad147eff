import { cell, dataFile, fixture, matrix, namedRows, suite, table, test, values } from 'red-lattice';

const draft = process.env['OFFICE'] === 'draft';
let looks = 0;
const wait = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms));

const tides = fixture('tides', { scope: 'run', setup: () => wait(20), teardown: () => wait(5) });
const ledger = fixture('ledger', {
  scope: 'suite',
  needs: { tides },
  settings: { year: 2031 },
  setup: () => wait(3),
  teardown: () => {
    if (draft) throw new Error('the ledger is stuck');
  },
});
const desk = fixture('desk', { scope: 'case', needs: { ledger }, setup: () => wait(2), teardown: () => wait(1) });
const crane = fixture('crane', {
  setup: () => {
    if (draft) throw new Error('no power');
  },
});

const spare = fixture('spare', { setup: () => ({}) });

export const all = suite('the office', { tags: ['office'] }, [
  test('holds', { needs: { desk } }, ({ check }) => check.equal(1, 1)),
  test('differs', { needs: { desk }, tags: ['bill'] }, ({ check, step, log, attach }) => {
    log('written \u001b[31mred');
    attach('a note.txt', 'text');
    attach('dot.png', Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNkM', 'base64'));
    step('the berth', ({ step }) =>
      step('its bill', ({ check }) =>
        check.equal(
          { a: 1, b: [1, 2], note: 'paid at noon' },
          { a: 1, b: draft ? [1, 3] : [1, 2], note: draft ? 'paid at night' : 'paid at noon' },
          'the bill',
        ),
      ),
    );
    check.equal(1, 1);
  }),
  test('writes much', ({ log, check }) => {
    for (let i = 1; i <= 30; i++) log(`line ${i} of the log`);
    check.holds(!draft, 'too much');
  }),
  test('throws', () => {
    if (draft) throw new AggregateError([new Error('one', { cause: new TypeError('two') }), 'three'], 'several');
  }),
  test('throws no error', () => {
    if (draft) throw { berth: 4, guests: ['Ada', 'Ben'] };
  }),
  test('is late', { timeout: 30 }, async () => {
    await wait(draft ? 10_000 : 1);
  }),
  test('needs a crane', { needs: { crane } }, ({ check }) => check.equal(1, 1)),
  test('also needs a crane', { needs: { crane } }, ({ check }) => check.equal(1, 1)),
  test('has a spare crane', { needs: { crane }, overrides: [crane.replaceWith(spare)] }, ({ check, attach }) => {
    attach('plan.txt', 'N4');
    check.holds(!draft, 'by hand');
  }),
  test('overrides in vain', { overrides: [desk.replaceWith(spare)] }, ({ check }) => check.equal(1, 1)),
  test('is flaky', { retries: 2 }, ({ check }) => check.equal(draft && looks++ === 0 ? 'fog' : 'clear', 'clear')),
  test('is skipped', { skip: 'no tide table yet' }, () => {}),
  test('is known', { knownFailure: 'the meter runs fast' }, ({ check }) => check.equal(1, 2)),
  test('was known', { knownFailure: 'the clock is slow' }, ({ check }) => check.equal(draft ? 1 : 2, 1)),
  test('is held', { onRequest: 'takes a day' }, () => {}),
  test('checks nothing', () => {}),
  test('compares a text', ({ check }) =>
    check.equal(`dues\n${draft ? '12' : '13'} nights\nat N4\nin summer\n${'- '.repeat(40)}\n`, `dues\n13 nights\nat N4\nin summer\n${'- '.repeat(40)}\n`)),
  test('</script> # `a` | \\ @all =1+1', { cases: namedRows({ '=1+1 "quoted"': { x: '<b>' }, 'a, b': { x: 'two\nlines' } }) }, ({ row, check }) =>
    check.equal(row.x as string, draft ? '' : row.x),
  ),
  test(
    '{nights} nights of {guest}',
    { cases: dataFile('stays.csv', { columns: { nights: cell.integer, guest: cell.text, due: cell.number } }) },
    ({ row, check }) => void check.columns({ due: draft ? row.nights * 3 : row.due }),
  ),
]);
export const quays = suite('quay {quay}', { cases: namedRows({ north: { quay: 'N' }, south: { quay: 'S' } }) }, [
  test('has room', ({ check }) => check.equal(1, 1)),
  test('has {n} berths', { cases: values('n', [1, 2, 3]) }, ({ row, check }) => check.holds(!draft || row.n < 3)),
]);
export const moored = test(
  '{hull} of {loa} m in {season}',
  {
    cases: matrix({ loa: [6, 9, 12, 15], hull: ['mono', 'cat', 'tri'], season: ['summer', 'winter'], power: [true, false] }),
  },
  ({ row, check }) => check.equal(draft && row.hull === 'cat' && row.season === 'winter' ? 'no' : 'yes', 'yes'),
);
export const paired = test(
  '{hull} for {stay.nights} nights',
  {
    cases: table(
      ['hull', 'loa', 'stay'],
      [
        ['mono', 8, { nights: 2 }],
        ['cat', 12, { nights: 9 }],
        ['tri', 15, { nights: 1 }],
        ['tri', 9, { nights: 3 }],
        ['cat', 9, { nights: 4 }],
      ],
    ),
  },
  ({ row, check }) => check.holds(!draft || row.loa !== 15),
);
export const only = draft ? test('is only in the draft', ({ check }) => check.equal(1, 1)) : test('is not in the draft', ({ check }) => check.equal(1, 1));
