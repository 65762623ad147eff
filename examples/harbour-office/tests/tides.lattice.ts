import { cell, dataFile, suite, table, test } from 'red-lattice';
import { heightAt, heightBetween, passesSill, type Turn, windows } from '../src/tides.ts';

const predictions = dataFile('data/tides.jsonl', {
  columns: { from: cell.json, to: cell.json, asked: cell.date, height: cell.number, draught: cell.number, passes: cell.boolean },
}).derive(({ from, to }) => ({ from: turn(from), to: turn(to) }));

function turn(given: unknown): Turn {
  const { at, metres } = given as { at: string; metres: number };
  return { at: new Date(at), metres };
}

export const tides = suite('tides', { tags: ['tides'] }, [
  test('follow the rule of twelfths approximately', { cases: predictions }, ({ row, check }) => {
    // The rule of a sailor is precise to a few centimetres.
    check.closeTo(heightBetween(row.from, row.to, row.asked), row.height, 0.05);
  }),
  test('open the inner basin', { cases: predictions }, ({ row, check }) => {
    check.equal(passesSill(heightBetween(row.from, row.to, row.asked), row.draught), row.passes);
  }),

  test('a draught of {draught} m passes {passes}', {
    cases: table(
      ['draught', 'passes'],
      [
        [1.4, ['07:50 to 12:40', '20:15 to 22:35']],
        [0, ['05:10 to 15:35', '17:15 to 22:35']],
        [2.5, []],
      ],
    ),
  }, ({ row, check }) => {
    const turns = [
      { at: new Date('2031-05-03T04:00Z'), metres: 0.6 },
      { at: new Date('2031-05-03T10:10Z'), metres: 3 },
      { at: new Date('2031-05-03T16:20Z'), metres: 0.7 },
      { at: new Date('2031-05-03T22:35Z'), metres: 2.9 },
    ];
    const clock = (at: Date): string => at.toISOString().slice(11, 16);
    check.equal(
      windows(turns, row.draught).map(({ from, to }) => `${clock(from)} to ${clock(to)}`),
      row.passes,
    );
    for (const { from } of windows(turns, row.draught)) check.closeTo(heightAt(turns, from), row.draught + 0.8, 0.06, 'height when it opens');
  }),
]);
