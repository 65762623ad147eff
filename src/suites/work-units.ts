import type { Scope } from '../fixtures/fixture.ts';
import { NodeInterner, resolve } from '../fixtures/graph.ts';
import { collectNeeds } from './needs.ts';
import type { Group, Plan, PlannedTest } from './planned.ts';

/** Tests that one lane runs together: they may share what lives longer than a case. */
export interface WorkUnit {
  /** By their place in the plan. */
  readonly tests: readonly number[];
  /** Its one test shares nothing between its rows: lanes may take a share each. */
  readonly isPartitionable: boolean;
}

/**
 * Cuts a plan into what lanes can run apart, so that no instance of a fixture is needed in two of them.
 *
 * | a test of it uses | one piece |
 * | --- | --- |
 * | a fixture of scope file, or binds by row | the file |
 * | a fixture of scope suite | the outermost suite around it |
 * | a fixture of scope test | the test |
 * | nothing wider than a case, but for the lane's and the run's | any share of its rows |
 */
export function splitPlan(plan: Plan): WorkUnit[] {
  const nodes = new NodeInterner();
  const widest = (test: PlannedTest): ReadonlySet<Scope> => {
    if (typeof test.test.options.overrides === 'function') return new Set<Scope>(['file']);
    return new Set(resolve(collectNeeds(test), test.inherited.levels, nodes).resolvedNodes.map(({ node }) => node.scope));
  };
  const pieces: WorkUnit[] = [];
  for (const file of plan.files) {
    const tests = testsIn(file);
    const scopes = new Map(tests.map((test) => [test, widest(test)]));
    if (tests.some((test) => scopes.get(test)?.has('file'))) pieces.push({ tests: tests.map(({ index }) => index), isPartitionable: false });
    else {
      for (const child of file.children) {
        const within = child.kind === 'test' ? [child] : testsIn(child);
        if (child.kind === 'suite' && within.some((test) => scopes.get(test)?.has('suite')))
          pieces.push({ tests: within.map(({ index }) => index), isPartitionable: false });
        else
          for (const test of within)
            pieces.push({
              tests: [test.index],
              isPartitionable: test.source !== undefined && !scopes.get(test)?.has('test') && !scopes.get(test)?.has('suite'),
            });
      }
    }
  }
  return pieces.filter(({ tests }) => tests.length > 0);
}

const testsIn = (group: Group): PlannedTest[] => group.children.flatMap((child) => (child.kind === 'test' ? [child] : testsIn(child)));
