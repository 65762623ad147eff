import type { Scope } from '../fixtures/fixture.ts';
import { NodeInterner, resolve } from '../fixtures/graph.ts';
import { collectNeeds } from './needs.ts';
import { listTests, type Plan, type PlannedTest } from './planned.ts';

/** Tests that one lane runs together, since they can share fixtures that live longer than a case. */
export interface WorkUnit {
  /** By their numbers in the plan. */
  readonly tests: readonly number[];
  /** Its only test shares nothing between its rows, so that each lane can take a partition. */
  readonly isPartitionable: boolean;
}

/**
 * Splits a plan into units that lanes can run independently, so that no instance of a fixture is needed in two lanes.
 *
 * | a test of it uses | one unit is |
 * | --- | --- |
 * | a fixture of scope file, or has overrides by row | the file |
 * | a fixture of scope suite | the outermost suite around it |
 * | a fixture of scope test | the test |
 * | only fixtures of scope case, lane and run | any partition of its rows |
 */
export function splitPlan(plan: Plan): WorkUnit[] {
  const nodes = new NodeInterner();
  const findWidest = (test: PlannedTest): ReadonlySet<Scope> => {
    if (typeof test.test.options.overrides === 'function') return new Set<Scope>(['file']);
    return new Set(resolve(collectNeeds(test), test.inherited.overrideLayers, nodes).resolvedNodes.map(({ node }) => node.scope));
  };
  const units: WorkUnit[] = [];
  for (const file of plan.files) {
    const tests = listTests(file);
    const scopes = new Map(tests.map((test) => [test, findWidest(test)]));
    if (tests.some((test) => scopes.get(test)?.has('file'))) units.push({ tests: tests.map(({ index }) => index), isPartitionable: false });
    else {
      for (const child of file.children) {
        const testsWithin = listTests(child);
        if (child.kind === 'suite' && testsWithin.some((test) => scopes.get(test)?.has('suite')))
          units.push({ tests: testsWithin.map(({ index }) => index), isPartitionable: false });
        else
          for (const test of testsWithin)
            units.push({
              tests: [test.index],
              isPartitionable: test.source !== undefined && !scopes.get(test)?.has('test') && !scopes.get(test)?.has('suite'),
            });
      }
    }
  }
  return units.filter(({ tests }) => tests.length > 0);
}
