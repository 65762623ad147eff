import type { TeardownContext } from '../fixtures/fixture.ts';
import { type Node, sortByNeeds } from '../fixtures/graph.ts';
import type { FixtureRuntime, TearDownError } from '../fixtures/instance.ts';
import { ScopeInstance, type ScopeResolver } from '../fixtures/scope-instance.ts';
import { throwProblem } from '../problems/problem-error.ts';
import type { FixtureAddress } from './fixture-address.ts';

/** The fixtures of scope 'run', in whatever process they are: one for all lanes. */
export interface RunFixtures {
  /** Fetches the serialized value of a node, which is set up once per run. Rejects with the error of the setup. */
  fetch(node: Node, address: FixtureAddress): Promise<unknown>;
  /** Reports who used a node in this lane, before the run ends. */
  used(address: FixtureAddress, users: TeardownContext): void;
  /** Tears everything down. A separate process does this when the coordinator requests it. */
  close(): Promise<readonly TearDownError[]>;
}

/** Sets up run-scoped fixtures in this process, and serializes their values. */
export class RunFixtureHost {
  readonly #scopeInstance = new ScopeInstance('run', { id: 'run' }, 0);
  readonly #findScope: ScopeResolver = () => this.#scopeInstance;
  readonly #runtime: FixtureRuntime;

  constructor(runtime: FixtureRuntime) {
    this.#runtime = runtime;
  }

  async fetch(node: Node): Promise<unknown> {
    for (const each of sortByNeeds([{ key: node.name, node, onDemand: false }], true)) await this.#scopeInstance.acquire(each, this.#findScope, this.#runtime);
    const value = this.#scopeInstance.value(node);
    const { transfer } = node.definition;
    return transfer ? transfer.serialize(value) : value;
  }

  recordUse(node: Node, { failed, cases }: TeardownContext): void {
    const by = cases.map((id) => ({ id }));
    for (const each of sortByNeeds([{ key: node.name, node, onDemand: false }], true)) this.#scopeInstance.recordUse(each, by, failed);
  }

  async close(): Promise<readonly TearDownError[]> {
    return this.#scopeInstance.close(this.#runtime);
  }
}

/** Run-scoped fixtures in the same process. Their values are serialized all the same, so that a separate process makes no difference. */
export class LocalRunFixtures implements RunFixtures {
  readonly #host: RunFixtureHost;
  readonly #nodes = new Map<string, Node>();

  constructor(runtime: FixtureRuntime) {
    this.#host = new RunFixtureHost(runtime);
  }

  async fetch(node: Node, address: FixtureAddress): Promise<unknown> {
    this.#nodes.set(JSON.stringify(address), node);
    return cloned(node.name, await this.#host.fetch(node));
  }

  used(address: FixtureAddress, users: TeardownContext): void {
    const node = this.#nodes.get(JSON.stringify(address));
    if (node) this.#host.recordUse(node, users);
  }

  close(): Promise<readonly TearDownError[]> {
    return this.#host.close();
  }
}

function cloned(name: string, packed: unknown): unknown {
  try {
    return structuredClone(packed);
  } catch (error) {
    return throwProblem({ code: 'not-serializable', fixture: name, reason: (error as Error).message });
  }
}
