import type { Graph, Node } from '../fixtures/graph.ts';
import { throwProblem } from '../problems/problem-error.ts';

/**
 * Identifies a node of a plan for another process. Names of nodes are not unique, and settings need not be serializable. The address is
 * therefore a path: a test that needs the node, the row if rows of that test have overrides, and the position among the resolved nodes of
 * that test or row. Resolving is deterministic (dependencies first, in the order of declaration), so every process that has planned the
 * same files finds the same node. The name of the fixture is checked on arrival.
 */
export interface FixtureAddress {
  /** The number of the test in the plan. */
  readonly test: number;
  /** The number of the row in the test. */
  readonly ordinal: number;
  /** The index in `Graph.resolvedNodes`. */
  readonly position: number;
  /** The name of the fixture. */
  readonly fixture: string;
}

export const buildFixtureAddress = (node: Node, { resolvedNodes }: Graph, test: number, ordinal: number): FixtureAddress => ({
  test,
  ordinal,
  position: resolvedNodes.findIndex((resolved) => resolved.node === node),
  fixture: node.name,
});

/** Finds the node of an address in the graph of its test or row. Throws `plan-changed` if another fixture is there. */
export function findAddressedNode({ position, fixture }: FixtureAddress, { resolvedNodes }: Graph): Node {
  const node = resolvedNodes[position]?.node;
  return node?.name === fixture ? node : throwProblem({ code: 'plan-changed' });
}
