import type { Surroundings } from '../../cases/row.ts';
import type { TeardownContext } from '../../fixtures/fixture.ts';
import { type Graph, type Level, type Node, Nodes, resolve } from '../../fixtures/graph.ts';
import { PlainHosting } from '../../running/attempt.ts';
import { textOf } from '../../running/case-run.ts';
import { failureOfThrow } from '../../running/failures.ts';
import { type Address, RunHost } from '../../running/run-host.ts';
import { limits, Watch } from '../../running/watch.ts';
import { casesOf, levelsOf } from '../../suites/expand.ts';
import { needsOf } from '../../suites/needs.ts';
import type { Plan, PlannedTest } from '../../suites/planned.ts';
import type { Parcel } from '../protocol.ts';
import { brokenParcel, parcelOf } from './run-fixtures.ts';

/** A shared fixture whose teardown failed. */
export interface Torn {
  readonly fixture: string;
  readonly failure: ReturnType<typeof failureOfThrow>;
}

/** The process in which the fixtures of the run live: it has planned the same files, and finds them by their place in the plan. */
export class FixtureHost {
  readonly #plan: Plan;
  readonly #surroundings: Surroundings;
  readonly #host: RunHost;
  readonly #watch = new Watch();
  readonly #nodes = new Nodes();
  readonly #graphs = new Map<string, Promise<Graph>>();

  constructor(plan: Plan, surroundings: Surroundings, seed: number, untimed: boolean, output: (text: string) => void) {
    this.#plan = plan;
    this.#surroundings = surroundings;
    const log = (parts: readonly unknown[]): void => output(textOf(parts));
    const around = {
      seed,
      lane: 0,
      watch: this.#watch,
      limit: limits(untimed),
      bindContext: undefined,
      span: undefined,
      told: () => undefined,
      loose: log,
      stuck: () => undefined,
      isStuck: () => false,
      phase: () => undefined,
      fromRun: () => Promise.reject(new Error('the process of the run fixtures has no run fixtures of its own')),
    };
    this.#host = new RunHost(new PlainHosting({ log, attach: () => undefined }, around));
  }

  /** Interrupts running setups. `urgent`: without the grace period. */
  interrupt(urgent: boolean): void {
    this.#watch.interrupt(urgent);
  }

  async fetch(address: Address): Promise<Parcel> {
    try {
      const node = await this.#node(address);
      return parcelOf(node.name, await this.#host.fetch(node));
    } catch (error) {
      return brokenParcel(error);
    }
  }

  async used(address: Address, users: TeardownContext): Promise<void> {
    this.#host.used(await this.#node(address), users);
  }

  async close(): Promise<Torn[]> {
    return (await this.#host.close()).map(({ fixture, error }) => ({ fixture, failure: failureOfThrow(error, 'teardown', { fixture }) }));
  }

  async #node({ test, ordinal, sight }: Address): Promise<Node> {
    const planned = this.#plan.tests[test] as PlannedTest;
    const rows = typeof planned.test.options.overrides === 'function';
    const key = rows ? `${test}/${ordinal}` : `${test}`;
    let graph = this.#graphs.get(key);
    if (!graph) {
      graph = this.#resolve(planned, rows ? ordinal : undefined);
      this.#graphs.set(key, graph);
    }
    return ((await graph).sights[sight] as Graph['sights'][number]).node;
  }

  async #resolve(planned: PlannedTest, ordinal: number | undefined): Promise<Graph> {
    const levels = ordinal === undefined ? [] : await levelsOfRow(planned, ordinal, this.#surroundings);
    return resolve(needsOf(planned), [...planned.inherited.levels, ...levels], this.#nodes);
  }
}

async function levelsOfRow(planned: PlannedTest, ordinal: number, surroundings: Surroundings): Promise<Level[]> {
  for await (const chunk of casesOf(planned, surroundings)) {
    const found = chunk.find((one) => one.ordinal === ordinal);
    if (found) return levelsOf((planned.test.options.overrides as (row: object) => readonly unknown[])(found.entry.row) ?? [], 'a row', planned.test);
  }
  throw new Error(`row ${ordinal} of "${planned.test.title}" no longer exists`);
}
