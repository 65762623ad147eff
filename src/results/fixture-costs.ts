import type { Span } from '../fixtures/instance.ts';

/** The total times of the setups and teardowns of one shared fixture, in milliseconds. */
export interface FixtureCost {
  readonly name: string;
  readonly scope: Span['scope'];
  setups: number;
  setup: number;
  teardown: number;
}

/** The costs of shared fixtures, summed from their spans. Setups of single cases are part of their cases. */
export class FixtureCosts {
  readonly #costs = new Map<string, FixtureCost>();

  take({ fixture, scope, kind, milliseconds }: Span): void {
    if (scope === 'case') return;
    const key = `${scope} ${fixture}`;
    let cost = this.#costs.get(key);
    if (!cost) this.#costs.set(key, (cost = { name: fixture, scope, setups: 0, setup: 0, teardown: 0 }));
    if (scope === 'run') {
      // It is set up once, while every lane waits for it.
      cost.setups = 1;
      cost[kind] = Math.max(cost[kind], milliseconds);
    } else {
      if (kind === 'setup') cost.setups++;
      cost[kind] += milliseconds;
    }
  }

  /** All costs, the highest first. */
  get all(): FixtureCost[] {
    return [...this.#costs.values()].sort((a, b) => b.setup + b.teardown - a.setup - a.teardown);
  }
}
