import { linkSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { isObject } from '../results/shapes.ts';

/** The process that writes a record. A process id alone can be reused. */
export interface RecordOwner {
  readonly process: number;
  /** When the process started, on the system's clock. Absent if the system does not provide it. */
  readonly started?: string | undefined;
}

const nameOfLock = 'lock.json';

/** When a process started, in clock ticks since the system start: field 22 of `/proc/<pid>/stat` on Linux. */
function readStartTime(id: number): string | undefined {
  try {
    const text = readFileSync(`/proc/${id}/stat`, 'utf8');
    // The second field, in parentheses, can contain blanks.
    return text.slice(text.lastIndexOf(')') + 2).split(' ')[19];
  } catch {
    return undefined;
  }
}

export function isAlive({ process: pid, started }: RecordOwner): boolean {
  try {
    process.kill(pid, 0);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EPERM') return false;
  }
  return started === undefined || started === readStartTime(pid);
}

function readLock(path: string): RecordOwner | undefined {
  try {
    const lock: unknown = JSON.parse(readFileSync(path, 'utf8'));
    return isObject(lock) && Number.isSafeInteger(lock['process']) && (lock['process'] as number) > 0 ? (lock as unknown as RecordOwner) : undefined;
  } catch {
    return undefined;
  }
}

/** The process that writes a record, if it is alive. */
export function findOwner(record: string): RecordOwner | undefined {
  const owner = readLock(join(record, nameOfLock));
  return owner && isAlive(owner) ? owner : undefined;
}

/**
 * Locks a record for this process. Returns its owner instead if another process writes it. The lock of a process that has ended is
 * ignored.
 */
export function lockRecord(record: string): RecordOwner | undefined {
  const path = join(record, nameOfLock);
  const own = `${path}.${process.pid}`;
  writeFileSync(own, JSON.stringify({ process: process.pid, started: readStartTime(process.pid) } satisfies RecordOwner));
  try {
    for (;;) {
      try {
        createOnce(own, path);
        return undefined;
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      }
      const owner = readLock(path);
      if (owner && isAlive(owner)) return owner;
      removeStale(path, owner);
    }
  } finally {
    rmSync(own, { force: true });
  }
}

/** Creates the lock with its content in one step: only one process can. Some file systems have no links. */
function createOnce(own: string, path: string): void {
  try {
    linkSync(own, path);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') throw error;
    writeFileSync(path, readFileSync(own), { flag: 'wx' });
  }
}

/** Removes the lock of an ended process. Another process can do the same: only one can rename it, and a new lock is put back. */
function removeStale(path: string, stale: RecordOwner | undefined): void {
  const stalePath = `${path}.stale-${process.pid}`;
  try {
    renameSync(path, stalePath);
  } catch {
    return;
  }
  const taken = readLock(stalePath);
  if (taken && JSON.stringify(taken) !== JSON.stringify(stale)) {
    try {
      linkSync(stalePath, path);
    } catch {
      // There is a newer lock.
    }
  }
  rmSync(stalePath, { force: true });
}

export function unlockRecord(record: string): void {
  rmSync(join(record, nameOfLock), { force: true });
}
