import type { Definition } from '../fixtures/fixture.ts';
import type { Graph, OverrideLayer } from '../fixtures/graph.ts';
import { containsReferences } from '../fixtures/settings.ts';
import type { Problem } from '../problems/problem.ts';
import { findLocation } from '../problems/source-location.ts';
import type { Plan } from '../suites/planned.ts';

/** With fewer rows than this, an instance for each row can be intended. */
const MIN_ROWS_SEEN = 3;

/** The effect of an override on the cases that ran. Its number is the same in every lane of a run. */
export interface OverrideUse {
  readonly number: number;
  /** Absent if it had an effect. */
  readonly unusedReason?: Problem | undefined;
}

/** Tracks which overrides had an effect on the tests that ran. Overrides of folders apply to any test that needs them, and are not tracked. */
export class OverrideUsage {
  readonly #seen = new Set<OverrideLayer>();
  readonly #effective = new Set<OverrideLayer>();
  /** Overrides of fixtures that a case needed, or would have needed without another override. */
  readonly #visited = new Set<OverrideLayer>();
  /** One layer represents what all rows of a test override of one fixture. */
  readonly #ofRows = new Map<object, Map<Definition, OverrideLayer>>();
  /**
   * Fixtures with a scope longer than 'case' that rows set to values compared by identity: the number of rows, and of the resulting
   * instances.
   */
  readonly #unstableSettings = new Map<OverrideLayer, { rows: number; readonly nodes: Set<number> }>();

  /** Records a graph of cases that run, and the layers under which it was resolved. */
  note({ resolvedNodes, visitedDefinitions }: Graph, layers: readonly OverrideLayer[]): void {
    for (const layer of layers) {
      this.#seen.add(layer);
      if (visitedDefinitions.has(layer.override.fixture.definition)) this.#visited.add(layer);
    }
    for (const { appliedLayers } of resolvedNodes) for (const layer of appliedLayers) this.#effective.add(layer);
  }

  /** Records the graph of one row. `own` are the layers that `test` created for the row. */
  noteRow(graph: Graph, outer: readonly OverrideLayer[], own: readonly OverrideLayer[], test: object): void {
    this.note(graph, outer);
    const known = this.#ofRows.get(test) ?? new Map<Definition, OverrideLayer>();
    this.#ofRows.set(test, known);
    for (const layer of own) {
      const { definition } = layer.override.fixture;
      const first = known.get(definition) ?? layer;
      known.set(definition, first);
      this.#seen.add(first);
      if (graph.visitedDefinitions.has(definition)) this.#visited.add(first);
      if (this.#effective.delete(layer)) this.#effective.add(first);
      this.#noteUnstableSetting(graph, layer, first);
    }
  }

  #noteUnstableSetting({ resolvedNodes }: Graph, layer: OverrideLayer, first: OverrideLayer): void {
    const resolved = resolvedNodes.find(({ appliedLayers }) => appliedLayers.includes(layer));
    if (!resolved || resolved.node.scope === 'case' || !containsReferences(resolved.node.settings)) return;
    const seen = this.#unstableSettings.get(first) ?? { rows: 0, nodes: new Set<number>() };
    this.#unstableSettings.set(first, seen);
    seen.rows++;
    seen.nodes.add(resolved.node.id);
  }

  /** Fixtures with a scope longer than 'case' that were set up again for every row, since each row set them to a new function or object. */
  get unstableSettings(): Problem[] {
    return [...this.#unstableSettings].flatMap(([layer, { rows, nodes }]): Problem[] => {
      const { fixture, origin } = layer.override;
      if (rows < MIN_ROWS_SEEN || nodes.size < rows) return [];
      return [{ code: 'unstable-setting', fixture: fixture.name, scope: fixture.scope, owner: layer.owner, rows, at: findLocation(origin) }];
    });
  }

  /** Returns the overrides of a plan that were seen, numbered in the order of the plan. */
  uses(plan: Plan): OverrideUse[] {
    const numbers = new Map<object, number>();
    const uses: OverrideUse[] = [];
    for (const { inherited, test } of plan.tests) {
      for (const layer of [...inherited.overrideLayers, ...(this.#ofRows.get(test)?.values() ?? [])]) {
        if (numbers.has(layer) || layer.ownerKey === undefined) continue;
        numbers.set(layer, numbers.size);
        if (this.#seen.has(layer)) uses.push({ number: numbers.size - 1, unusedReason: this.#explainUnused(layer) });
      }
    }
    return uses;
  }

  #explainUnused(layer: OverrideLayer): Problem | undefined {
    if (this.#effective.has(layer)) return undefined;
    const { fixture, origin } = layer.override;
    return { code: 'unused-override', fixture: fixture.name, owner: layer.owner, hidden: this.#visited.has(layer), at: findLocation(origin) };
  }
}
