import { deserialize, serialize } from 'node:v8';
import type { TeardownContext } from '../../fixtures/fixture.ts';
import { SetupError } from '../../fixtures/scope-instance.ts';
import { describeThrown, isInstanceOf } from '../../problems/instance-of.ts';
import { ProblemError } from '../../problems/problem-error.ts';
import type { FixtureAddress } from '../../running/fixture-address.ts';
import type { RunFixtures } from '../../running/run-fixture-host.ts';
import type { SerializedValue, ToCoordinator } from '../protocol.ts';

/** Run-scoped fixtures in a separate process, accessed by messages. */
export class RemoteRunFixtures implements RunFixtures {
  readonly #send: (message: ToCoordinator) => void;
  readonly #waiting = new Map<number, (serialized: SerializedValue) => void>();
  #requests = 0;

  constructor(send: (message: ToCoordinator) => void) {
    this.#send = send;
  }

  async fetch(_node: unknown, address: FixtureAddress): Promise<unknown> {
    const request = this.#requests++;
    const serialized = await new Promise<SerializedValue>((resolve) => {
      this.#waiting.set(request, resolve);
      this.#send({ from: 'lane', type: 'fetch', request, address });
    });
    return deserializeValue(serialized);
  }

  /** Resolves a request. */
  take(request: number, serialized: SerializedValue): void {
    this.#waiting.get(request)?.(serialized);
    this.#waiting.delete(request);
  }

  /** Rejects pending requests, because the coordinator is gone. */
  lose(): void {
    for (const answer of this.#waiting.values()) answer(serializeError(new Error('the run was interrupted')));
    this.#waiting.clear();
  }

  used(address: FixtureAddress, users: TeardownContext): void {
    this.#send({ from: 'lane', type: 'used', address, users });
  }

  /** The coordinator ends that process when no lane needs it any more. */
  async close(): Promise<readonly never[]> {
    return [];
  }
}

/** Serializes a value for another process, by structured clone. */
export function serializeValue(name: string, value: unknown): SerializedValue {
  try {
    return { value: serialize(value).toString('base64') };
  } catch (error) {
    return serializeError(new ProblemError([{ code: 'not-serializable', fixture: name, reason: (error as Error).message }]));
  }
}

export function serializeError(error: unknown): SerializedValue {
  const inner = isInstanceOf(error, SetupError) ? findInnermost(error) : { reason: error, alreadyReported: false };
  const { reason } = inner;
  const described = isInstanceOf(reason, Error)
    ? { name: reason.name, message: reason.message, stack: reason.stack }
    : { name: undefined, message: describeThrown(reason), stack: undefined };
  return {
    error: { ...described, fixture: isInstanceOf(error, SetupError) ? findInnermost(error).node.name : undefined, isAlreadyReported: inner.alreadyReported },
  };
}

const findInnermost = (error: SetupError): SetupError => (isInstanceOf(error.reason, SetupError) ? findInnermost(error.reason) : error);

/** Deserializes a value from another process, or throws its error. */
function deserializeValue(serialized: SerializedValue): unknown {
  if (!('error' in serialized)) return deserialize(Buffer.from(serialized.value, 'base64'));
  const { name, message, stack, fixture, isAlreadyReported } = serialized.error;
  const reason = name === undefined ? message : Object.assign(new Error(message), { name, ...(stack !== undefined && { stack }) });
  throw fixture === undefined ? reason : new SetupError({ name: fixture }, reason, isAlreadyReported);
}
