import type { ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Problem } from '../../problems/problem.ts';
import { debugLog } from '../debug-log.ts';
import { hashFile } from '../read-files.ts';
import type { PoolAddress } from './address.ts';
import { listOf, openConnections, type PoolConnection, parseFields, type Reply, type StreamEntry } from './connection.ts';
import { BLOCK_MS, consumeStream } from './consume-stream.ts';
import { buildPoolKeys, GROUP, KEY_LIFETIME_MS, type PoolKeys } from './keys.ts';
import { type FromMachine, type PoolRun, parseFromMachine, parseMachine, parseRefusal, type ToMachine } from './messages.ts';
import { Outbox } from './outbox.ts';
import { RemoteLane } from './remote-lane.ts';
import { FILES_DIFFER, type LanePool, type PoolObserver, SERVER_GONE, type Seat } from './seats.ts';
import { Sequence } from './sequence.ts';
import { settlesWithin } from './settles-within.ts';

/** The coordinator's name in the consumer group, for seats that it takes back. */
const COORDINATOR = 'coordinator';
const RUN_LOST = 'it does not have the run any more (it was restarted without its data, or this process was suspended)';
/** The least time in milliseconds before a run counts as over. A busy computer can suspend processes for seconds. */
const MIN_RUN_LIFETIME_MS = 5000;
/** Leases after which a server that cannot be reached, or a run whose coordinator does not renew it, counts as lost. */
const MAX_LEASES_WITHOUT_SERVER = 4;

/** A seat that a machine has taken. Its id identifies the lease: every offer has a new one. */
interface TakenSeat {
  readonly id: string;
  readonly machine: string;
  readonly outbox: Outbox;
  readonly messages: Sequence;
  lane: RemoteLane | undefined;
  /** Milliseconds since the last renewal of the lease, by the server's clock. */
  idle: number;
  /** The time at which a missing message was noticed, in milliseconds since 1970. */
  gapSince: number | undefined;
}

export interface PoolRunInput {
  readonly root: string;
  readonly tool: string;
  readonly files: Readonly<Record<string, string>>;
}

/** Announces a run to the machines of a pool. Throws a `ProblemError` if the server cannot be reached. */
export function openPool(address: PoolAddress, input: PoolRunInput): Promise<LanePool> {
  return openConnections(address, 2, async ([commands, reader]) => {
    const pool = new RedisLanePool(address, input, commands as PoolConnection, reader as PoolConnection);
    await pool.announce();
    return pool;
  });
}

class RedisLanePool implements LanePool {
  readonly #address: PoolAddress;
  readonly #keys: PoolKeys;
  readonly #run: PoolRun;
  readonly #root: string;
  readonly #commands: PoolConnection;
  readonly #reader: PoolConnection;
  readonly #seats = new Map<string, TakenSeat>();
  /** The machines of seats that were given up, by seat. `reportsLate`: whether late results are reported. */
  readonly #lost = new Map<string, { readonly machine: string; readonly reportsLate: boolean; isLate: boolean }>();
  /** Refused machines with the reasons, which are reported once. */
  readonly #refused = new Set<string>();
  readonly #ownHashes = new Map<string, string | undefined>();
  /** Warnings from before there was an observer. */
  readonly #earlyWarnings: Problem[] = [];
  #observer: PoolObserver | undefined;
  #offered: { readonly id: Promise<string>; readonly take: (seat: Seat | undefined) => void } | undefined;
  #isClosed = false;
  isGone = false;
  /** No lease ends before this time, in milliseconds since 1970. */
  #graceUntil = 0;
  /** The time of the last check of leases, in milliseconds since 1970. */
  #lastCheck = Date.now();
  #working: Promise<unknown> = Promise.resolve();
  lanes = 0;

  constructor(address: PoolAddress, { root, ...input }: PoolRunInput, commands: PoolConnection, reader: PoolConnection) {
    this.#address = address;
    this.#keys = buildPoolKeys(address.prefix);
    this.#root = root;
    this.#run = { ...input, id: randomUUID(), node: process.version, lease: address.lease };
    this.#commands = commands;
    this.#reader = reader;
  }

  get #isOver(): boolean {
    return this.#isClosed || this.isGone;
  }

  /** Milliseconds after which the announcement of the run expires, unless the coordinator renews it. */
  get #runLifetime(): number {
    return Math.max(MIN_RUN_LIFETIME_MS, this.#address.lease * MAX_LEASES_WITHOUT_SERVER);
  }

  async announce(): Promise<void> {
    const { id } = this.#run;
    const { seats, results, run, runs } = this.#keys;
    const send = (...args: readonly (string | number)[]): Promise<Reply> => this.#commands.send(...args);
    // Create empty streams: machines write to existing streams only, so that no key outlives the run.
    for (const stream of [seats(id), results(id)]) await send('XGROUP', 'CREATE', stream, GROUP, '0', 'MKSTREAM');
    await send('SET', run(id), JSON.stringify(this.#run), 'PX', this.#runLifetime);
    await this.#refresh();
    await send('XADD', runs, 'MAXLEN', '~', 1000, '*', 'run', id);
    await send('PEXPIRE', runs, KEY_LIFETIME_MS);
    await this.#countLanes();
    const connections = { reader: this.#reader, commands: this.#commands };
    const consumption = consumeStream(
      connections,
      results(id),
      () => this.#isOver,
      (entry) => this.#takeEntry(entry),
    );
    this.#working = Promise.all([consumption, this.#watch()]);
  }

  observe(observer: PoolObserver): void {
    this.#observer = observer;
    for (const problem of this.#earlyWarnings.splice(0)) observer.onWarning(problem);
  }

  offer(): Promise<Seat | undefined> {
    return new Promise((take) => {
      if (this.#isOver) return take(undefined);
      this.#offered = { id: this.#addSeat(), take };
    });
  }

  withdraw(): void {
    const { id, take } = this.#offered ?? {};
    this.#offered = undefined;
    // If a machine has already taken the seat, its claim is answered with a release.
    void id?.then((entry) => this.#commands.send('XDEL', this.#keys.seats(this.#run.id), entry)).catch(() => undefined);
    take?.(undefined);
  }

  async close(): Promise<void> {
    this.withdraw();
    for (const seat of this.#seats.values()) seat.outbox.put({ kind: 'release' } satisfies ToMachine);
    const drained = Promise.all([...this.#seats.values()].map(({ outbox }) => outbox.drain()));
    await settlesWithin(drained, BLOCK_MS * 2);
    const late = [...this.#lost.values()].filter(({ isLate }) => isLate);
    for (const machine of new Set(late.map(({ machine }) => machine))) this.#warn({ code: 'pool-late-results', machine });
    this.#isClosed = true;
    const { id } = this.#run;
    const keys = [this.#keys.run(id), this.#keys.seats(id), this.#keys.results(id)];
    await settlesWithin(this.#commands.once('DEL', ...keys), BLOCK_MS);
    this.#commands.close();
    this.#reader.close();
    await this.#working;
  }

  #warn(problem: Problem): void {
    if (this.#observer) this.#observer.onWarning(problem);
    else this.#earlyWarnings.push(problem);
  }

  async #addSeat(): Promise<string> {
    const id = String(await this.#commands.send('XADD', this.#keys.seats(this.#run.id), '*', 'run', this.#run.id));
    debugLog('pool', () => `seat ${id} is offered`);
    return id;
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
    else if (lost) lost.isLate ||= lost.reportsLate && message.kind === 'journal';
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
    // The claim can arrive before the confirmation of the offer.
    const isWanted = offered !== undefined && (await offered.id) === id && this.#offered === offered;
    debugLog('pool', () => `seat ${id} is taken by ${name}${isWanted ? '' : ', but is not needed any more'}`);
    if (!isWanted) {
      outbox.put({ kind: 'release' } satisfies ToMachine);
      void this.#removeSeat(id);
      return;
    }
    this.#offered = undefined;
    this.#seats.set(id, seat);
    const post = (message: ToMachine): void => outbox.put(message);
    offered.take({
      machine: name,
      startLane: () => {
        seat.lane = new RemoteLane(post, () => seat.idle > this.#address.lease / 2 || Date.now() < this.#graceUntil);
        return seat.lane as unknown as ChildProcess;
      },
      release: () => {
        if (!this.#seats.delete(id)) return;
        post({ kind: 'release' });
        void this.#removeSeat(id);
      },
    });
  }

  /** Gives up a seat if its machine has read a file with other content. */
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
    // The refusal of a machine has been reported already.
    this.#lost.set(seat.id, { machine: seat.machine, reportsLate: reason !== FILES_DIFFER, isLate: false });
    void this.#removeSeat(seat.id);
    seat.lane?.lose(reason);
  }

  async #removeSeat(id: string): Promise<void> {
    const seats = this.#keys.seats(this.#run.id);
    await this.#commands.send('XACK', seats, GROUP, id).catch(() => undefined);
    await this.#commands.send('XDEL', seats, id).catch(() => undefined);
  }

  /** Refreshes the keys of the run, and ends leases that machines do not renew. */
  async #watch(): Promise<void> {
    const limit = this.#runLifetime;
    while (!this.#isOver) {
      await sleep(this.#address.lease / 8);
      // The run can be lost between two commands.
      const leaseCheck = this.#checkLeases().catch(({ message }: Error) => this.#loseServer(message.startsWith('NOGROUP') ? RUN_LOST : message));
      if (!(await settlesWithin(leaseCheck, limit))) this.#loseServer(this.#commands.trouble ?? `no answer within ${limit} ms`);
    }
  }

  async #checkLeases(): Promise<void> {
    const { id } = this.#run;
    const exists = await this.#commands.send('EXISTS', this.#keys.run(id), this.#keys.seats(id), this.#keys.results(id));
    if (this.#isClosed) return;
    if (exists !== 3) return this.#loseServer(RUN_LOST);
    await this.#refresh();
    await this.#countLanes();
    const seats = this.#keys.seats(id);
    const held = listOf(await this.#commands.send('XPENDING', seats, GROUP, '-', '+', 1000));
    // After a pause of this process or of the server, machines need time to renew their leases.
    if (Date.now() - this.#lastCheck > this.#address.lease / 2) this.#graceUntil = Date.now() + this.#address.lease;
    this.#lastCheck = Date.now();
    for (const pending of held) {
      const [entry, consumer, idle] = listOf(pending);
      const seat = this.#seats.get(String(entry));
      if (seat) seat.idle = Number(idle);
      if (consumer !== COORDINATOR && Number(idle) > this.#address.lease && Date.now() > this.#graceUntil) await this.#takeBack(String(entry));
    }
    for (const seat of this.#seats.values())
      if (seat.gapSince !== undefined && Date.now() - seat.gapSince > this.#address.lease) this.#lose(seat, 'some of its messages were lost');
  }

  /** Ends a lease, unless the machine has just renewed it. */
  async #takeBack(id: string): Promise<void> {
    const { lease } = this.#address;
    const seats = this.#keys.seats(this.#run.id);
    const claimed = await this.#commands.send('XCLAIM', seats, GROUP, COORDINATOR, lease, id, 'JUSTID');
    if (listOf(claimed).length === 0) return;
    const seat = this.#seats.get(id);
    if (seat) this.#lose(seat, `no sign of life for ${lease} ms`);
    else await this.#removeSeat(id);
    // A machine can die between taking a seat and its first message.
    const offered = this.#offered;
    if (offered && (await offered.id) === id && this.#offered === offered) this.#offered = { ...offered, id: this.#addSeat() };
  }

  #loseServer(reason: string): void {
    if (this.#isOver) return;
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
