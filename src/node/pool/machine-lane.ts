import type { ChildProcess } from 'node:child_process';
import { closeSync, existsSync, mkdirSync, mkdtempSync, openSync, readFileSync, readSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, isAbsolute, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { JournalReader } from '../../results/journal/reader.ts';
import type { CompileService } from '../compile-service.ts';
import { debugLog } from '../debug-log.ts';
import { killOnParentExit } from '../kill-on-parent-exit.ts';
import { answerCompiling, killGroup } from '../lane-process.ts';
import { isToCoordinator, isToLane, type Job } from '../protocol.ts';
import { hashFile, recordedPath } from '../read-files.ts';
import type { FromMachine, ToMachine } from './messages.ts';
import type { Outbox } from './outbox.ts';
import { rootReplacer } from './replace-root.ts';
import { Sequence } from './sequence.ts';
import { within } from './within.ts';

const LOOK_INTERVAL_MS = 20;
/** Bytes of a journal that are sent at a time. */
const MAX_CHUNK_BYTES = 256 * 1024;
/** Messages without a receipt from the server, above which a journal waits. */
const MAX_UNSENT = 64;
const MAX_OUTPUT = 4000;
/** Milliseconds in which the last output of an ended process arrives. */
const OUTPUT_GRACE_MS = 200;
/** Milliseconds that a process has for its teardowns when its lane is taken back. */
const LEAVE_GRACE_MS = 5000;
const LINE_FEED = 10;

export interface MachineLaneInput {
  readonly root: string;
  readonly cache: string;
  readonly compiler: CompileService;
  readonly outbox: Outbox;
  startLane(): ChildProcess;
  /** Files that keep this machine out of the run. */
  onRefused(files: readonly string[]): void;
  /** The lane is free again. */
  onFree(): void;
}

/** A lane of this machine that a run elsewhere has: passes on what both sides say, and sends the journal and the attachments. */
export class MachineLane {
  readonly #input: MachineLaneInput;
  readonly #messages = new Sequence();
  readonly #hashed = new Map<string, string>();
  readonly #folder = mkdtempSync(join(tmpdir(), 'red-lattice-lane-'));
  #child: ChildProcess | undefined;
  #journal: string | undefined;
  #position = 0;
  #reader = new JournalReader();
  #toHere: (json: string) => string = (json) => json;
  #toThere: (json: string) => string = (json) => json;
  #look: NodeJS.Timeout | undefined;
  #isFree = false;
  /** What happens from here on counts for nobody. */
  #isLeaving = false;
  #leaving: Promise<void> | undefined;

  constructor(input: MachineLaneInput, machine: string, name: string) {
    this.#input = input;
    this.#say({ kind: 'claimed', machine, name });
  }

  get isFree(): boolean {
    return this.#isFree;
  }

  /** Takes a numbered message of the run. */
  take(number: number, message: ToMachine): void {
    if (this.#isFree || this.#messages.take(number) !== 'next') return;
    switch (message.kind) {
      case 'start':
        this.#start(message.job as Job, message.root);
        break;
      case 'message': {
        const here: unknown = JSON.parse(this.#toHere(JSON.stringify(message.message)));
        if (isToLane(here) && this.#child?.connected) this.#child.send(here, () => undefined);
        break;
      }
      case 'kill':
        if (this.#child) killGroup(this.#child);
        break;
      case 'refuse':
        this.#input.onRefused(message.files);
        this.free();
        break;
      case 'release':
        this.free();
        break;
      default:
        break;
    }
  }

  /** Ends what runs, and gives the lane back to the machine. */
  free(): void {
    if (this.#isFree) return;
    this.#isFree = true;
    clearInterval(this.#look);
    if (this.#child && this.#child.exitCode === null) killGroup(this.#child);
    this.#input.outbox.close();
    rmSync(this.#folder, { recursive: true, force: true });
    this.#input.onFree();
  }

  /** Takes the lane back: the run goes on elsewhere, or is over, and what runs here is torn down. */
  leave(): Promise<void> {
    this.#leaving ??= this.#isFree ? Promise.resolve() : this.#leave();
    return this.#leaving;
  }

  async #leave(): Promise<void> {
    this.#say({ kind: 'leaving' });
    this.#isLeaving = true;
    clearInterval(this.#look);
    const child = this.#child;
    if (child?.connected && child.exitCode === null) {
      const ended = new Promise<void>((resolve) => {
        child.once('exit', () => resolve());
        // It lives on for a moment.
        child.on('message', (message) => isToCoordinator(message) && message.type === 'done' && resolve());
      });
      child.send({ to: 'lane', type: 'interrupt', urgent: true }, () => undefined);
      await within(ended, LEAVE_GRACE_MS);
    }
    await within(this.#input.outbox.drain(), LEAVE_GRACE_MS);
    this.free();
  }

  #say(message: FromMachine): void {
    if (!this.#isLeaving) this.#input.outbox.put(message);
  }

  #start(given: Job, root: string): void {
    this.#toHere = rootReplacer(root, this.#input.root);
    this.#toThere = rootReplacer(this.#input.root, root);
    const job: Job = {
      ...(JSON.parse(this.#toHere(JSON.stringify(given))) as Job),
      journal: join(this.#folder, basename(given.journal)),
      attachments: join(this.#folder, 'attachments'),
      cache: this.#input.cache,
    };
    if (job.mode !== 'run' || job.files.some((file) => !isInside(file, this.#input.root))) {
      this.#say({ kind: 'exit', code: 1, signal: null, output: 'the job has files outside of the project' });
      return;
    }
    mkdirSync(job.attachments, { recursive: true });
    this.#journal = job.journal;
    this.#position = 0;
    this.#reader = new JournalReader();
    const child = this.#input.startLane();
    this.#child = child;
    let output = '';
    for (const stream of [child.stdout, child.stderr])
      stream?.setEncoding('utf8').on('data', (text: string) => {
        output = (output + text).slice(-MAX_OUTPUT);
      });
    child.on('message', (message) => this.#hear(message, child));
    child.once('exit', (code, signal) => {
      const tell = (): void => {
        clearTimeout(timer);
        if (this.#child !== child || this.#isFree) return;
        this.#flush(true);
        this.#child = undefined;
        this.#say({ kind: 'exit', code, signal, output });
      };
      const timer = setTimeout(tell, OUTPUT_GRACE_MS);
      child.once('close', tell);
    });
    child.send({ to: 'lane', type: 'job', job }, () => undefined);
    killOnParentExit(child);
    clearInterval(this.#look);
    this.#look = setInterval(() => this.#flush(), LOOK_INTERVAL_MS);
  }

  #hear(message: unknown, child: ChildProcess): void {
    if (!isToCoordinator(message) || this.#child !== child || this.#isFree) return;
    if (message.type === 'compile') {
      answerCompiling(message, this.#input.compiler, (answer) => void (child.connected && child.send(answer, () => undefined)));
      return;
    }
    // What it is about is in the journal.
    this.#flush(true);
    this.#say({ kind: 'message', message: JSON.parse(this.#toThere(JSON.stringify(message))) });
  }

  /** Sends the whole lines that the journal has since the last time. `all`: however many wait to be sent. */
  #flush(all = false): void {
    const path = this.#journal;
    if (path === undefined || (!all && this.#input.outbox.length > MAX_UNSENT) || !existsSync(path)) return;
    const file = openSync(path, 'r');
    try {
      const bytes = Buffer.allocUnsafe(MAX_CHUNK_BYTES);
      for (;;) {
        const length = readSync(file, bytes, 0, bytes.length, this.#position);
        const end = bytes.lastIndexOf(LINE_FEED, length - 1) + 1;
        if (length === 0 || end === 0) {
          // A line that is longer than a chunk.
          if (length === bytes.length) this.#position += this.#sendLongLine(path);
          return;
        }
        this.#position += end;
        this.#sendLines(Buffer.from(bytes.subarray(0, end)));
        if (!all && this.#input.outbox.length > MAX_UNSENT) return;
      }
    } finally {
      closeSync(file);
    }
  }

  #sendLongLine(path: string): number {
    const rest = readFileSync(path).subarray(this.#position);
    const end = rest.indexOf(LINE_FEED) + 1;
    if (end > 0) this.#sendLines(Buffer.from(rest.subarray(0, end)));
    return end;
  }

  #sendLines(lines: Buffer): void {
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
    if (Object.keys(files).length > 0) this.#say({ kind: 'reads', files });
    // They were written before the result that names them.
    for (const file of attachments) this.#sendAttachment(basename(file));
    this.#say({ kind: 'journal', text: this.#toThere(lines.toString('utf8')) });
  }

  #sendAttachment(file: string): void {
    const path = join(this.#folder, 'attachments', file);
    if (existsSync(path)) this.#say({ kind: 'attachment', file, content: readFileSync(path).toString('base64') });
  }

  /** Packages and files outside of the project are left out, as in records. */
  #addHash(url: string, files: Record<string, string>): void {
    if (!url.startsWith('file:')) return;
    const path = fileURLToPath(url);
    const name = recordedPath(path, this.#input.root);
    if (name.startsWith('../') || name.includes('node_modules/') || this.#hashed.has(name)) return;
    const hash = hashFile(path) ?? '';
    this.#hashed.set(name, hash);
    files[name] = hash;
    debugLog('pool', () => `${name} is read: ${hash}`);
  }
}

const isInside = (path: string, root: string): boolean => {
  const inner = relative(root, path);
  return isAbsolute(path) && inner !== '' && !inner.startsWith('..') && !isAbsolute(inner);
};
