import type { ChildProcess } from 'node:child_process';
import type { Problem } from '../../problems/problem.ts';

/** The reason for giving up a lane whose machine cannot take part. */
export const FILES_DIFFER = 'its files differ';
/** The reason for giving up all lanes. */
export const SERVER_GONE = 'the server is gone';

/** A lane that a machine lends to a run. */
export interface Seat {
  /** The name of the machine. */
  readonly machine: string;
  /** Starts a process of the lane, one at a time. */
  startLane(): ChildProcess;
  /** Returns the lane to the machine. */
  release(): void;
}

/** Handles events of a pool during a run. */
export interface PoolObserver {
  onWarning(problem: Problem): void;
  /** The server has lost the run, or cannot be reached. No more results arrive. */
  onGone(problem: Problem): void;
}

/** The lanes of other machines, for one run. */
export interface LanePool {
  /** The number of lanes that the joined machines lend. */
  readonly lanes: number;
  /** Resolves to a lane as soon as a machine can lend one, or to undefined when the offer is withdrawn. Only one offer at a time. */
  offer(): Promise<Seat | undefined>;
  withdraw(): void;
  /** Whether the server has lost the run. */
  readonly isGone: boolean;
  observe(observer: PoolObserver): void;
  /** Returns all lanes, and deletes the keys of the run. */
  close(): Promise<void>;
}

/** Pools with an open offer. */
const offering = new WeakSet<LanePool>();

/** Offers seats one after the other while there is work, and opens a lane for each seat that a machine takes. */
export async function offerSeats(pool: LanePool, hasWork: () => boolean, open: (seat: Seat) => Promise<void>): Promise<void> {
  if (offering.has(pool)) return;
  offering.add(pool);
  while (hasWork()) {
    const seat = await pool.offer();
    if (seat && hasWork()) void open(seat).then(() => seat.release());
    else if (seat) seat.release();
    else if (pool.isGone) break;
  }
  offering.delete(pool);
}
