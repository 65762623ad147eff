import { cell, dataFile, suite, test } from 'red-lattice';
import { heightBetween, passesSill, type Turn } from '../src/tides.ts';

const predictions = dataFile('data/tides.jsonl', {
  columns: { from: cell.json, to: cell.json, asked: cell.date, height: cell.number, draught: cell.number, passes: cell.boolean },
}).derive(({ from, to }) => ({ from: turn(from), to: turn(to) }));

function turn(given: unknown): Turn {
  const { at, metres } = given as { at: string; metres: number };
  return { at: new Date(at), metres };
}

export const tides = suite('tides', { tags: ['tides'] }, [
  test('rise and fall nearly by the rule of twelfths', { cases: predictions }, ({ row, check }) => {
    // The rule is a sailor's: good to a few centimetres.
    check.close(heightBetween(row.from, row.to, row.asked), row.height, 0.05);
  }),
  test('open the inner basin', { cases: predictions }, ({ row, check }) => {
    check.equal(passesSill(heightBetween(row.from, row.to, row.asked), row.draught), row.passes);
  }),
]);
