import { existsSync } from 'node:fs';
import { join } from 'node:path';
import type { LaneProgress } from '../results/run-progress.ts';
import { readJournal } from './journals.ts';
import type { LaneWork } from './lane-process.ts';
import type { Seat } from './pool/seats.ts';
import type { Assignment } from './work-scheduler.ts';

/** One of the lanes of a run, with all the processes that it needs. */
export interface LaneSlot {
  readonly number: number;
  /** The seat, if the lane is on another machine. */
  readonly seat: Seat | undefined;
  /** The journals of its processes. */
  readonly journals: string[];
  processes: number;
  work: LaneWork | undefined;
  assignment: Assignment | undefined;
  /** The work unit in which a process ended early. The next process continues it. */
  returned: Assignment | undefined;
  /** The next process announces each case. */
  isolatesCases: boolean;
  /** Whether the lane has ended and starts no more processes. */
  isOver: boolean;
}

export const createSlot = (number: number, seat?: Seat): LaneSlot => ({
  number,
  seat,
  journals: [],
  processes: 0,
  work: undefined,
  assignment: undefined,
  returned: undefined,
  isolatesCases: false,
  isOver: false,
});

/** The path of a journal that no process has written, in this run or in the one that it resumes. */
export function chooseJournalPath(record: string, slot: LaneSlot): string {
  for (;;) {
    const number = slot.processes++;
    const path = join(record, `lane-${slot.number}${number ? `-${number}` : ''}.journal`);
    if (!existsSync(path)) return path;
  }
}

/** The id of the last case with a result. */
export function findLastCase(journal: string): string | undefined {
  let last: string | undefined;
  for (const entry of readJournal(journal)) if (entry.type === 'ended') last = entry.result.id;
  return last;
}

/** Describes what a lane is doing. `now`: milliseconds since 1970. */
export const buildProgress = ({ number, seat, work }: LaneSlot, now: number): LaneProgress => ({
  number,
  machine: seat?.machine,
  activity: work?.lane.activity,
  since: work ? now - work.lane.since : 0,
});
