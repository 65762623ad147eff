import type { ChildProcess } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, isAbsolute, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { JournalReader } from '../../results/journal/reader.ts';
import type { CompileService } from '../compile-service.ts';
import { killOnParentExit } from '../kill-on-parent-exit.ts';
import { answerCompiling, killGroup } from '../lane-process.ts';
import { LineReader } from '../line-reader.ts';
import { collectOutput, onProcessEnd } from '../process-end.ts';
import { isToCoordinator, isToLane, type Job } from '../protocol.ts';
import { findProjectFile, hashFile } from '../read-files.ts';
import type { FromMachine, ToMachine } from './messages.ts';
import type { Outbox } from './outbox.ts';
import { createRootReplacer } from './replace-root.ts';
import { Sequence } from './sequence.ts';
import { settlesWithin } from './settles-within.ts';

const FLUSH_INTERVAL_MS = 20;
/** Messages that the server has not confirmed, above which a journal waits. */
const MAX_UNCONFIRMED = 64;
/** Milliseconds for the teardowns of a process when the machine takes its lane back. */
const LEAVE_GRACE_MS = 5000;
const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

export interface MachineLaneInput {
  readonly root: string;
  readonly cache: string;
  readonly compiler: CompileService;
  readonly outbox: Outbox;
  startLane(): ChildProcess;
  /** Called if files differ from those of the run. */
  onRefused(files: readonly string[]): void;
  /** Called when the machine can lend the lane again. */
  onFree(): void;
}

/** A lane of this machine that it lends to a run: forwards messages in both directions, and sends the journal and attachments. */
export class MachineLane {
  readonly #input: MachineLaneInput;
  readonly #messages = new Sequence();
  /** Files whose hashes have been sent. */
  readonly #hashed = new Set<string>();
  readonly #folder = mkdtempSync(join(tmpdir(), 'red-lattice-lane-'));
  #child: ChildProcess | undefined;
  #lines: LineReader | undefined;
  #reader = new JournalReader();
  #toMachine = createRootReplacer('', '');
  #toRun = createRootReplacer('', '');
  #flushing: NodeJS.Timeout | undefined;
  #isFree = false;
  /** Sends no more messages: the run does not use them. */
  #isLeaving = false;
  #leaving: Promise<void> | undefined;

  constructor(input: MachineLaneInput, machine: string, name: string) {
    this.#input = input;
    this.#post({ kind: 'claimed', machine, name });
  }

  get isFree(): boolean {
    return this.#isFree;
  }

  /** Handles a numbered message of the run. */
  take(number: number, message: ToMachine): void {
    if (this.#isFree || this.#messages.take(number) !== 'next') return;
    switch (message.kind) {
      case 'start':
        this.#start(message.job as Job, message.root);
        break;
      case 'message': {
        const toLane = this.#toMachine.value(message.message);
        if (isToLane(toLane) && this.#child?.connected) this.#child.send(toLane, () => undefined);
        break;
      }
      case 'kill':
        if (this.#child) killGroup(this.#child);
        break;
      case 'refuse':
        this.#input.onRefused(message.files);
        this.markReady();
        break;
      case 'release':
        this.markReady();
        break;
      default:
        break;
    }
  }

  /** Kills the process, and returns the lane to the machine. */
  markReady(): void {
    if (this.#isFree) return;
    this.#isFree = true;
    clearInterval(this.#flushing);
    this.#lines?.close();
    if (this.#child && this.#child.exitCode === null) killGroup(this.#child);
    this.#input.outbox.close();
    rmSync(this.#folder, { recursive: true, force: true });
    this.#input.onFree();
  }

  /** Takes the lane back from the run: interrupts running cases, and waits for teardowns. */
  leave(): Promise<void> {
    this.#leaving ??= this.#isFree ? Promise.resolve() : this.#leave();
    return this.#leaving;
  }

  async #leave(): Promise<void> {
    this.#post({ kind: 'leaving' });
    this.#isLeaving = true;
    clearInterval(this.#flushing);
    const child = this.#child;
    if (child?.connected && child.exitCode === null) {
      const ended = new Promise<void>((resolve) => {
        child.once('exit', () => resolve());
        // Its process exits a second later.
        child.on('message', (message) => isToCoordinator(message) && message.type === 'done' && resolve());
      });
      child.send({ to: 'lane', type: 'interrupt', urgent: true }, () => undefined);
      await settlesWithin(ended, LEAVE_GRACE_MS);
    }
    await settlesWithin(this.#input.outbox.drain(), LEAVE_GRACE_MS);
    this.markReady();
  }

  #post(message: FromMachine): void {
    if (!this.#isLeaving) this.#input.outbox.put(message);
  }

  #start(given: Job, root: string): void {
    this.#toMachine = createRootReplacer(root, this.#input.root);
    this.#toRun = createRootReplacer(this.#input.root, root);
    const job: Job = {
      ...this.#toMachine.value(given),
      journal: join(this.#folder, basename(given.journal)),
      attachments: join(this.#folder, 'attachments'),
      cache: this.#input.cache,
    };
    if (job.mode !== 'run' || job.files.some((file) => !isInside(file, this.#input.root))) {
      this.#post({ kind: 'exit', code: 1, signal: null, output: 'the job has files outside of the project' });
      return;
    }
    mkdirSync(job.attachments, { recursive: true });
    this.#lines?.close();
    this.#lines = new LineReader(job.journal);
    this.#reader = new JournalReader();
    const child = this.#input.startLane();
    this.#child = child;
    const readOutput = collectOutput(child);
    child.on('message', (message) => this.#handleMessage(message, child));
    onProcessEnd(child, (code, signal) => {
      if (this.#child !== child || this.#isFree) return;
      this.#flush(true);
      this.#child = undefined;
      this.#post({ kind: 'exit', code, signal, output: readOutput() });
    });
    child.send({ to: 'lane', type: 'job', job }, () => undefined);
    killOnParentExit(child);
    clearInterval(this.#flushing);
    this.#flushing = setInterval(() => this.#flush(), FLUSH_INTERVAL_MS);
  }

  #handleMessage(message: unknown, child: ChildProcess): void {
    if (!isToCoordinator(message) || this.#child !== child || this.#isFree) return;
    if (message.type === 'compile') {
      answerCompiling(message, this.#input.compiler, (answer) => void (child.connected && child.send(answer, () => undefined)));
      return;
    }
    // Journal entries precede the messages about them.
    this.#flush(true);
    this.#post({ kind: 'message', message: this.#toRun.value(message) });
  }

  /** Sends the new lines of the journal. Without `all`, waits while too many messages are not confirmed. */
  #flush(all = false): void {
    if (!this.#lines || (!all && this.#input.outbox.length > MAX_UNCONFIRMED)) return;
    for (const lines of this.#lines.chunks()) {
      this.#sendLines(lines);
      if (!all && this.#input.outbox.length > MAX_UNCONFIRMED) return;
    }
  }

  #sendLines(lines: Uint8Array): void {
    const files: Record<string, string> = {};
    const attachments: string[] = [];
    for (const entries of this.#reader.readAll(lines, { inBlocks: true, types: ['loaded', 'expected-file', 'ended'] })) {
      for (const entry of entries) {
        if (entry.type === 'loaded') for (const url of entry.reads) this.#addHash(url, files);
        else if (entry.type === 'expected-file') this.#addHash(entry.file, files);
        else if (entry.type === 'test') this.#addHash(entry.header.data ?? '', files);
        else if (entry.type === 'ended') for (const { file } of entry.result.attachments) attachments.push(file);
      }
    }
    if (Object.keys(files).length > 0) this.#post({ kind: 'reads', files });
    // A lane writes an attachment before the result that names it.
    for (const file of attachments) this.#sendAttachment(basename(file));
    this.#post({ kind: 'journal', text: this.#toRun.text(decoder.decode(lines)) });
  }

  #sendAttachment(file: string): void {
    const path = join(this.#folder, 'attachments', file);
    if (existsSync(path)) this.#post({ kind: 'attachment', file, content: readFileSync(path).toString('base64') });
  }

  #addHash(url: string, files: Record<string, string>): void {
    const file = findProjectFile(url, this.#input.root);
    if (file === undefined || this.#hashed.has(file)) return;
    this.#hashed.add(file);
    files[file] = hashFile(fileURLToPath(url)) ?? '';
  }
}

/** Whether a path is below the root. */
const isInside = (path: string, root: string): boolean => {
  const inner = relative(root, path);
  return isAbsolute(path) && inner !== '' && !inner.startsWith('..') && !isAbsolute(inner);
};
