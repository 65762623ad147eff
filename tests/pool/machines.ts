import type { ChildProcess } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { fixture } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { readJournals } from '../../src/node/journals.ts';
import { startCommand } from '../program.ts';
import { makeProject } from '../project.ts';

/** A running command and its output. */
export class Command {
  readonly process: ChildProcess;
  output = '';
  readonly ended: Promise<number | null>;

  constructor(args: readonly string[], cwd: string) {
    this.process = startCommand(args, cwd, { stdio: ['ignore', 'pipe', 'pipe'] });
    for (const stream of [this.process.stdout, this.process.stderr])
      stream?.on('data', (text) => {
        this.output += text;
      });
    this.ended = new Promise((resolve) => this.process.once('close', resolve));
  }

  /** Resolves when the output contains a text. */
  async says(text: string): Promise<void> {
    await until(() => this.output.includes(text) || this.process.exitCode !== null);
    if (!this.output.includes(text)) throw new Error(`it ended without saying "${text}":\n${this.output}`);
  }
}

/** Checks a condition every few milliseconds until it holds. The time limit of the case ends it. */
export async function until(holds: () => boolean): Promise<void> {
  while (!holds()) await new Promise((resolve) => setTimeout(resolve, 10));
}

/** Checkouts of one project in separate folders, and the commands that run in them. */
export class Checkouts {
  readonly folder: string;
  readonly #files: Readonly<Record<string, string>>;
  readonly #commands: Command[] = [];

  constructor(folder: string, files: Readonly<Record<string, string>>) {
    this.folder = folder;
    this.#files = files;
  }

  async checkout(name: string, changes: Readonly<Record<string, string>> = {}): Promise<string> {
    const folder = join(this.folder, name);
    if (!existsSync(folder)) await makeProject(folder, { ...this.#files, ...changes });
    return folder;
  }

  /** Starts `join` in the checkout of this name. */
  async join(url: string, name: string, { lanes = 1, changes = {}, args = [] as readonly string[] } = {}): Promise<Command> {
    const command = new Command(['join', url, '--lanes', String(lanes), '--name', name, ...args], await this.checkout(name, changes));
    this.#commands.push(command);
    await command.says('waiting for runs');
    return command;
  }

  /** Starts a run in the checkout "office". */
  async run(url: string, args: readonly string[] = []): Promise<Command> {
    const command = new Command(['run', '--pool', url, '--lanes', '0', '--show', 'summary', '--record', 'record', ...args], await this.checkout('office'));
    this.#commands.push(command);
    return command;
  }

  /** Title, status and cause of every recorded result, sorted. A repeated result appears twice. */
  results(name = 'record'): string[] {
    const record = join(this.folder, 'office', name);
    if (!existsSync(record) || !readdirSync(record).some((name) => name.endsWith('.journal'))) return [];
    return [...readJournals(record)]
      .flatMap((entry) =>
        entry.type === 'ended' ? [`${entry.result.title}: ${entry.result.status}${entry.result.cause ? `/${entry.result.cause}` : ''}`] : [],
      )
      .sort();
  }

  /** Whether the run has given up a lane. */
  hasLostLane(): boolean {
    const record = join(this.folder, 'office', 'record');
    return [...readJournals(record)].some((entry) => entry.type === 'warning' && entry.problem.code === 'pool-lane-lost');
  }

  async end(): Promise<void> {
    for (const { process } of this.#commands) if (process.exitCode === null) process.kill('SIGKILL');
    await Promise.all(this.#commands.map(({ ended }) => ended));
  }
}

export const checkouts = fixture('checkouts', {
  settings: { files: {} as Readonly<Record<string, string>> },
  needs: { folder: tempDirectory() },
  setup: ({ settings }, { folder }) => new Checkouts(folder, settings.files),
  teardown: (checkouts) => checkouts.end(),
});
