import type { ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import type { Problem } from '../../problems/problem.ts';
import { debugLog } from '../debug-log.ts';
import { hashFile } from '../read-files.ts';
import type { PoolAddress } from './address.ts';
import { listOf, PoolConnection, parseFields, type Reply, type StreamEntry } from './connection.ts';
import { GROUP, KEY_LIFETIME_MS, type PoolKeys, poolKeys } from './keys.ts';
import { type FromMachine, type PoolRun, parseFromMachine, parseMachine, parseRefusal, type ToMachine } from './messages.ts';
import { Outbox } from './outbox.ts';
import { RemoteLane } from './remote-lane.ts';
import { FILES_DIFFER, type LanePool, type PoolObserver, SERVER_GONE, type Seat } from './seats.ts';
import { Sequence } from './sequence.ts';
import { within } from './within.ts';

/** Milliseconds that a read waits at the server. */
const BLOCK_MS = 500;
/** The name under which the coordinator takes back what a machine has lost. */
const COORDINATOR = 'coordinator';
const RUN_LOST = 'it does not have the run any more (it was restarted without its data, or this process was suspended)';
/** Milliseconds: a process can stand still for a while. */
const MIN_RUN_LIFETIME_MS = 5000;
/** A server that cannot be reached for so many leases is given up. */
const MAX_LEASES_WITHOUT_SERVER = 4;

/** A seat that a machine has taken. Its id is that of its lease: who takes its place has another. */
interface TakenSeat {
  readonly id: string;
  readonly machine: string;
  readonly outbox: Outbox;
  readonly messages: Sequence;
  lane: RemoteLane | undefined;
  /** Milliseconds without a sign of life, as the server counts them. */
  idle: number;
  /** Since when a message is missing, in milliseconds since 1970. */
  gapSince: number | undefined;
}

export interface PoolRunInput {
  readonly root: string;
  readonly tool: string;
  readonly files: Readonly<Record<string, string>>;
}

/** Announces a run to the machines of a pool. Refuses with a problem if the server cannot be reached. */
export async function openPool(address: PoolAddress, input: PoolRunInput): Promise<LanePool> {
  const commands = await PoolConnection.open(address);
  const reader = await PoolConnection.open(address);
  const pool = new RedisLanePool(address, input, commands, reader);
  await pool.announce();
  return pool;
}

class RedisLanePool implements LanePool {
  readonly #address: PoolAddress;
  readonly #keys: PoolKeys;
  readonly #run: PoolRun;
  readonly #root: string;
  readonly #commands: PoolConnection;
  readonly #reader: PoolConnection;
  readonly #seats = new Map<string, TakenSeat>();
  /** Machines whose seats were given up, by the seat. */
  readonly #lost = new Map<string, { readonly machine: string; readonly counts: boolean; isLate: boolean }>();
  /** Machines that have been refused, with the reason. */
  readonly #refused = new Set<string>();
  readonly #ownHashes = new Map<string, string | undefined>();
  /** Problems that came before anybody listened. */
  readonly #unheard: Problem[] = [];
  #observer: PoolObserver | undefined;
  #offered: { readonly id: Promise<string>; readonly take: (seat: Seat | undefined) => void } | undefined;
  #isClosed = false;
  isGone = false;
  /** Until when nobody is given up, since nobody could give a sign of life. Milliseconds since 1970. */
  #graceUntil = 0;
  /** When leases were last looked at. Milliseconds since 1970. */
  #lastJudged = Date.now();
  #working: Promise<unknown> = Promise.resolve();
  lanes = 0;

  constructor(address: PoolAddress, { root, ...input }: PoolRunInput, commands: PoolConnection, reader: PoolConnection) {
    this.#address = address;
    this.#keys = poolKeys(address.prefix);
    this.#root = root;
    this.#run = { ...input, id: randomUUID(), node: process.version, lease: address.lease };
    this.#commands = commands;
    this.#reader = reader;
  }

  /** Milliseconds after which machines take a run for over whose coordinator gives no sign of life. */
  get #runLifetime(): number {
    return Math.max(MIN_RUN_LIFETIME_MS, this.#address.lease * MAX_LEASES_WITHOUT_SERVER);
  }

  async announce(): Promise<void> {
    const { id } = this.#run;
    const { seats, results, run, runs } = this.#keys;
    const send = (...args: readonly (string | number)[]): Promise<Reply> => this.#commands.send(...args);
    // With an empty stream each: nobody makes one for a run that is over.
    for (const stream of [seats(id), results(id)]) await send('XGROUP', 'CREATE', stream, GROUP, '0', 'MKSTREAM');
    await send('SET', run(id), JSON.stringify(this.#run), 'PX', this.#runLifetime);
    await this.#refresh();
    await send('XADD', runs, 'MAXLEN', '~', 1000, '*', 'run', id);
    await send('PEXPIRE', runs, KEY_LIFETIME_MS);
    await this.#countLanes();
    this.#working = Promise.all([this.#takeResults(), this.#watch()]);
  }

  observe(observer: PoolObserver): void {
    this.#observer = observer;
    for (const problem of this.#unheard.splice(0)) observer.onWarning(problem);
  }

  offer(): Promise<Seat | undefined> {
    return new Promise((take) => {
      if (this.#isClosed || this.isGone) return take(undefined);
      this.#offered = { id: this.#addSeat(), take };
    });
  }

  withdraw(): void {
    const { id, take } = this.#offered ?? {};
    this.#offered = undefined;
    // Where a machine was faster, its claim is answered with a release.
    void id?.then((entry) => this.#commands.send('XDEL', this.#keys.seats(this.#run.id), entry)).catch(() => undefined);
    take?.(undefined);
  }

  async close(): Promise<void> {
    this.withdraw();
    for (const seat of this.#seats.values()) seat.outbox.put({ kind: 'release' } satisfies ToMachine);
    const drained = Promise.all([...this.#seats.values()].map(({ outbox }) => outbox.drain()));
    await within(drained, BLOCK_MS * 2);
    const late = [...this.#lost.values()].filter(({ isLate }) => isLate);
    for (const machine of new Set(late.map(({ machine }) => machine))) this.#warn({ code: 'pool-late-results', machine });
    this.#isClosed = true;
    const { id } = this.#run;
    const keys = [this.#keys.run(id), this.#keys.seats(id), this.#keys.results(id)];
    await within(this.#commands.once('DEL', ...keys), BLOCK_MS);
    this.#commands.close();
    this.#reader.close();
    await this.#working;
  }

  #warn(problem: Problem): void {
    if (this.#observer) this.#observer.onWarning(problem);
    else this.#unheard.push(problem);
  }

  async #addSeat(): Promise<string> {
    const id = String(await this.#commands.send('XADD', this.#keys.seats(this.#run.id), '*', 'run', this.#run.id));
    debugLog('pool', () => `seat ${id} is offered`);
    return id;
  }

  /** Takes in what the machines send, and removes it from the server. */
  async #takeResults(): Promise<void> {
    const stream = this.#keys.results(this.#run.id);
    let last = '0';
    while (!this.#isClosed && !this.isGone) {
      const entries = (await this.#reader.read(new Map([[stream, last]]), BLOCK_MS).catch(() => undefined))?.get(stream) ?? [];
      for (const entry of entries) this.#takeEntry(entry);
      const newest = entries.at(-1);
      if (!newest) continue;
      last = newest.id;
      const [time, number] = last.split('-');
      await this.#commands.send('XTRIM', stream, 'MINID', `${time}-${Number(number) + 1}`).catch(() => undefined);
    }
  }

  #takeEntry({ fields }: StreamEntry): void {
    const refusal = parseRefusal(fields['refusal']);
    if (refusal) {
      this.#warn({ code: 'pool-machine-refused', machine: refusal.name, reasons: refusal.reasons });
      return;
    }
    const { seat: id = '', n, message: text } = fields;
    const message = parseFromMachine(text);
    const seat = this.#seats.get(id);
    const lost = this.#lost.get(id);
    if (!message) debugLog('pool', () => 'a malformed message, ignored');
    else if (lost) lost.isLate ||= lost.counts && message.kind === 'journal';
    else if (seat) this.#takeMessage(seat, Number(n), message);
    else if (message.kind === 'claimed') void this.#takeClaim(id, Number(n), message);
  }

  #takeMessage(seat: TakenSeat, number: number, message: FromMachine): void {
    const order = seat.messages.take(number);
    if (order === 'gap') seat.gapSince ??= Date.now();
    if (order !== 'next') return;
    seat.gapSince = undefined;
    if (message.kind === 'leaving') this.#lose(seat, 'its machine left the pool');
    else if (message.kind === 'reads') this.#compareFiles(seat, message.files);
    else seat.lane?.take(message);
  }

  async #takeClaim(id: string, number: number, { machine, name }: Extract<FromMachine, { kind: 'claimed' }>): Promise<void> {
    const outbox = new Outbox(this.#commands, this.#keys.machine(machine), { run: this.#run.id, seat: id }, () => undefined);
    const messages = new Sequence();
    messages.take(number);
    const seat: TakenSeat = { id, machine: name, outbox, messages, lane: undefined, idle: 0, gapSince: undefined };
    const offered = this.#offered;
    // The claim can be faster than the receipt for the offer.
    const isWanted = offered !== undefined && (await offered.id) === id && this.#offered === offered;
    debugLog('pool', () => `seat ${id} is taken by ${name}${isWanted ? '' : ', but is not needed any more'}`);
    if (!isWanted) {
      outbox.put({ kind: 'release' } satisfies ToMachine);
      void this.#removeSeat(id);
      return;
    }
    this.#offered = undefined;
    this.#seats.set(id, seat);
    const say = (message: ToMachine): void => outbox.put(message);
    offered.take({
      machine: name,
      startLane: () => {
        seat.lane = new RemoteLane(say, () => seat.idle > this.#address.lease / 2 || Date.now() < this.#graceUntil);
        return seat.lane as unknown as ChildProcess;
      },
      release: () => {
        if (!this.#seats.delete(id)) return;
        say({ kind: 'release' });
        void this.#removeSeat(id);
      },
    });
  }

  /** A result that depends on other files is no result of this run. */
  #compareFiles(seat: TakenSeat, files: Readonly<Record<string, string>>): void {
    const differing = Object.keys(files).filter((file) => files[file] !== this.#ownHash(file));
    if (differing.length === 0) return;
    seat.outbox.put({ kind: 'refuse', files: differing } satisfies ToMachine);
    const reasons = differing.map((file) => `${file} differs`);
    const isKnown = this.#refused.has(`${seat.machine} ${reasons.join()}`);
    this.#refused.add(`${seat.machine} ${reasons.join()}`);
    if (!isKnown) this.#warn({ code: 'pool-machine-refused', machine: seat.machine, reasons });
    this.#lose(seat, FILES_DIFFER);
  }

  #ownHash(file: string): string | undefined {
    if (!this.#ownHashes.has(file)) this.#ownHashes.set(file, hashFile(join(this.#root, file)));
    return this.#ownHashes.get(file);
  }

  #lose(seat: TakenSeat, reason: string): void {
    if (!this.#seats.delete(seat.id)) return;
    debugLog('pool', () => `seat ${seat.id} of ${seat.machine} is lost: ${reason}`);
    // What machines with other files have sent is no loss.
    this.#lost.set(seat.id, { machine: seat.machine, counts: reason !== FILES_DIFFER, isLate: false });
    void this.#removeSeat(seat.id);
    seat.lane?.lose(reason);
  }

  async #removeSeat(id: string): Promise<void> {
    const seats = this.#keys.seats(this.#run.id);
    await this.#commands.send('XACK', seats, GROUP, id).catch(() => undefined);
    await this.#commands.send('XDEL', seats, id).catch(() => undefined);
  }

  /** Keeps the keys of the run alive, and takes back what machines hold that give no sign of life. */
  async #watch(): Promise<void> {
    const { lease } = this.#address;
    while (!this.#isClosed && !this.isGone) {
      await new Promise((resolve) => setTimeout(resolve, lease / 8));
      // Between two commands, the run can be lost.
      const look = this.#look().catch(({ message }: Error) => this.#loseServer(message.startsWith('NOGROUP') ? RUN_LOST : message));
      const limit = this.#runLifetime;
      let timer: NodeJS.Timeout | undefined;
      const tooLong = new Promise<void>((resolve) => {
        timer = setTimeout(() => {
          if (!this.#isClosed) this.#loseServer(this.#commands.trouble ?? `no answer within ${limit} ms`);
          resolve();
        }, limit);
      });
      await Promise.race([look, tooLong]);
      clearTimeout(timer);
    }
  }

  async #look(): Promise<void> {
    const { id } = this.#run;
    const exists = await this.#commands.send('EXISTS', this.#keys.run(id), this.#keys.seats(id), this.#keys.results(id));
    if (this.#isClosed) return;
    if (exists !== 3) return this.#loseServer(RUN_LOST);
    await this.#refresh();
    await this.#countLanes();
    const seats = this.#keys.seats(id);
    const held = listOf(await this.#commands.send('XPENDING', seats, GROUP, '-', '+', 1000));
    // After a time in which nobody could be heard, those who are still there need a moment to say so.
    if (Date.now() - this.#lastJudged > this.#address.lease / 2) this.#graceUntil = Date.now() + this.#address.lease;
    this.#lastJudged = Date.now();
    for (const pending of held) {
      const [entry, consumer, idle] = listOf(pending);
      const seat = this.#seats.get(String(entry));
      if (seat) seat.idle = Number(idle);
      if (consumer !== COORDINATOR && Number(idle) > this.#address.lease && Date.now() > this.#graceUntil) await this.#takeBack(String(entry));
    }
    for (const seat of this.#seats.values())
      if (seat.gapSince !== undefined && Date.now() - seat.gapSince > this.#address.lease) this.#lose(seat, 'some of its messages were lost');
  }

  /** Ends a lease, unless the machine has given a sign of life in between. */
  async #takeBack(id: string): Promise<void> {
    const { lease } = this.#address;
    const seats = this.#keys.seats(this.#run.id);
    const claimed = await this.#commands.send('XCLAIM', seats, GROUP, COORDINATOR, lease, id, 'JUSTID');
    if (listOf(claimed).length === 0) return;
    const seat = this.#seats.get(id);
    if (seat) this.#lose(seat, `no sign of life for ${lease} ms`);
    else await this.#removeSeat(id);
    // Its machine has died between the claim and the first message.
    const offered = this.#offered;
    if (offered && (await offered.id) === id && this.#offered === offered) this.#offered = { ...offered, id: this.#addSeat() };
  }

  #loseServer(reason: string): void {
    if (this.isGone || this.#isClosed) return;
    this.isGone = true;
    this.#observer?.onGone({ code: 'pool-lost', server: this.#address.name, reason });
    this.withdraw();
    for (const seat of [...this.#seats.values()]) this.#lose(seat, SERVER_GONE);
  }

  async #refresh(): Promise<void> {
    const { id } = this.#run;
    await this.#commands.send('PEXPIRE', this.#keys.run(id), this.#runLifetime);
    for (const key of [this.#keys.seats(id), this.#keys.results(id)]) await this.#commands.send('PEXPIRE', key, KEY_LIFETIME_MS);
  }

  async #countLanes(): Promise<void> {
    const [seconds] = listOf(await this.#commands.send('TIME'));
    const machines = parseFields(await this.#commands.send('HGETALL', this.#keys.machines));
    const present = Object.values(machines).flatMap((text) => parseMachine(text) ?? []);
    const oldest = Number(seconds) * 1000 - this.#address.lease;
    this.lanes = present.filter(({ at }) => at >= oldest).reduce((sum, { lanes }) => sum + lanes, 0);
  }
}
