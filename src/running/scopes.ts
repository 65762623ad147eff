import type { Scope } from '../fixtures/fixture.ts';
import type { Graph, Node, ResolvedNode } from '../fixtures/graph.ts';
import type { ScopeInstance, ScopeResolver } from '../fixtures/scope-instance.ts';
import type { Group } from '../suites/planned.ts';

/** A scope on the way from the run to the case at hand. */
export interface OpenScope {
  readonly holder: ScopeInstance;
  /** The suite or file that it is, if it is one. */
  readonly group: Group | undefined;
  /** For messages. */
  readonly title: string;
  /** What is under way within it. */
  readonly pendingCases: Set<Promise<void>>;
}

/** A test's graph with the place of each node among the scopes that are open around it: wider scopes first. */
export interface PlacedGraph {
  readonly graph: Graph;
  /** In the order of setup. */
  readonly order: readonly Node[];
  /** The index of a node's scope among the open ones; their number stands for the case itself. */
  readonly depths: ReadonlyMap<Node, number>;
  /** What its fixtures want for themselves. */
  readonly locks: readonly string[];
}

/**
 * Where each node of a graph belongs.
 *
 * A fixture of scope 'suite' belongs to the innermost suite that lists it in `always`, or binds it or anything beneath it;
 * else to the test's own suite. What a node needs lives at least as long as the node.
 */
export function assignScopes(graph: Graph, scopes: readonly OpenScope[]): PlacedGraph {
  const depths = new Map<Node, number>();
  const indexOf = (scope: Scope): number =>
    Math.max(
      0,
      scopes.findIndex(({ holder }) => holder.scope === scope),
    );
  const suites = scopes.flatMap(({ group }, depth) => (group?.kind === 'suite' ? [{ group, depth }] : []));
  const ownSuite = suites.at(-1)?.depth ?? indexOf('file');
  const isAffectedBy = (group: Group, { node, appliedLayers, dependencies }: ResolvedNode): boolean =>
    group.ownedDefinitions.has(node.definition) ||
    appliedLayers.some(({ ownerKey }) => ownerKey !== undefined && ownerKey === group.by) ||
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
  // A node that is seen in several ways takes what is beneath it along; that moves others in turn.
  for (let moved = true; moved; ) {
    moved = false;
    for (const { node, dependencies } of graph.resolvedNodes.toReversed())
      for (const { node: needed } of dependencies) moved = outward(needed, depths.get(node) as number) || moved;
  }
  const order = [...graph.order].sort((a, b) => (depths.get(a) as number) - (depths.get(b) as number));
  return { graph, order, depths, locks: graph.resolvedNodes.flatMap(({ node }) => node.definition.locks) };
}

/** The holder of each node, for one case. */
export function buildScopeResolver({ depths }: PlacedGraph, scopes: readonly OpenScope[], own: ScopeInstance): ScopeResolver {
  return (node) => scopes[depths.get(node) as number]?.holder ?? own;
}
