import { existsSync, readdirSync, readFileSync, renameSync, statSync, writeFileSync } from 'node:fs';
import { basename, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { RunInfo } from '../results/run-info.ts';
import type { Status } from '../running/result.ts';
import { readJournals } from './journals.ts';
import { hashFile, recordedPath } from './read-files.ts';
import { findStateFolder, readInfo } from './record.ts';

/** A record of an earlier run, with its folder. */
export interface RecordReference {
  readonly folder: string;
  readonly info: RunInfo;
}

/** The existing records, the latest first. */
export function listEarlierRuns(root: string): RecordReference[] {
  const runs = join(findStateFolder(root), 'runs');
  if (!existsSync(runs)) return [];
  return readdirSync(runs)
    .sort()
    .reverse()
    .flatMap((name) => {
      const info = readInfo(join(runs, name));
      return info ? [{ folder: join(runs, name), info }] : [];
    });
}

/** Finds the record for an argument: a folder, the name of a recorded run, `latest` or `previous`. */
export function findRecord(name: string, root: string, folder: string): RecordReference | undefined {
  const at = ['latest', 'previous'].indexOf(name);
  if (at >= 0) return listEarlierRuns(root)[at];
  for (const path of [resolve(folder, name), join(findStateFolder(root), 'runs', basename(name))]) {
    const info = readInfo(path);
    if (info) return { folder: path, info };
    // A path with folders is not searched elsewhere.
    if (basename(name) !== name) return undefined;
  }
  return undefined;
}

const failing: ReadonlySet<Status> = new Set<Status>(['failed', 'errored']);

/** The cases whose latest result is a failure. Kept when records are removed. */
interface Memory {
  /** The start of the latest run that it covers, as ISO 8601. */
  readonly through: string;
  readonly ids: readonly string[];
}

const buildMemory = (root: string): string => join(findStateFolder(root), 'failed.json');

function readMemory(root: string): Memory {
  try {
    const { through, ids } = JSON.parse(readFileSync(buildMemory(root), 'utf8')) as Partial<Memory>;
    if (typeof through === 'string' && Array.isArray(ids)) return { through, ids: ids.filter((id) => typeof id === 'string') };
  } catch {
    // Missing or damaged: fall back to the records.
  }
  return { through: '', ids: [] };
}

/** The ids of the cases whose latest result is a failure. */
export function failedIds(root: string): string[] {
  const { through, ids } = readMemory(root);
  return failedAfter(
    ids,
    listEarlierRuns(root).filter(({ info }) => info.started > through),
  );
}

/** Stores the cases that failed in a finished run, and earlier failures that did not run again. After a complete run, only the former. */
export function rememberFailed(root: string, run: RecordReference, isWhole: boolean): void {
  const path = buildMemory(root);
  const { through, ids } = readMemory(root);
  // Runs that were killed have not been stored.
  const others = (): RecordReference[] => listEarlierRuns(root).filter(({ folder, info }) => info.started > through && folder !== run.folder);
  const failed = isWhole ? failedAfter([], [run]) : failedAfter(ids, [run, ...others()]);
  writeFileSync(`${path}.new`, JSON.stringify({ through: run.info.started > through ? run.info.started : through, ids: failed } satisfies Memory));
  renameSync(`${path}.new`, path);
}

/** The ids of the cases in `before` or in the runs (latest first) whose latest result is a failure. */
function failedAfter(before: readonly string[], runs: readonly RecordReference[]): string[] {
  const suspects = new Set(before);
  for (const { folder, info } of runs) {
    if (info.counts && (info.counts['failed'] ?? 0) + (info.counts['errored'] ?? 0) === 0) continue;
    for (const entry of readJournals(folder, { inBlocks: true })) if (entry.type === 'ended' && failing.has(entry.result.status)) suspects.add(entry.result.id);
  }
  const failed: string[] = [];
  for (const { folder } of runs) {
    // Most are found without reading each of a million passed cases.
    for (const inBlocks of [true, false]) {
      if (suspects.size === 0) return failed;
      for (const entry of readJournals(folder, { inBlocks })) {
        if (entry.type !== 'ended' || !suspects.delete(entry.result.id)) continue;
        if (failing.has(entry.result.status)) failed.push(entry.result.id);
      }
    }
  }
  // No later run has a result of these.
  return [...failed, ...suspects];
}

/** The files that have changed since a run started: its test files, the modules that they import, and the data files that its tests read. */
export function findChangedFiles({ folder, info }: RecordReference, root: string): string[] {
  const hashes = { ...info.reads, ...info.files };
  const changed = Object.keys(hashes).filter((file) => hashFile(join(root, file)) !== hashes[file]);
  // A killed run can have read data files that it had no time to hash. Files outside the project are never hashed.
  const data = new Set<string>();
  for (const entry of readJournals(folder, { inBlocks: true, types: ['test'] }))
    if (entry.type === 'test' && entry.header.data?.startsWith('file:')) data.add(fileURLToPath(entry.header.data));
  const began = Date.parse(info.started);
  const touched = [...data].filter((path) => (statSync(path, { throwIfNoEntry: false })?.mtimeMs ?? Number.POSITIVE_INFINITY) > began);
  return [...changed, ...touched.map((path) => recordedPath(path, root)).filter((file) => hashes[file] === undefined)];
}
