import type { PoolConnection } from './connection.ts';

/** Entries that are on their way at a time. */
const BATCH = 64;
const RETRY_DELAY_MS = 100;

/**
 * Sends numbered messages to a stream in order, each until the server has given a receipt for it. Messages can arrive twice, which their
 * numbers show. When the stream is gone, everything else is dropped, and `onGone` is called once.
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
  #emptied: (() => void)[] = [];

  /** `from`: the fields that all its messages have. */
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

  /** Messages without a receipt. */
  get length(): number {
    return this.#waiting.length;
  }

  /** Resolves when all is sent, or when nothing can be sent any more. */
  async drain(): Promise<void> {
    if (this.#waiting.length > 0 && !this.#isClosed) await new Promise<void>((resolve) => this.#emptied.push(resolve));
  }

  close(): void {
    this.#isClosed = true;
    this.#waiting.length = 0;
    for (const tell of this.#emptied.splice(0)) tell();
  }

  async #send(): Promise<void> {
    this.#isSending = true;
    while (this.#waiting.length > 0 && !this.#isClosed && !this.#connection.isClosed) {
      const batch = this.#waiting.slice(0, BATCH);
      const outcomes = await Promise.allSettled(batch.map((command) => this.#connection.once(...command)));
      if (outcomes.some((outcome) => outcome.status === 'fulfilled' && outcome.value === null)) {
        this.close();
        this.#onGone();
        break;
      }
      // What comes behind a message that failed is sent again after it.
      const failed = outcomes.findIndex(({ status }) => status === 'rejected');
      this.#waiting.splice(0, failed < 0 ? batch.length : failed);
      if (failed >= 0) await new Promise((resolve) => setTimeout(resolve, RETRY_DELAY_MS));
    }
    this.#isSending = false;
    if (this.#waiting.length === 0) for (const tell of this.#emptied.splice(0)) tell();
  }
}
