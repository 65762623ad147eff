import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { JOURNAL_VERSION } from '../results/journal/entries.ts';
import { findInfoFault, type RunInfo } from '../results/run-info.ts';
import { findOwner } from './record-lock.ts';

const MAX_RECORDS_KEPT = 20;
const MAX_RECORDS_READ = 3;

/** The project's folder for records and caches, which git ignores. */
export function findStateFolder(root: string): string {
  const folder = join(root, '.red-lattice');
  if (!existsSync(join(folder, '.gitignore'))) {
    mkdirSync(folder, { recursive: true });
    writeFileSync(join(folder, '.gitignore'), '*\n');
  }
  return folder;
}

/** Creates the folder for a run's record. Runs that start at the same time get different folders. */
export function createRecord(root: string, started: Date, seed: number, path?: string): string {
  const runs = join(findStateFolder(root), 'runs');
  const name = `${started.toISOString().replace(/[-:]/g, '').replace('T', '-').slice(0, 15)}-${seed}`;
  const base = path ?? join(runs, name);
  if (path !== undefined && statSync(path, { throwIfNoEntry: false })?.isFile())
    throw Object.assign(new Error(`${relative(process.cwd(), path)} is a file; a run record is a folder. Name another path.`), { code: 'ENOTDIR' });
  mkdirSync(join(base, '..'), { recursive: true });
  for (let number = 1; ; number++) {
    const folder = number === 1 ? base : `${base}-${number}`;
    try {
      mkdirSync(folder);
      return folder;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST' || number > 1000) throw error;
    }
  }
}

export function writeInfo(folder: string, info: RunInfo): void {
  const path = join(folder, 'run.json');
  writeFileSync(`${path}.new`, `${JSON.stringify(info, null, 2)}\n`);
  renameSync(`${path}.new`, path);
}

/** The information of a record of any version. */
function readAnyInfo(folder: string): RunInfo | undefined {
  try {
    const info = JSON.parse(readFileSync(join(folder, 'run.json'), 'utf8')) as RunInfo;
    return info.kind === 'red-lattice run record' ? info : undefined;
  } catch {
    return undefined;
  }
}

/** The information of a record that this version reads. */
export function readInfo(folder: string): RunInfo | undefined {
  const info = readAnyInfo(folder);
  return info?.version === JOURNAL_VERSION && findInfoFault(info) === undefined ? info : undefined;
}

/** Why this version cannot read the record in a folder. Undefined if it can. */
export function findRecordFault(folder: string): string | undefined {
  const info = readAnyInfo(folder);
  if (info === undefined) return undefined;
  const refused = findInfoFault(info);
  if (info.version === JOURNAL_VERSION) return refused && `the record is damaged: ${refused}. Remove it, or copy it again.`;
  return `its version is ${info.version}, of Red Lattice ${info.tool}; this one reads ${JOURNAL_VERSION}. Read it with that version, or run again.`;
}

/** Durations from the latest records. */
export interface TimingHistory {
  /** The last duration of each test in milliseconds, by its id. */
  readonly times: ReadonlyMap<string, number>;
  /** The duration of the last run with the same selection in milliseconds, if there was one. */
  readonly milliseconds: number | undefined;
}

export function readTimingHistory(root: string, { command, selection }: Pick<RunInfo, 'command' | 'selection'>): TimingHistory {
  const runs = join(findStateFolder(root), 'runs');
  const times = new Map<string, number>();
  let milliseconds: number | undefined;
  if (!existsSync(runs)) return { times, milliseconds };
  const request = JSON.stringify([command, selection]);
  for (const name of readdirSync(runs).sort().slice(-MAX_RECORDS_READ)) {
    const info = readInfo(join(runs, name));
    for (const [id, time] of Object.entries(info?.times ?? {})) times.set(id, time);
    if (info?.milliseconds !== undefined && JSON.stringify([info.command, info.selection]) === request) milliseconds = info.milliseconds;
  }
  return { times, milliseconds };
}

/** Removes the oldest records, so that up to 20 remain with the record of the current run. Keeps records of runs in progress, and all other files. */
export function removeOldRecords(root: string): void {
  const runs = join(findStateFolder(root), 'runs');
  const ours = readdirSync(runs)
    .sort()
    .filter((name) => readAnyInfo(join(runs, name)) !== undefined && findOwner(join(runs, name)) === undefined);
  for (const name of ours.slice(0, -(MAX_RECORDS_KEPT - 1))) rmSync(join(runs, name), { recursive: true, force: true });
}
