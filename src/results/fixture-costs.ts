import type { Span } from '../fixtures/instance.ts';

/** What the setups and teardowns of one shared fixture took, in milliseconds. */
export interface FixtureCost {
  readonly name: string;
  readonly scope: Span['scope'];
  setups: number;
  setup: number;
  teardown: number;
}

/** What shared fixtures cost, counted as their spans come by; those of single cases are part of their cases. */
export class FixtureCosts {
  readonly #costs = new Map<string, FixtureCost>();

  take({ fixture: name, scope, kind: what, milliseconds }: Span): void {
    if (scope === 'case') return;
    const key = `${scope} ${name}`;
    let cost = this.#costs.get(key);
    if (!cost) this.#costs.set(key, (cost = { name, scope, setups: 0, setup: 0, teardown: 0 }));
    if (scope === 'run') {
      // Set up once, and waited for by every lane at the same time.
      cost.setups = 1;
      cost[what] = Math.max(cost[what], milliseconds);
    } else {
      if (what === 'setup') cost.setups++;
      cost[what] += milliseconds;
    }
  }

  /** The dearest first. */
  get all(): FixtureCost[] {
    return [...this.#costs.values()].sort((a, b) => b.setup + b.teardown - a.setup - a.teardown);
  }
}
