import { table, test } from 'red-lattice';
import { fixture } from '../../src/fixtures/fixture.ts';
import { NodeInterner, resolve } from '../../src/fixtures/graph.ts';
import * as library from '../../src/index.ts';
import { RunFixtureProcess } from '../../src/node/lane/run-fixture-process.ts';
import { buildFixtureAddress, findAddressedNode } from '../../src/running/fixture-address.ts';
import { BUILT_IN_DEFAULTS, planFiles } from '../../src/suites/plan.ts';

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

export const users = test('a use that is reported together with the end of the run reaches the teardown', async ({ check }) => {
  const seen: unknown[] = [];
  const quay = fixture('quay', { scope: 'run', setup: () => 1, teardown: (_value, _needs, { failed, cases }) => void seen.push([failed, [...cases]]) });
  const moors = library.test('moors', { needs: { quay } }, () => {});
  const plan = await planFiles([{ file: 'a.lattice.ts', url: new URL('file:///a.lattice.ts'), exports: { moors }, folders: [] }], {}, BUILT_IN_DEFAULTS);
  const host = new RunFixtureProcess(plan, {}, 1, false, () => undefined);
  const address = { test: 0, ordinal: 0, position: 0, fixture: 'quay' };
  await host.fetch(address);
  host.used(address, { failed: true, cases: ['a#1'] });
  host.used(address, { failed: false, cases: ['a#2'] });
  check.equal(await host.close(), []);
  check.equal(seen, [[true, ['a#1', 'a#2']]]);
});
