import type { Definition } from '../fixtures/fixture.ts';
import type { Graph, OverrideLayer } from '../fixtures/graph.ts';
import { containsReferences } from '../fixtures/settings.ts';
import type { Problem } from '../problems/problem.ts';
import { findLocation } from '../problems/source-location.ts';
import type { Plan } from '../suites/planned.ts';

/** Fewer rows than this may well each want an instance of their own. */
const MIN_ROWS_SEEN = 3;

/** What became of a binding in the cases that ran: its number is the same in every lane of a run. */
export interface BindingUse {
  readonly number: number;
  /** Absent where it had an effect. */
  readonly unusedReason?: Problem | undefined;
}

/** Tracks which overrides had an effect on the tests that ran. Those of folders are for any test that needs them, and are left out. */
export class OverrideUsage {
  readonly #seen = new Set<OverrideLayer>();
  readonly #effective = new Set<OverrideLayer>();
  /** Those of fixtures that some case needed, or would have but for another binding. */
  readonly #met = new Set<OverrideLayer>();
  /** One level stands for what all rows of a test bind of one fixture. */
  readonly #ofRows = new Map<object, Map<Definition, OverrideLayer>>();
  /** Wide fixtures that rows set to something compared by identity: how many rows, and how many instances that makes. */
  readonly #unstableSettings = new Map<OverrideLayer, { rows: number; readonly nodes: Set<number> }>();

  /** A graph that cases run with, and the levels that it was resolved under. */
  note({ resolvedNodes: sights, visitedDefinitions: met }: Graph, levels: readonly OverrideLayer[]): void {
    for (const level of levels) {
      this.#seen.add(level);
      if (met.has(level.binding.fixture.definition)) this.#met.add(level);
    }
    for (const { appliedLayers: bound } of sights) for (const level of bound) this.#effective.add(level);
  }

  /** The same for one row, whose own levels were made for it by `test`. */
  noteRow(graph: Graph, outer: readonly OverrideLayer[], own: readonly OverrideLayer[], test: object): void {
    this.note(graph, outer);
    const known = this.#ofRows.get(test) ?? new Map<Definition, OverrideLayer>();
    this.#ofRows.set(test, known);
    for (const level of own) {
      const { definition } = level.binding.fixture;
      const first = known.get(definition) ?? level;
      known.set(definition, first);
      this.#seen.add(first);
      if (graph.visitedDefinitions.has(definition)) this.#met.add(first);
      if (this.#effective.delete(level)) this.#effective.add(first);
      this.#noteFresh(graph, level, first);
    }
  }

  #noteFresh({ resolvedNodes: sights }: Graph, level: OverrideLayer, first: OverrideLayer): void {
    const resolved = sights.find(({ appliedLayers: bound }) => bound.includes(level));
    if (!resolved || resolved.node.scope === 'case' || !containsReferences(resolved.node.settings)) return;
    const seen = this.#unstableSettings.get(first) ?? { rows: 0, nodes: new Set<number>() };
    this.#unstableSettings.set(first, seen);
    seen.rows++;
    seen.nodes.add(resolved.node.id);
  }

  /** Wide fixtures that were set up anew for every row, since each set it to a function or an object of its own. */
  get unstableSettings(): Problem[] {
    return [...this.#unstableSettings].flatMap(([level, { rows, nodes }]): Problem[] => {
      const { fixture, origin } = level.binding;
      if (rows < MIN_ROWS_SEEN || nodes.size < rows) return [];
      return [{ code: 'unstable-setting', fixture: fixture.name, scope: fixture.scope, owner: level.owner, rows, at: findLocation(origin) }];
    });
  }

  /** Every binding of a plan that was seen, numbered in the order of the plan. */
  uses(plan: Plan): BindingUse[] {
    const numbers = new Map<object, number>();
    const uses: BindingUse[] = [];
    for (const { inherited, test } of plan.tests) {
      for (const level of [...inherited.levels, ...(this.#ofRows.get(test)?.values() ?? [])]) {
        if (numbers.has(level) || level.ownerKey === undefined) continue;
        numbers.set(level, numbers.size);
        if (this.#seen.has(level)) uses.push({ number: numbers.size - 1, unusedReason: this.#unusedReason(level) });
      }
    }
    return uses;
  }

  #unusedReason(level: OverrideLayer): Problem | undefined {
    if (this.#effective.has(level)) return undefined;
    const { fixture, origin } = level.binding;
    return { code: 'unused-override', fixture: fixture.name, owner: level.owner, hidden: this.#met.has(level), at: findLocation(origin) };
  }
}
