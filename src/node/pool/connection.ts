import { setTimeout as sleep } from 'node:timers/promises';
import { ProblemError, throwProblem } from '../../problems/problem-error.ts';
import type { PoolAddress } from './address.ts';

/** A reply of a server. */
export type Reply = string | number | null | readonly Reply[];

/** An entry of a stream. */
export interface StreamEntry {
  readonly id: string;
  readonly fields: Readonly<Record<string, string>>;
}

/** The used part of the client's interface. */
interface Client {
  connect(): Promise<unknown>;
  sendCommand(args: readonly string[]): Promise<Reply>;
  on(event: 'error', listener: (error: Error) => void): unknown;
  destroy(): void;
}

/** Entries that are read at a time. */
const MAX_ENTRIES = 500;
const CONNECT_TIMEOUT_MS = 5000;
const RETRY_DELAY_MS = 100;
/** Milliseconds between attempts to connect again, at most. */
const MAX_RECONNECT_DELAY_MS = 500;

/** Whether an error reply is temporary: the server is loading, or its memory is full. */
const isTemporary = (message: string): boolean => /^(?:OOM|LOADING|BUSY|TRYAGAIN|MASTERDOWN|CLUSTERDOWN|READONLY|NOREPLICAS|MISCONF)\b/.test(message);
/** Whether an error reply would be the same for a second attempt. */
const isRefusal = (message: string): boolean => /^[A-Z]{2,}\b/.test(message) && !isTemporary(message);

/** Loads the client's package, an optional dependency that only pools need. */
async function loadClient(): Promise<(options: object) => Client> {
  try {
    const { createClient } = await import('@redis/client');
    return createClient as unknown as (options: object) => Client;
  } catch {
    return throwProblem({ code: 'pool-client-missing' });
  }
}

/** A connection to the server of a pool. It reconnects by itself. */
export class PoolConnection {
  readonly #client: Client;
  #isClosed = false;
  /** The error of the last attempt while a command is being retried. */
  trouble: string | undefined;

  private constructor(client: Client) {
    this.#client = client;
  }

  /** Connects and authenticates. Throws a `ProblemError` if that fails. */
  static async open(address: PoolAddress): Promise<PoolConnection> {
    const createClient = await loadClient();
    let isConnected = false;
    const client = createClient({
      url: address.url,
      ...(address.username !== undefined && { username: address.username }),
      ...(address.password !== undefined && { password: address.password }),
      RESP: 2,
      // Commands are retried here, so that their order is kept.
      disableOfflineQueue: true,
      socket: {
        connectTimeout: CONNECT_TIMEOUT_MS,
        reconnectStrategy: (attempts: number, cause: Error) => (isConnected ? Math.min(attempts * 50, MAX_RECONNECT_DELAY_MS) : cause),
      },
    });
    client.on('error', () => undefined);
    try {
      await client.connect();
      isConnected = true;
      // Without a password, only a command shows that one is needed.
      await client.sendCommand(['PING']);
    } catch (error) {
      if (isConnected) client.destroy();
      const reason = error instanceof AggregateError ? (error.errors[0] as Error).message : (error as Error).message;
      return throwProblem({ code: 'pool-unreachable', server: address.name, reason });
    }
    return new PoolConnection(client);
  }

  /** Sends a command once. Rejects if the server replies with an error or cannot be reached. */
  once(...args: readonly (string | number)[]): Promise<Reply> {
    return this.#client.sendCommand(args.map(String));
  }

  /** Sends a command until the server replies. Only for commands that can be executed twice. Resolves to null when the connection is closed. */
  async send(...args: readonly (string | number)[]): Promise<Reply> {
    while (!this.#isClosed) {
      try {
        const reply = await this.once(...args);
        this.trouble = undefined;
        return reply;
      } catch (error) {
        const { message } = error as Error;
        if (this.#isClosed) return null;
        if (isRefusal(message)) throw error;
        this.trouble = message;
        await sleep(RETRY_DELAY_MS);
      }
    }
    return null;
  }

  /** Reads the entries of a stream after an id. Waits up to `block` milliseconds for the first one. */
  async read(stream: string, after: string, block: number): Promise<readonly StreamEntry[]> {
    return parseStreams(await this.send('XREAD', 'COUNT', MAX_ENTRIES, 'BLOCK', block, 'STREAMS', stream, after)).get(stream) ?? [];
  }

  get isClosed(): boolean {
    return this.#isClosed;
  }

  close(): void {
    this.#isClosed = true;
    try {
      this.#client.destroy();
    } catch {
      // It is not connected.
    }
  }
}

/**
 * Opens connections, and calls `begin` with them for the first commands. If that fails, closes all of them and throws a `ProblemError`.
 */
export async function openConnections<Result>(
  address: PoolAddress,
  count: number,
  begin: (connections: readonly PoolConnection[]) => Promise<Result>,
): Promise<Result> {
  const connections: PoolConnection[] = [];
  try {
    for (let at = 0; at < count; at++) connections.push(await PoolConnection.open(address));
    return await begin(connections);
  } catch (error) {
    for (const connection of connections) connection.close();
    if (error instanceof ProblemError) throw error;
    return throwProblem({ code: 'pool-unreachable', server: address.name, reason: (error as Error).message });
  }
}

export function parseStreams(reply: Reply): Map<string, readonly StreamEntry[]> {
  const found = new Map<string, readonly StreamEntry[]>();
  for (const stream of listOf(reply)) {
    const [name, entries] = listOf(stream);
    found.set(String(name), parseEntries(entries ?? null));
  }
  return found;
}

/** Leaves out entries without fields: they were deleted while they were pending. */
const parseEntries = (reply: Reply): StreamEntry[] =>
  listOf(reply).flatMap((entry) => {
    const [id, fields] = listOf(entry);
    return fields === null || fields === undefined ? [] : [{ id: String(id), fields: parseFields(fields) }];
  });

export function parseFields(reply: Reply): Record<string, string> {
  const flat = listOf(reply);
  const fields: Record<string, string> = Object.create(null);
  for (let at = 0; at + 1 < flat.length; at += 2) fields[String(flat[at])] = String(flat[at + 1]);
  return fields;
}

export const listOf = (reply: Reply | undefined): readonly Reply[] => (Array.isArray(reply) ? reply : []);
