import { EventEmitter } from 'node:events';
import { appendFileSync, mkdirSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { PassThrough } from 'node:stream';
import { recordedIn } from '../lane/earlier-results.ts';
import type { Job, ToLane } from '../protocol.ts';
import type { FromMachine, ToMachine } from './messages.ts';

/** Milliseconds that the other machine has to end a killed process. */
const KILL_GRACE_MS = 2000;

/** A lane's process on another machine, with the interface of a child process. Writes its journal and attachments to the record. */
export class RemoteLane extends EventEmitter {
  connected = true;
  readonly pid = undefined;
  readonly stdout = null;
  readonly stderr = new PassThrough();
  /** The reason, if the process was given up. Its unfinished cases run in another lane. */
  lost: string | undefined;
  readonly #post: (message: ToMachine) => void;
  readonly #isSilent: () => boolean;
  #job: Job | undefined;

  /** `isSilent` returns whether the machine has not renewed its lease. */
  constructor(post: (message: ToMachine) => void, isSilent: () => boolean) {
    super();
    this.#post = post;
    this.#isSilent = isSilent;
  }

  /** Time limits do not apply while the machine cannot be reached. */
  get isUnreachable(): boolean {
    return this.#isSilent();
  }

  send(message: ToLane): boolean {
    if (message.type === 'job') {
      this.#job = message.job;
      this.#post({ kind: 'start', job: message.job, root: message.job.root });
    } else if (message.type === 'assignment' && message.assignment && message.assignment.after.length > 0) {
      // The other machine cannot read the journals.
      const { tests, after } = message.assignment;
      const recorded = [...recordedIn(after)].filter((key) => tests.includes(Number(key.split('/')[0])));
      this.#post({ kind: 'message', message: { ...message, assignment: { ...message.assignment, after: [], recorded } } });
    } else this.#post({ kind: 'message', message });
    return true;
  }

  /** Handles a message of the machine about this process. */
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

  /** Gives up the process. */
  lose(reason: string): void {
    this.lost ??= reason;
    this.stderr.end();
    this.#exit(null, null);
  }

  kill(): boolean {
    this.#post({ kind: 'kill' });
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
    // The last output is read first.
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
