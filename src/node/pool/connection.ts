import { refuse } from '../../problems/problem-error.ts';
import type { PoolAddress } from './address.ts';

/** What a server answers. */
export type Reply = string | number | null | Buffer | readonly Reply[];

/** An entry of a stream. */
export interface StreamEntry {
  readonly id: string;
  readonly fields: Readonly<Record<string, string>>;
}

/** The part of a client that is used here. */
interface Client {
  readonly isReady: boolean;
  connect(): Promise<unknown>;
  sendCommand(args: readonly string[]): Promise<Reply>;
  on(event: 'error', listener: (error: Error) => void): unknown;
  destroy(): void;
}

const CONNECT_TIMEOUT_MS = 5000;
const RETRY_DELAY_MS = 100;
/** Milliseconds between attempts to connect again, at most. */
const MAX_RECONNECT_DELAY_MS = 500;

/** Replies of a server that cannot answer yet, or has no room for now. */
const isTemporary = (message: string): boolean => /^(?:OOM|LOADING|BUSY|TRYAGAIN|MASTERDOWN|CLUSTERDOWN|READONLY|NOREPLICAS|MISCONF)\b/.test(message);
/** A reply that will be the same the next time. */
const isRefusal = (message: string): boolean => /^[A-Z]{2,}\b/.test(message) && !isTemporary(message);

const wait = (milliseconds: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, milliseconds));

/** The client's package is loaded when a pool is asked for, and need not be there else. */
async function loadClient(): Promise<(options: object) => Client> {
  try {
    const { createClient } = await import('@redis/client');
    return createClient as unknown as (options: object) => Client;
  } catch {
    return refuse({ code: 'pool-client-missing' });
  }
}

/** A connection to the server of a pool. It connects again by itself; commands that get no answer are sent again. */
export class PoolConnection {
  readonly #client: Client;
  #isClosed = false;
  /** Why the last command got no answer, while it gets none. */
  trouble: string | undefined;

  private constructor(client: Client) {
    this.#client = client;
  }

  /** Connects; refuses with a problem if that fails. */
  static async open(address: PoolAddress): Promise<PoolConnection> {
    const createClient = await loadClient();
    let isConnected = false;
    const client = createClient({
      url: address.url,
      ...(address.username !== undefined && { username: address.username }),
      ...(address.password !== undefined && { password: address.password }),
      RESP: 2,
      // What was not sent is sent again here, in its order.
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
    } catch (error) {
      const reason = error instanceof AggregateError ? (error.errors[0] as Error).message : (error as Error).message;
      return refuse({ code: 'pool-unreachable', server: address.name, reason });
    }
    return new PoolConnection(client);
  }

  /** Sends a command once. Rejects if the server refuses it, or cannot be reached. */
  once(...args: readonly (string | number)[]): Promise<Reply> {
    return this.#client.sendCommand(args.map(String));
  }

  /** Sends a command until the server has answered. For commands that may be carried out twice. Resolves to null when this end is closed. */
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
        await wait(RETRY_DELAY_MS);
      }
    }
    return null;
  }

  /** Waits up to `block` milliseconds for entries of streams that follow the given ids. */
  async read(streams: ReadonlyMap<string, string>, block: number, count = 500): Promise<ReadonlyMap<string, readonly StreamEntry[]>> {
    return parseStreams(await this.send('XREAD', 'COUNT', count, 'BLOCK', block, 'STREAMS', ...streams.keys(), ...streams.values()));
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

export function parseStreams(reply: Reply): Map<string, readonly StreamEntry[]> {
  const found = new Map<string, readonly StreamEntry[]>();
  for (const stream of listOf(reply)) {
    const [name, entries] = listOf(stream);
    found.set(String(name), parseEntries(entries ?? null));
  }
  return found;
}

/** Entries that were deleted while they were pending have no fields. */
export const parseEntries = (reply: Reply): StreamEntry[] =>
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
