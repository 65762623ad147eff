import type { TeardownContext } from '../fixtures/fixture.ts';
import { type Node, sortByNeeds } from '../fixtures/graph.ts';
import type { FixtureRuntime, TearDownError } from '../fixtures/instance.ts';
import { ScopeInstance, type ScopeResolver } from '../fixtures/scope-instance.ts';
import { refuse } from '../problems/problem-error.ts';
import type { FixtureAddress } from './fixture-address.ts';

/** The fixtures of scope 'run', wherever they live: one for all lanes. */
export interface RunFixtures {
  /** A node's value as it travels, set up once in the run. Rejects with what its setup threw. */
  fetch(node: Node, address: FixtureAddress): Promise<unknown>;
  /** Says who used a node in this lane, before the run's end. */
  used(address: FixtureAddress, users: TeardownContext): void;
  /** Tears everything down. A separate process does this on a message of the coordinator instead. */
  close(): Promise<readonly TearDownError[]>;
}

/** Sets up fixtures of scope 'run' in this process, and gives out their values packed. */
export class RunFixtureHost {
  readonly #holder = new ScopeInstance('run', { id: 'run' }, 0);
  readonly #holderOf: ScopeResolver = () => this.#holder;
  readonly #hosting: FixtureRuntime;

  constructor(hosting: FixtureRuntime) {
    this.#hosting = hosting;
  }

  async fetch(node: Node): Promise<unknown> {
    for (const each of sortByNeeds([{ key: node.name, node, onDemand: false }], true)) await this.#holder.acquire(each, this.#holderOf, this.#hosting);
    const value = this.#holder.value(node);
    const { transfer } = node.definition;
    return transfer ? transfer.serialize(value) : value;
  }

  used(node: Node, { failed, cases }: TeardownContext): void {
    const by = cases.map((id) => ({ id }));
    for (const each of sortByNeeds([{ key: node.name, node, onDemand: false }], true)) this.#holder.recordUse(each, by, failed);
  }

  async close(): Promise<readonly TearDownError[]> {
    return this.#holder.close(this.#hosting);
  }
}

/** The run's fixtures in the same process: their values travel all the same, so that nothing changes with a process of their own. */
export class LocalRunFixtures implements RunFixtures {
  readonly #host: RunFixtureHost;
  readonly #nodes = new Map<string, Node>();

  constructor(hosting: FixtureRuntime) {
    this.#host = new RunFixtureHost(hosting);
  }

  async fetch(node: Node, address: FixtureAddress): Promise<unknown> {
    this.#nodes.set(JSON.stringify(address), node);
    return cloned(node.name, await this.#host.fetch(node));
  }

  used(address: FixtureAddress, users: TeardownContext): void {
    const node = this.#nodes.get(JSON.stringify(address));
    if (node) this.#host.used(node, users);
  }

  close(): Promise<readonly TearDownError[]> {
    return this.#host.close();
  }
}

function cloned(name: string, packed: unknown): unknown {
  try {
    return structuredClone(packed);
  } catch (error) {
    return refuse({ code: 'not-serializable', fixture: name, reason: (error as Error).message });
  }
}
