import type { Scope } from '../fixtures/fixture.ts';
import type { Graph, Node, ResolvedNode } from '../fixtures/graph.ts';
import type { ScopeInstance, ScopeResolver } from '../fixtures/scope-instance.ts';
import type { Group } from '../suites/planned.ts';

/** An open scope, between the run and the current case. */
export interface OpenScope {
  readonly scopeInstance: ScopeInstance;
  /** The group, if the scope is a suite or a file. */
  readonly group: Group | undefined;
  /** For messages. */
  readonly title: string;
  /** The cases that are running in it. */
  readonly pendingCases: Set<Promise<void>>;
}

/** A test's graph, with the open scope that each node belongs to: longer scopes first. */
export interface PlacedGraph {
  readonly graph: Graph;
  /** In the order of setup. */
  readonly order: readonly Node[];
  /** The index of a node's scope among the open ones. Their number means the case itself. */
  readonly depths: ReadonlyMap<Node, number>;
  /** The locks of its fixtures. */
  readonly locks: readonly string[];
}

/**
 * Assigns each node of a graph to a scope.
 *
 * A fixture of scope 'suite' belongs to the innermost suite that lists it in `always`, or overrides it or one of its dependencies; else to
 * the test's own suite. The needs of a node live at least as long as the node.
 */
export function assignScopes(graph: Graph, scopes: readonly OpenScope[]): PlacedGraph {
  const depths = new Map<Node, number>();
  const indexOf = (scope: Scope): number =>
    Math.max(
      0,
      scopes.findIndex(({ scopeInstance }) => scopeInstance.scope === scope),
    );
  const suites = scopes.flatMap(({ group }, depth) => (group?.kind === 'suite' ? [{ group, depth }] : []));
  const ownSuite = suites.at(-1)?.depth ?? indexOf('file');
  const isAffectedBy = (group: Group, { node, appliedLayers, dependencies }: ResolvedNode): boolean =>
    group.ownedDefinitions.has(node.definition) ||
    appliedLayers.some(({ ownerKey }) => ownerKey !== undefined && ownerKey === group.ownerKey) ||
    dependencies.some((dependency) => isAffectedBy(group, dependency));
  const own = ({ node, ...rest }: ResolvedNode): number => {
    if (node.scope === 'case') return scopes.length;
    if (node.scope !== 'suite') return indexOf(node.scope);
    return suites.findLast(({ group }) => isAffectedBy(group, { node, ...rest }))?.depth ?? ownSuite;
  };
  const outward = (node: Node, depth: number): boolean => {
    if (depth >= (depths.get(node) ?? Number.POSITIVE_INFINITY)) return false;
    depths.set(node, depth);
    return true;
  };
  for (const resolved of graph.resolvedNodes) outward(resolved.node, own(resolved));
  // A node that is seen in several ways moves its dependencies with it, which can move others in turn.
  for (let moved = true; moved; ) {
    moved = false;
    for (const { node, dependencies } of graph.resolvedNodes.toReversed())
      for (const { node: needed } of dependencies) moved = outward(needed, depths.get(node) as number) || moved;
  }
  const order = [...graph.order].sort((a, b) => (depths.get(a) as number) - (depths.get(b) as number));
  return { graph, order, depths, locks: graph.resolvedNodes.flatMap(({ node }) => node.definition.locks) };
}

/** Returns a function from a node to its scope instance, for one case. */
export function buildScopeResolver({ depths }: PlacedGraph, scopes: readonly OpenScope[], own: ScopeInstance): ScopeResolver {
  return (node) => scopes[depths.get(node) as number]?.scopeInstance ?? own;
}
