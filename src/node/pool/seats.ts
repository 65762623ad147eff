import type { ChildProcess } from 'node:child_process';
import type { Problem } from '../../problems/problem.ts';

/** Why a lane is given up whose machine cannot take part. */
export const FILES_DIFFER = 'its files differ';
/** Why all lanes are given up at a time. */
export const SERVER_GONE = 'the server is gone';

/** A lane that a machine lends to a run. */
export interface Seat {
  /** The name of the machine. */
  readonly machine: string;
  /** Starts a process of the lane, one at a time. */
  startLane(): ChildProcess;
  /** Gives the lane back. */
  release(): void;
}

/** What a pool tells about itself during a run. */
export interface PoolObserver {
  onWarning(problem: Problem): void;
  /** The server has lost the run, or cannot be reached: nothing more comes from the machines. */
  onGone(problem: Problem): void;
}

/** The lanes of other machines, for one run. */
export interface LanePool {
  /** How many lanes the joined machines lend. */
  readonly lanes: number;
  /** Resolves to a lane as soon as a machine has one to lend; to undefined when the offer is withdrawn. One at a time. */
  offer(): Promise<Seat | undefined>;
  withdraw(): void;
  /** Nothing more comes from it. */
  readonly isGone: boolean;
  observe(observer: PoolObserver): void;
  /** Gives all lanes back, and removes what is on the server. */
  close(): Promise<void>;
}

/** Pools that are waiting for a lane. */
const offering = new WeakSet<LanePool>();

/** Opens each lane that machines lend, one after the other, as long as there is work for it. */
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
