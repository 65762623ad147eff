import type { ExpansionHost } from '../../cases/row.ts';
import type { TeardownContext } from '../../fixtures/fixture.ts';
import { type Graph, type Node, NodeInterner, type OverrideLayer, resolve } from '../../fixtures/graph.ts';
import { SharedFixtureHost } from '../../running/attempt.ts';
import { formatLogLine } from '../../running/case-attempt.ts';
import { DeadlineTimer } from '../../running/deadlines.ts';
import { buildThrowFailure } from '../../running/failures.ts';
import { type FixtureAddress, findAddressedNode } from '../../running/fixture-address.ts';
import { RunFixtureHost } from '../../running/run-fixture-host.ts';
import { buildOverrideLayers, expandCases } from '../../suites/expand.ts';
import { collectNeeds } from '../../suites/needs.ts';
import type { Plan, PlannedTest } from '../../suites/planned.ts';
import type { SerializedValue } from '../protocol.ts';
import { serializeError, serializeValue } from './remote-run-fixtures.ts';

/** A shared fixture whose teardown failed. */
export interface TeardownFailure {
  readonly fixture: string;
  readonly failure: ReturnType<typeof buildThrowFailure>;
}

/** The process that owns the run-scoped fixtures. It has planned the same files, and finds fixtures by their addresses in the plan. */
export class RunFixtureProcess {
  readonly #plan: Plan;
  readonly #expansionHost: ExpansionHost;
  readonly #host: RunFixtureHost;
  readonly #watch: DeadlineTimer;
  readonly #nodes = new NodeInterner();
  readonly #graphs = new Map<string, Promise<Graph>>();
  /** The uses that are being recorded. */
  readonly #uses: Promise<void>[] = [];

  constructor(plan: Plan, expansionHost: ExpansionHost, seed: number, hasNoTimeouts: boolean, output: (text: string) => void) {
    this.#plan = plan;
    this.#expansionHost = expansionHost;
    const log = (parts: readonly unknown[]): void => output(formatLogLine(parts));
    this.#watch = new DeadlineTimer({ hasNoTimeouts });
    const context = {
      seed,
      lane: 0,
      watch: this.#watch,
      bindContext: undefined,
      onSpan: undefined,
      reportProblem: () => undefined,
      warnOnce: () => undefined,
      logUnowned: log,
      phase: () => undefined,
      fetchRunFixture: () => Promise.reject(new Error('the process of the run fixtures has no run fixtures of its own')),
    };
    this.#host = new RunFixtureHost(new SharedFixtureHost({ log, attach: () => undefined }, context));
  }

  /** Interrupts running setups. `urgent`: without the grace period. */
  interrupt(urgent: boolean): void {
    this.#watch.interrupt(urgent);
  }

  async fetch(address: FixtureAddress): Promise<SerializedValue> {
    try {
      const node = await this.#node(address);
      return serializeValue(node.name, await this.#host.fetch(node));
    } catch (error) {
      return serializeError(error);
    }
  }

  used(address: FixtureAddress, users: TeardownContext): void {
    this.#uses.push(this.#node(address).then((node) => this.#host.recordUse(node, users)));
  }

  /** Tears down after all uses are recorded: messages of several uses and the end can arrive at once. */
  async close(): Promise<TeardownFailure[]> {
    await Promise.allSettled(this.#uses);
    return (await this.#host.close()).map(({ fixture, error }) => ({ fixture, failure: buildThrowFailure(error, 'teardown', { fixture }) }));
  }

  async #node(address: FixtureAddress): Promise<Node> {
    const { test, ordinal } = address;
    const planned = this.#plan.tests[test] as PlannedTest;
    const rows = typeof planned.test.options.overrides === 'function';
    const key = rows ? `${test}/${ordinal}` : `${test}`;
    let graph = this.#graphs.get(key);
    if (!graph) {
      graph = this.#resolve(planned, rows ? ordinal : undefined);
      this.#graphs.set(key, graph);
    }
    return findAddressedNode(address, await graph);
  }

  async #resolve(planned: PlannedTest, ordinal: number | undefined): Promise<Graph> {
    const levels = ordinal === undefined ? [] : await buildRowLayers(planned, ordinal, this.#expansionHost);
    return resolve(collectNeeds(planned), [...planned.inherited.overrideLayers, ...levels], this.#nodes);
  }
}

async function buildRowLayers(planned: PlannedTest, ordinal: number, expansionHost: ExpansionHost): Promise<OverrideLayer[]> {
  for await (const chunk of expandCases(planned, expansionHost)) {
    const found = chunk.find((one) => one.ordinal === ordinal);
    if (found)
      return buildOverrideLayers((planned.test.options.overrides as (row: object) => readonly unknown[])(found.entry.row) ?? [], 'a row', planned.test);
  }
  throw new Error(`row ${ordinal} of "${planned.test.title}" no longer exists`);
}
