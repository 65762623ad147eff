import type { ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import type { CompileService } from '../compile-service.ts';
import { debugLog } from '../debug-log.ts';
import { hashFile } from '../read-files.ts';
import type { PoolAddress } from './address.ts';
import { listOf, openConnections, type PoolConnection, parseStreams } from './connection.ts';
import { BLOCK_MS, consumeStream } from './consume-stream.ts';
import { buildPoolKeys, GROUP, KEY_LIFETIME_MS, type PoolKeys } from './keys.ts';
import { MachineLane } from './machine-lane.ts';
import { type PoolMachine, type PoolRun, parseRun, parseToMachine, type Refusal } from './messages.ts';
import { Outbox } from './outbox.ts';
import { settlesWithin } from './settles-within.ts';

/** Milliseconds between checks for free lanes and runs. */
const IDLE_MS = 50;
/** The largest number of files in a message. */
const MAX_NAMES = 5;

export interface JoinInput {
  readonly root: string;
  readonly cache: string;
  readonly compiler: CompileService;
  readonly tool: string;
  readonly name: string;
  readonly lanes: number;
  /** Leave after the first run that this machine took part in. */
  readonly once: boolean;
  startLane(): ChildProcess;
  /** Called for each event, for messages to the user. */
  onEvent(event: JoinEvent): void;
}

export type JoinEvent =
  | { readonly type: 'joined' }
  | { readonly type: 'run-began'; readonly run: string }
  | { readonly type: 'run-ended'; readonly run: string }
  | { readonly type: 'refused'; readonly run: string; readonly reasons: readonly string[] }
  | { readonly type: 'server-gone'; readonly reason: string }
  | { readonly type: 'server-back' };

export interface Joined {
  /** Resolves when the machine has left. */
  readonly done: Promise<void>;
  /** Returns running cases to their runs, tears down, and leaves. A second call leaves at once. */
  leave(): void;
}

/** Lends the lanes of this machine to the runs of a pool. Throws a `ProblemError` if the server cannot be reached. */
export function joinPool(address: PoolAddress, input: JoinInput): Promise<Joined> {
  return openConnections(address, 4, async (connections) => {
    const [commands, inbox, runs, claims] = connections as [PoolConnection, PoolConnection, PoolConnection, PoolConnection];
    const machine = new Machine(address, input, { commands, inbox, runs, claims });
    await machine.register();
    input.onEvent({ type: 'joined' });
    return { done: machine.serve(), leave: () => machine.leave() };
  });
}

/** The connections of a machine: `commands` for commands that the server answers at once, the others each for one command that waits. */
interface Connections {
  readonly commands: PoolConnection;
  readonly inbox: PoolConnection;
  readonly runs: PoolConnection;
  readonly claims: PoolConnection;
}

class Machine {
  readonly #id = randomUUID();
  readonly #address: PoolAddress;
  readonly #keys: PoolKeys;
  readonly #input: JoinInput;
  readonly #connections: Connections;
  readonly #commands: PoolConnection;
  readonly #runs = new Map<string, PoolRun>();
  /** Runs that this machine has taken part in. */
  readonly #served = new Set<string>();
  /** The lent lanes, by run and seat. */
  readonly #lanes = new Map<string, { readonly run: string; readonly seat: string; readonly lane: MachineLane }>();
  #isLeaving = false;
  #isOver = false;
  #hasTrouble = false;

  constructor(address: PoolAddress, input: JoinInput, connections: Connections) {
    this.#address = address;
    this.#keys = buildPoolKeys(address.prefix);
    this.#input = input;
    this.#connections = connections;
    this.#commands = connections.commands;
  }

  async serve(): Promise<void> {
    await Promise.all([this.#renewLeases(), this.#findRuns(), this.#claimSeats(), this.#takeMessages()]);
  }

  leave(): void {
    if (this.#isLeaving) {
      this.#end();
      return;
    }
    this.#isLeaving = true;
    void Promise.all([...this.#lanes.values()].map(({ lane }) => lane.leave())).then(() => this.#end());
  }

  #end(): void {
    if (this.#isOver) return;
    this.#isOver = true;
    for (const { lane } of [...this.#lanes.values()]) lane.markReady();
    const isGone = Promise.all([this.#commands.once('DEL', this.#keys.machine(this.#id)), this.#commands.once('HDEL', this.#keys.machines, this.#id)]);
    void settlesWithin(isGone, BLOCK_MS).then(() => {
      for (const connection of Object.values(this.#connections) as PoolConnection[]) connection.close();
    });
  }

  /** Registers this machine and its lanes on the server, and refreshes its keys. */
  async register(): Promise<void> {
    const inbox = this.#keys.machine(this.#id);
    if ((await this.#commands.send('EXISTS', inbox)) !== 1)
      await this.#commands.send('XGROUP', 'CREATE', inbox, GROUP, '0', 'MKSTREAM').catch((error: Error) => {
        if (!error.message.startsWith('BUSYGROUP')) throw error;
      });
    await this.#commands.send('PEXPIRE', inbox, KEY_LIFETIME_MS);
    const [seconds] = listOf(await this.#commands.send('TIME'));
    const machine: PoolMachine = { id: this.#id, name: this.#input.name, lanes: this.#input.lanes, at: Number(seconds) * 1000 };
    await this.#commands.send('HSET', this.#keys.machines, this.#id, JSON.stringify(machine));
    await this.#commands.send('PEXPIRE', this.#keys.machines, KEY_LIFETIME_MS);
  }

  /** The shortest lease of this machine and its runs, in milliseconds. */
  get #shortestLease(): number {
    return Math.min(this.#address.lease, ...[...this.#runs.values()].map(({ lease }) => lease));
  }

  /** Renews the leases, and takes back lanes whose lease or run has ended. */
  async #renewLeases(): Promise<void> {
    while (!this.#isOver) {
      await sleep(this.#shortestLease / 4);
      const timer = setTimeout(() => this.#reportTrouble(), this.#address.lease);
      await this.register().catch(() => undefined);
      for (const { run, seat, lane } of [...this.#lanes.values()]) {
        const renewed = await this.#commands.send('XCLAIM', this.#keys.seats(run), GROUP, this.#id, 0, seat, 'JUSTID').catch(() => null);
        if (this.#isOver) break;
        // The reply is also empty if the run has ended.
        if (listOf(renewed).length === 0 && !lane.isFree) {
          debugLog('pool', () => `the lease of seat ${seat} is over`);
          void lane.leave();
        }
      }
      clearTimeout(timer);
      if (this.#hasTrouble && !this.#isOver) this.#input.onEvent({ type: 'server-back' });
      this.#hasTrouble = false;
      for (const run of [...this.#runs.keys()]) if ((await this.#commands.send('EXISTS', this.#keys.run(run))) === 0) this.#forget(run);
    }
  }

  #reportTrouble(): void {
    if (!this.#hasTrouble && !this.#isOver) this.#input.onEvent({ type: 'server-gone', reason: this.#commands.trouble ?? 'no answer' });
    this.#hasTrouble = true;
  }

  /** Considers every announced run, including those from before this machine joined. */
  async #findRuns(): Promise<void> {
    let last = '0';
    while (!this.#isOver) {
      const announced = await this.#connections.runs.read(this.#keys.runs, last, BLOCK_MS).catch(() => []);
      for (const { id, fields } of announced) {
        last = id;
        const text = await this.#commands.send('GET', this.#keys.run(fields['run'] ?? ''));
        const run = parseRun(typeof text === 'string' ? text : undefined);
        if (run && !this.#isOver) this.#consider(run);
      }
    }
  }

  #consider(run: PoolRun): void {
    const reasons = this.#findDifferences(run);
    if (reasons.length === 0) {
      this.#runs.set(run.id, run);
      return;
    }
    const refusal: Refusal = { name: this.#input.name, reasons };
    this.#commands.send('XADD', this.#keys.results(run.id), 'NOMKSTREAM', '*', 'refusal', JSON.stringify(refusal)).catch(() => undefined);
    this.#input.onEvent({ type: 'refused', run: run.id, reasons });
  }

  /** The differences between this machine and the run, as texts. */
  #findDifferences({ tool, node, files }: PoolRun): string[] {
    const differing = Object.keys(files).filter((file) => file.split('/').includes('..') || (hashFile(join(this.#input.root, file)) ?? '') !== files[file]);
    const more = differing.length - MAX_NAMES;
    return [
      ...(tool === this.#input.tool ? [] : [`red-lattice ${this.#input.tool} instead of ${tool}`]),
      ...(node === process.version ? [] : [`Node ${process.version} instead of ${node}`]),
      ...differing.slice(0, MAX_NAMES).map((file) => `${file} differs`),
      ...(more > 0 ? [`${more} more files differ`] : []),
    ];
  }

  /** Takes seats while lanes are free. */
  async #claimSeats(): Promise<void> {
    while (!this.#isOver) {
      const runs = [...this.#runs.keys()];
      if (this.#isLeaving || runs.length === 0 || this.#lanes.size >= this.#input.lanes) {
        await sleep(IDLE_MS);
        continue;
      }
      const streams = runs.map((run) => this.#keys.seats(run));
      const found = await this.#connections.claims
        .send('XREADGROUP', 'GROUP', GROUP, this.#id, 'COUNT', 1, 'BLOCK', BLOCK_MS, 'STREAMS', ...streams, ...runs.map(() => '>'))
        .then(parseStreams, () => undefined);
      // The command fails if one of the runs has ended.
      if (!found) for (const run of runs) if ((await this.#commands.send('EXISTS', this.#keys.seats(run))) === 0) this.#forget(run);
      for (const run of runs) for (const { id } of found?.get(this.#keys.seats(run)) ?? []) this.#take(run, id);
    }
  }

  #take(run: string, seat: string): void {
    const key = `${run} ${seat}`;
    const outbox = new Outbox(this.#commands, this.#keys.results(run), { seat }, () => {
      void this.#lanes.get(key)?.lane.leave();
      this.#forget(run);
    });
    const { root, cache, compiler, startLane, name } = this.#input;
    const onFree = (): void => {
      this.#lanes.delete(key);
    };
    const onRefused = (files: readonly string[]): void => {
      // Every lane of the machine receives the message; report it once.
      if (this.#runs.delete(run)) this.#input.onEvent({ type: 'refused', run, reasons: files.map((file) => `${file} differs`) });
    };
    this.#lanes.set(key, { run, seat, lane: new MachineLane({ root, cache, compiler, outbox, startLane, onRefused, onFree }, this.#id, name) });
    if (!this.#served.has(run)) this.#input.onEvent({ type: 'run-began', run });
    this.#served.add(run);
  }

  #forget(run: string): void {
    this.#runs.delete(run);
    for (const held of [...this.#lanes.values()]) if (held.run === run) void held.lane.leave();
    if (!this.#served.delete(run)) return;
    this.#input.onEvent({ type: 'run-ended', run });
    if (this.#input.once && !this.#isLeaving) this.leave();
  }

  async #takeMessages(): Promise<void> {
    const { inbox: reader, commands } = this.#connections;
    await consumeStream(
      { reader, commands },
      this.#keys.machine(this.#id),
      () => this.#isOver,
      ({ fields }) => {
        const message = parseToMachine(fields['message']);
        if (message) this.#lanes.get(`${fields['run']} ${fields['seat']}`)?.lane.take(Number(fields['n']), message);
      },
    );
  }
}
