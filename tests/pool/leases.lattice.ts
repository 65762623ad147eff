import { createClient } from '@redis/client';
import { range, suite, testWith } from 'red-lattice';
import { createRandom } from '../../src/cases/random.ts';
import { type PoolAddress, parsePoolAddress } from '../../src/node/pool/address.ts';
import { buildPoolKeys } from '../../src/node/pool/keys.ts';
import { openPool } from '../../src/node/pool/lane-pool.ts';
import type { RemoteLane } from '../../src/node/pool/remote-lane.ts';
import type { LanePool } from '../../src/node/pool/seats.ts';
import type { Problem } from '../../src/problems/problem.ts';
import { until } from './machines.ts';
import { type Server, server, withoutServer } from './server.ts';

const LEASE_MS = 800;

/** A seat in the model: the messages that were sent under its lease, and those that the run has received. */
interface Held {
  readonly id: string;
  readonly lane: RemoteLane;
  readonly sent: number[];
  readonly taken: number[];
  number: number;
  /** Whether the machine renews the lease. */
  isAlive: boolean;
  isLost: boolean;
}

/** A machine whose messages and renewals a test controls. */
class Machine {
  readonly held: Held[] = [];
  readonly #send: (words: readonly string[]) => Promise<unknown>;
  readonly #pool: LanePool;
  readonly #seats: string;
  readonly #results: string;
  #values = 0;

  constructor(send: (words: readonly string[]) => Promise<unknown>, pool: LanePool, seats: string, results: string) {
    this.#send = send;
    this.#pool = pool;
    this.#seats = seats;
    this.#results = results;
  }

  async claim(): Promise<void> {
    const offered = this.#pool.offer();
    const reply = (await this.#send(['XREADGROUP', 'GROUP', 'machines', 'm', 'COUNT', '1', 'BLOCK', '5000', 'STREAMS', this.#seats, '>'])) as any;
    const id = String(reply[0][1][0][0]);
    await this.#put(id, 1, { kind: 'claimed', machine: 'm', name: 'quay' });
    const lane = (await offered)?.startLane() as unknown as RemoteLane;
    const held: Held = { id, lane, sent: [], taken: [], number: 1, isAlive: true, isLost: false };
    lane.on('message', (value: number) => held.taken.push(value));
    lane.on('exit', () => {
      held.isLost = true;
    });
    this.held.push(held);
  }

  /** Renews the leases of all seats that are alive. */
  async renew(): Promise<void> {
    for (const { id, isAlive } of this.held) if (isAlive) await this.#send(['XCLAIM', this.#seats, 'machines', 'm', '0', id, 'JUSTID']);
  }

  /** Sends the next messages. `order`: the offsets of their numbers, in sending order; the last message with an offset counts. */
  async message(held: Held, order: readonly number[] = [1]): Promise<void> {
    const count = new Set(order).size;
    const values = Array.from({ length: count }, () => this.#values++);
    for (const step of order) await this.#put(held.id, held.number + step, { kind: 'message', message: values[step - 1] });
    held.number += count;
    held.sent.push(...values);
  }

  async repeat(held: Held): Promise<void> {
    if (held.number > 1) await this.#put(held.id, held.number, { kind: 'message', message: -1 });
  }

  /** Lets the lease end, and then sends a late result. */
  async lapse(held: Held): Promise<void> {
    held.isAlive = false;
    await until(() => held.isLost);
    await this.#put(held.id, held.number + 1, { kind: 'journal', text: 'late\n' });
  }

  async leave(held: Held): Promise<void> {
    held.isAlive = false;
    await this.#put(held.id, held.number + 1, { kind: 'leaving' });
    await until(() => held.isLost);
  }

  #put(seat: string, n: number, message: object): Promise<unknown> {
    return this.#send(['XADD', this.#results, 'NOMKSTREAM', '*', 'seat', seat, 'n', String(n), 'message', JSON.stringify(message)]);
  }
}

async function connect({ port }: Server) {
  const client = createClient({ url: `redis://127.0.0.1:${port}`, RESP: 2 });
  client.on('error', () => undefined);
  await client.connect();
  return client;
}

const withServer = testWith({ server });

export const leases = suite('leases of a pool', { ...(withoutServer && { skip: withoutServer }), timeout: 120_000, concurrency: 4 }, [
  withServer('match the model, whatever a machine does: seed {seed}', { cases: range('seed', 1, 6) }, async ({ row, check, defer }, { server }) => {
    const random = createRandom(`leases ${row.seed}`);
    const prefix = `leases-${row.seed}`;
    const pool = await openPool(parsePoolAddress(server.url(prefix, LEASE_MS), {}) as PoolAddress, { root: '/', tool: '0', files: {} });
    const warnings: Problem[] = [];
    pool.observe({ onWarning: (problem) => warnings.push(problem), onGone: (problem) => check.fail(problem.code) });
    const [client, blocking] = [await connect(server), await connect(server)];
    defer(() => {
      client.destroy();
      blocking.destroy();
    });
    const [entry] = (await client.sendCommand(['XREVRANGE', `${prefix}:runs`, '+', '-', 'COUNT', '1'])) as any;
    const run = String(entry[1][1]);
    const keys = buildPoolKeys(prefix);
    await client.sendCommand(['XGROUP', 'CREATE', keys.machine('m'), 'machines', '0', 'MKSTREAM']);
    const send = (words: readonly string[]) => (words[0] === 'XREADGROUP' ? blocking : client).sendCommand([...words]);
    const machine = new Machine(send, pool, keys.seats(run), keys.results(run));
    const signs = setInterval(() => void machine.renew().catch(() => undefined), LEASE_MS / 8);
    let lapses = 0;
    for (let step = 0; step < 40; step++) {
      const alive = machine.held.filter(({ isAlive }) => isAlive);
      const held = alive.length > 0 ? random.pick(alive) : undefined;
      const act = held ? random.integer(0, 9) : 0;
      if (!held || (act === 0 && alive.length < 4)) await machine.claim();
      else if (act < 4) await machine.message(held);
      else if (act === 4) await machine.repeat(held);
      else if (act === 5) await machine.message(held, [2, 1, 2]);
      else if (act === 6) await machine.message(held, [1, 3, 2, 3]);
      else if (act === 7 && step % 2 === 0) await machine.leave(held);
      else if (act === 8 && lapses < 3) {
        lapses++;
        await machine.lapse(held);
      } else await machine.message(held);
    }
    await until(() => machine.held.every(({ sent, taken, isLost }) => isLost || taken.length >= sent.length));
    clearInterval(signs);
    for (const { id, isAlive, isLost, sent, taken } of machine.held) {
      check.equal(taken, sent, `seat ${id}: everything once, and in order`);
      check.equal(isLost, !isAlive, `seat ${id} is given up when it gives no sign of life, and only then`);
    }
    await pool.close();
    check.equal(
      warnings.map(({ code }) => code),
      lapses > 0 ? ['pool-late-results'] : [],
    );
    check.equal<unknown>(await client.sendCommand(['KEYS', `${prefix}:run:*`]), []);
  }),
]);
