import { matrix, suite, test } from 'red-lattice';
import { type Berth, berths, fits } from '../src/berths.ts';
import type { Hull } from '../src/tariff.ts';

/** The longest vessel that the harbour master sends to a berth, by hull. Written down, not computed. */
const longest: Readonly<Record<string, Readonly<Record<Hull, number>>>> = {
  'north pier': { mono: 12, cat: 9, tri: 6 },
  'south quay': { mono: 18, cat: 18, tri: 12 },
  visitor: { mono: 9, cat: 9, tri: 9 },
};
/** The deepest draught at each berth, at low and at high water. */
const deepest: Readonly<Record<string, Readonly<Record<'low' | 'high', number>>>> = {
  'north pier': { low: 1.4, high: 2.1 },
  'south quay': { low: 0.8, high: 2.1 },
  visitor: { low: 2.1, high: 2.1 },
};

const arrivals = matrix(
  { loa: [6, 9, 12, 18], hull: ['mono', 'cat', 'tri'], draught: [0.8, 1.4, 2.1], berth: ['north pier', 'south quay', 'visitor'], water: ['low', 'high'] },
  {
    strength: 3,
    // Small trimarans, and short vessels with a deep keel, are not built.
    exclude: (never) => [{ hull: 'tri', loa: 6 }, never(['loa', 'draught'], ({ loa, draught }) => draught > loa / 6)],
    include: [{ loa: 18, hull: 'cat', berth: 'south quay', water: 'low' }],
  },
);

export const lying = suite('berths for a vessel', { tags: ['berths'] }, [
  test('a {hull} of {loa} m with {draught} m at the {berth}, {water} water: {answer}', {
    cases: arrivals.derive((row) => {
      const goes = row.loa <= (longest[row.berth]?.[row.hull] ?? 0) && row.draught <= (deepest[row.berth]?.[row.water] ?? 0);
      return { answer: goes ? 'may lie' : 'may not lie' };
    }),
  }, ({ row, check, ensure }) => {
    const berth = ensure.present(berths.find(({ name }) => name === row.berth)) as Berth;
    check.equal(fits(row, berth, row.water === 'high' ? 1.5 : 0) ? 'may lie' : 'may not lie', row.answer);
  }),
]);
