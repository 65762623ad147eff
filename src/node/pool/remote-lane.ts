import { EventEmitter } from 'node:events';
import { appendFileSync, mkdirSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { PassThrough } from 'node:stream';
import { recordedIn } from '../lane/earlier-results.ts';
import type { Job, ToLane } from '../protocol.ts';
import type { FromMachine, ToMachine } from './messages.ts';

/** Milliseconds that a process elsewhere has to be gone after it was killed. */
const KILL_GRACE_MS = 2000;

/** A lane's process on another machine: to the coordinator it looks like one of its own. Its journal and attachments are written here. */
export class RemoteLane extends EventEmitter {
  connected = true;
  readonly pid = undefined;
  readonly stdout = null;
  readonly stderr = new PassThrough();
  /** Why it was given up, if it was: what it did since its last result counts for nobody. */
  lost: string | undefined;
  readonly #say: (message: ToMachine) => void;
  readonly #isSilent: () => boolean;
  #job: Job | undefined;

  /** `isSilent`: the machine gives no sign of life. */
  constructor(say: (message: ToMachine) => void, isSilent: () => boolean) {
    super();
    this.#say = say;
    this.#isSilent = isSilent;
  }

  /** While it cannot be reached, what it does is not judged by its time. */
  get isUnreachable(): boolean {
    return this.#isSilent();
  }

  send(message: ToLane): boolean {
    if (message.type === 'job') {
      this.#job = message.job;
      this.#say({ kind: 'start', job: message.job, root: message.job.root });
    } else if (message.type === 'piece' && message.piece && message.piece.after.length > 0) {
      // The journals are here.
      const { tests, after } = message.piece;
      const recorded = [...recordedIn(after)].filter((key) => tests.includes(Number(key.split('/')[0])));
      this.#say({ kind: 'message', message: { ...message, piece: { ...message.piece, after: [], recorded } } });
    } else this.#say({ kind: 'message', message });
    return true;
  }

  /** Takes in what the machine sends of this process. */
  take(message: FromMachine): void {
    switch (message.kind) {
      case 'journal':
        if (this.#job) appendFileSync(this.#job.journal, message.text);
        break;
      case 'attachment':
        this.#writeAttachment(message.file, message.content);
        break;
      case 'message':
        this.emit('message', message.message);
        break;
      case 'exit':
        this.stderr.end(message.output);
        this.#exit(message.code, message.signal);
        break;
      default:
        break;
    }
  }

  /** Gives the process up. */
  lose(reason: string): void {
    this.lost ??= reason;
    this.stderr.end();
    this.#exit(null, null);
  }

  kill(): boolean {
    this.#say({ kind: 'kill' });
    setTimeout(() => this.lose('its machine did not end it'), this.isUnreachable ? 0 : KILL_GRACE_MS).unref();
    return true;
  }

  disconnect(): void {
    this.connected = false;
  }
  ref(): void {}
  unref(): void {}

  #exit(code: number | null, signal: string | null): void {
    this.connected = false;
    // Its last output is read first.
    setImmediate(() => {
      this.emit('exit', code, signal);
      this.emit('close', code, signal);
    });
  }

  #writeAttachment(file: string, content: string): void {
    if (!this.#job || basename(file) !== file || !file.startsWith(`${basename(this.#job.journal, '.journal')}-`)) return;
    mkdirSync(this.#job.attachments, { recursive: true });
    writeFileSync(join(this.#job.attachments, file), Buffer.from(content, 'base64'));
  }
}
