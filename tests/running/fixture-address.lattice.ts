import { table, test } from 'red-lattice';
import { fixture } from '../../src/fixtures/fixture.ts';
import { NodeInterner, resolve } from '../../src/fixtures/graph.ts';
import { buildFixtureAddress, findAddressedNode } from '../../src/running/fixture-address.ts';

const tide = fixture('tide', { scope: 'run', settings: { hour: 6 }, setup: () => 1 });
const office = fixture('office', { scope: 'run', needs: { tide }, setup: () => 2 });
const needs = { office, tide };

/** The same needs, resolved as in another process. */
const graphOf = (hour: number) => resolve(needs, [{ owner: 'a test', override: tide.with({ hour }) as never }], new NodeInterner());

export const addresses = test('the address of fixture {name} leads to it in another process', { cases: table(['name'], [['tide'], ['office']]) }, ({
  row,
  check,
}) => {
  const [here, there] = [graphOf(9), graphOf(9)];
  const node = here.order.find(({ name }) => name === row.name);
  const address = buildFixtureAddress(node as never, here, 3, 1);
  const found = findAddressedNode(address, there);
  check.equal(found.name, row.name);
  check.same(found.definition, node?.definition);
  check.equal(found.settings, node?.settings as object);
  check.equal([address.test, address.ordinal, address.fixture], [3, 1, row.name]);
});

export const strangers = test('an address of another plan is an error', ({ check }) => {
  const graph = graphOf(9);
  const changed = /planned different tests/;
  check.throws(() => findAddressedNode({ test: 0, ordinal: 0, position: 0, fixture: 'harbour' }, graph), changed);
  check.throws(() => findAddressedNode({ test: 0, ordinal: 0, position: 9, fixture: 'tide' }, graph), changed);
});
