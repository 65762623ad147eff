import { namedRows, test } from 'red-lattice';
import { buildProbeRow, type Probe } from '../../src/suites/probes.ts';

type Row = Readonly<Record<string, unknown>>;

const first: Row = { hull: 'mono', stay: { nights: 2, guest: { name: 'Ada' } }, from: new Date('2031-04-10'), parts: ['power', 'crane', 'water'], 'a.b': 1 };
const second: Row = { hull: 'cat', stay: { nights: 5 }, note: 'late', parts: 'none', 'a.b': 2 };
const third: Row = { hull: 'tri', stay: 7 };
const rows = [first, second, third];

export const probed = test('a row to try has {what}', {
  cases: namedRows<{ what: string; probe: Probe; row: Row }>({
    column: { what: 'columns of other rows', probe: { base: 0, take: { hull: 1, note: 1 } }, row: { ...first, hull: 'cat', note: 'late' } },
    nested: {
      what: 'values inside of columns',
      probe: { base: 0, take: { 'stay.nights': 1 } },
      row: { ...first, stay: { nights: 5, guest: { name: 'Ada' } } },
    },
    deep: {
      what: 'values inside of columns that it lacks',
      probe: { base: 1, take: { 'stay.guest.name': 0 } },
      row: { ...second, stay: { nights: 5, guest: { name: 'Ada' } } },
    },
    plain: { what: 'an object instead of a plain value', probe: { base: 2, take: { 'stay.nights': 1 } }, row: { hull: 'tri', stay: { nights: 5 } } },
    missing: {
      what: 'no value where the other row has none',
      probe: { base: 1, take: { note: 0 } },
      row: { hull: 'cat', stay: { nights: 5 }, parts: 'none', 'a.b': 2 },
    },
    'missing inside': { what: 'no value inside of a column', probe: { base: 0, take: { 'stay.guest': 1 } }, row: { ...first, stay: { nights: 2 } } },
    'nothing to miss': { what: 'its plain value if the other row has nothing inside', probe: { base: 2, take: { 'stay.guest': 1 } }, row: third },
    dotted: { what: 'a column with a dot in its name', probe: { base: 0, take: { 'a.b': 1 } }, row: { ...first, 'a.b': 2 } },
    date: {
      what: 'a date that no row has, as a text where the row has a text',
      probe: { base: 0, take: {}, set: { from: { kind: 'date', value: '2031-05-01' }, hull: { kind: 'date', value: '2031-05-02' } } },
      row: { ...first, from: new Date('2031-05-01'), hull: '2031-05-02' },
    },
    text: {
      what: 'a text that no row has',
      probe: { base: 1, take: {}, set: { note: { kind: 'plain', value: 'la' }, hull: { kind: 'plain', value: 0 } } },
      row: { ...second, note: 'la', hull: 0 },
    },
    list: {
      what: 'some elements of its list',
      probe: { base: 0, take: { hull: 2 }, set: { parts: { kind: 'elements', indices: [2, 0] } } },
      row: { ...first, hull: 'tri', parts: ['water', 'power'] },
    },
  }),
}, ({ row: { probe, row }, check }) => {
  const before = structuredClone(rows);
  check.equal(
    buildProbeRow(probe, (ordinal) => rows[ordinal] as Row),
    row,
  );
  check.equal(rows, before, 'the rows are unchanged');
});
