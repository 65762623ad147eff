import { setTimeout as sleep } from 'node:timers/promises';
import type { PoolConnection } from './connection.ts';

/** Messages that are sent before the first receipt arrives. */
const MAX_BATCH = 64;
const RETRY_DELAY_MS = 100;

/**
 * Sends numbered messages to a stream in order. Repeats each message until the server confirms it, so that a message can arrive twice.
 * If the stream no longer exists, drops the remaining messages and calls `onGone` once.
 */
export class Outbox {
  readonly #connection: PoolConnection;
  readonly #stream: string;
  readonly #from: Readonly<Record<string, string>>;
  readonly #onGone: () => void;
  readonly #waiting: (readonly string[])[] = [];
  #number = 0;
  #isSending = false;
  #isClosed = false;
  /** Functions that resolve the promises of `drain`. */
  readonly #drained: (() => void)[] = [];

  /** `from`: the fields that all messages share. */
  constructor(connection: PoolConnection, stream: string, from: Readonly<Record<string, string>>, onGone: () => void) {
    this.#connection = connection;
    this.#stream = stream;
    this.#from = from;
    this.#onGone = onGone;
  }

  put(message: object): void {
    if (this.#isClosed) return;
    const fields = { ...this.#from, n: String(++this.#number), message: JSON.stringify(message) };
    this.#waiting.push(['XADD', this.#stream, 'NOMKSTREAM', '*', ...Object.entries(fields).flat()]);
    if (!this.#isSending) void this.#send();
  }

  /** The number of messages that the server has not confirmed. */
  get length(): number {
    return this.#waiting.length;
  }

  /** Resolves when all messages are confirmed, or when the outbox is closed. */
  async drain(): Promise<void> {
    if (this.#waiting.length > 0 && !this.#isClosed) await new Promise<void>((resolve) => this.#drained.push(resolve));
  }

  close(): void {
    this.#isClosed = true;
    this.#waiting.length = 0;
    this.#resolveDrained();
  }

  async #send(): Promise<void> {
    this.#isSending = true;
    while (this.#waiting.length > 0 && !this.#isClosed && !this.#connection.isClosed) {
      const batch = this.#waiting.slice(0, MAX_BATCH);
      const outcomes = await Promise.allSettled(batch.map((command) => this.#connection.once(...command)));
      if (outcomes.some((outcome) => outcome.status === 'fulfilled' && outcome.value === null)) {
        this.close();
        this.#onGone();
        break;
      }
      // Messages after a failed one are repeated, too: the order is kept.
      const failed = outcomes.findIndex(({ status }) => status === 'rejected');
      this.#waiting.splice(0, failed < 0 ? batch.length : failed);
      if (failed >= 0) await sleep(RETRY_DELAY_MS);
    }
    this.#isSending = false;
    if (this.#waiting.length === 0) this.#resolveDrained();
  }

  #resolveDrained(): void {
    for (const resolve of this.#drained.splice(0)) resolve();
  }
}
