import { formatShortValue } from '../cases/values.ts';
import { type Node, NodeInterner, type OverrideLayer, type ResolvedNode, resolve, sortByNeeds } from '../fixtures/graph.ts';
import { ScopeInstance } from '../fixtures/scope-instance.ts';
import { findLocation, type SourceLocation } from '../problems/source-location.ts';
import { buildOverrideLayers } from '../suites/expand.ts';
import { collectNeeds } from '../suites/needs.ts';
import type { Group, PlannedCaseImpl } from '../suites/planned.ts';
import { assignScopes, type OpenScope } from './scopes.ts';

/** The owner of a change to a fixture, and its location. */
export interface ChangeOrigin {
  readonly owner: string;
  readonly at?: SourceLocation | undefined;
}

export interface ExplainedSetting {
  readonly name: string;
  readonly value: string;
  /** Absent for a default. */
  readonly from?: ChangeOrigin | undefined;
}

/** One fixture as one case sees it. */
export interface ExplainedFixture {
  readonly name: string;
  readonly scope: string;
  /** The id of the scope that owns the instance, and a description of who shares it. */
  readonly owner: string;
  readonly shareDescription: string;
  readonly definedAt?: SourceLocation | undefined;
  readonly needs: readonly string[];
  readonly settings: readonly ExplainedSetting[];
  readonly replaced?: (ChangeOrigin & { readonly by: string }) | undefined;
  /** Set up on first use: lazily, or by the fixture that wraps it. */
  readonly lazy: boolean;
}

/** How a case is set up. */
export interface Explanation {
  /** In the order of setup. Lazy fixtures are last. */
  readonly fixtures: readonly ExplainedFixture[];
}

/** Explains how `run` would set up a case. */
export function explainCase(planned: PlannedCaseImpl): Explanation {
  const { test, entry } = planned;
  const scopes = scopesAround(planned);
  const { overrides } = test.test.options;
  const own = typeof overrides === 'function' ? buildOverrideLayers(overrides(entry.row) ?? [], `a row of test "${test.test.title}"`, test.test) : [];
  const graph = resolve(collectNeeds(test), [...test.inherited.overrideLayers, ...own], new NodeInterner());
  const { depths } = assignScopes(graph, scopes);
  // The needs of run-scoped fixtures are set up with them, in whatever process that is.
  const order = sortByNeeds(graph.edges, true).sort((a, b) => (depths.get(a) as number) - (depths.get(b) as number));
  const lazyNodes = graph.resolvedNodes.map(({ node }) => node).filter((node, i, all) => !order.includes(node) && all.indexOf(node) === i);
  const listResolved = (node: Node): readonly ResolvedNode[] => graph.resolvedNodes.filter((resolved) => resolved.node === node);
  const explain = (node: Node): ExplainedFixture => {
    const depth = depths.get(node) as number;
    const scope = scopes[depth];
    const layers = listResolved(node).flatMap((resolved) => resolved.appliedLayers);
    return {
      name: graph.resolvedNodes.some((resolved) => resolved.node.original === node) ? `${node.name}, the original` : node.name,
      scope: node.scope,
      owner: scope?.scopeInstance.id ?? planned.id,
      shareDescription: scope ? `all cases of ${scope.title}` : 'no other case',
      definedAt: findLocation(node.definition.origin),
      needs: node.needs.map((edge) => `${edge.node.name}${edge.onDemand ? ' (lazy)' : ''}`),
      settings: explainSettings(node, layers),
      replaced: replacedBy(node, layers),
      lazy: !order.includes(node),
    };
  };
  return { fixtures: [...order, ...lazyNodes].map(explain) };
}

function scopesAround({ test }: PlannedCaseImpl): OpenScope[] {
  const groups: Group[] = [];
  for (let group: Group | undefined = test.parent; group; group = group.parent) groups.unshift(group);
  const open = (scope: ScopeInstance['scope'], id: string, title: string, group?: Group): OpenScope => ({
    scopeInstance: new ScopeInstance(scope, { id }, 0),
    title,
    group,
    pendingCases: new Set(),
  });
  return [
    open('run', 'run', 'the run'),
    open('lane', 'lane 0', 'the lane'),
    ...groups.map((group) => open(group.kind, group.id, `${group.kind} "${group.title}"`, group)),
    open('test', test.id, `test "${test.title.template}"`),
  ];
}

function explainSettings(node: Node, bound: readonly OverrideLayer[]): ExplainedSetting[] {
  const names = new Set([...Object.keys(node.definition.settings), ...Object.keys(node.settings)]);
  return [...names].map((name) => {
    const layer = bound.findLast(({ override }) => override.change.kind === 'set' && (name in override.change.settings || override.change.without === name));
    const value = name in node.settings ? formatShortValue((node.settings as Record<string, unknown>)[name]) : '(absent)';
    return { name, value, from: layer && { owner: layer.owner, at: findLocation(layer.override.origin) } };
  });
}

function replacedBy(node: Node, bound: readonly OverrideLayer[]): ExplainedFixture['replaced'] {
  const layer = bound.find(({ override }) => override.change.kind !== 'set');
  if (!layer) return undefined;
  const by =
    layer.override.change.kind === 'replace'
      ? `replaces fixture "${layer.override.fixture.name}"`
      : node.original
        ? 'replaced by a function'
        : 'replaced by another fixture';
  return { owner: layer.owner, at: findLocation(layer.override.origin), by };
}
