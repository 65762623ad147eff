// The cost of fixtures per case: ten of scope 'case', three deep, relative to the same functions called in try/finally; and ten of a longer
// scope that are set up already, relative to none. Both sides run as cases of the library, so that only fixtures differ.
import { fixture, range, runSuites, test } from 'red-lattice';
import { reportFigure } from './measure.mjs';

const cases = 20_000;
const rounds = 7;

/** Ten functions that set something up, each with its teardown, in three layers that each need the one below. */
const layers = [4, 4, 2];
const make = (layer, i) => ({ up: (beneath) => ({ layer, i, beneath }), down: (value) => void (value.ended = true) });
const parts = layers.map((count, layer) => Array.from({ length: count }, (_, i) => make(layer, i)));

const fixturesOf = (scope) => {
  let beneath = {};
  const all = {};
  parts.forEach((layer, depth) => {
    const made = Object.fromEntries(
      layer.map(({ up, down }, i) => [
        `f${depth}${i}`,
        fixture(`f${depth}${i}`, { scope, needs: beneath, setup: (_moment, needs) => up(Object.values(needs)), teardown: down }),
      ]),
    );
    Object.assign(all, made);
    beneath = made;
  });
  return all;
};

function byHand(body) {
  const undo = [];
  try {
    let beneath = [];
    const all = [];
    for (const layer of parts) {
      const values = layer.map(({ up, down }) => {
        const value = up(beneath);
        undo.push(() => down(value));
        return value;
      });
      all.push(...values);
      beneath = values;
    }
    body(all);
  } finally {
    for (let act = undo.pop(); act; act = undo.pop()) act();
  }
}

/** In microseconds per case. */
async function measure(made) {
  const begun = performance.now();
  const { ok } = await runSuites([made], { seed: 1 });
  if (!ok) throw new Error('a case failed');
  return ((performance.now() - begun) * 1000) / cases;
}

const rows = range('n', 1, cases);
const sides = {
  none: () => test('none', { cases: rows }, ({ check }) => void check.holds(true)),
  byHand: () => test('by hand', { cases: rows }, ({ check }) => byHand((all) => void check.equal(all.length, 10))),
  fixtures: () => test('fixtures', { cases: rows, needs: fixturesOf('case') }, ({ check }, needs) => void check.equal(Object.keys(needs).length, 10)),
  wide: () => test('wide', { cases: rows, needs: fixturesOf('file') }, ({ check }) => void check.holds(true)),
};
const times = Object.fromEntries(Object.keys(sides).map((name) => [name, []]));
for (let round = 0; round < rounds; round++) for (const [name, side] of Object.entries(sides)) times[name].push(await measure(side()));
const median = (name) => times[name].sort((a, b) => a - b)[rounds >> 1];

console.log(`${'a case without fixtures'.padEnd(66)} ${median('none').toFixed(2).padStart(8)} µs`);
console.log(`${'the same with ten functions called by hand'.padEnd(66)} ${median('byHand').toFixed(2).padStart(8)} µs`);
for (const [what, cost, limit] of [
  ['ten fixtures of scope case, three deep, more than by hand', median('fixtures') - median('byHand'), 25],
  ['a fixture of a wider scope that is set up already', (median('wide') - median('none')) / 10, 2],
])
  reportFigure(what, cost.toFixed(2), 'µs', `at most ${limit} µs`, cost > limit);
