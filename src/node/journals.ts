import { readdirSync } from 'node:fs';
import { basename, join } from 'node:path';
import type { JournalEntry } from '../results/journal/entries.ts';
import type { EntryFilter } from '../results/journal/reader.ts';
import { JournalTail } from './journal-tail.ts';
import { laneProblems } from './lane-end.ts';

/** The paths of a record's journals. */
export const listJournals = (folder: string): string[] =>
  readdirSync(folder)
    .filter((name) => name.endsWith('.journal'))
    .sort()
    .map((name) => join(folder, name));

/** All that one journal holds; nothing where there is none. */
export function* readJournal(path: string): Generator<JournalEntry> {
  const tail = new JournalTail(path);
  for (const entries of tail.read()) yield* entries;
  tail.close();
}

/** Reads the results of an earlier run. Skips problems of its lanes: a resumed run loads all files again. */
export function* readEarlierResults(paths: readonly string[]): Generator<JournalEntry> {
  for (const path of paths) {
    for (const entry of readJournal(path)) {
      const isResult = entry.type === 'test' || entry.type === 'ended' || entry.type === 'teardown-failed';
      if (isResult || (entry.type === 'problem' && !laneProblems.has(entry.problem.code))) yield entry;
    }
  }
}

/** Which entries are wanted, where it is not all. */
interface JournalFilter extends EntryFilter {
  /** Of journals whose name begins so. */
  readonly prefix?: string;
}

/** All that the journals of a folder hold, one after the other, without keeping any of it. */
export function* readJournals(folder: string, { prefix = '', ...filter }: JournalFilter = {}): Generator<JournalEntry> {
  for (const path of listJournals(folder)) {
    if (!basename(path).startsWith(prefix)) continue;
    const tail = new JournalTail(path, filter);
    // Of millions of entries, each is handed on by as few hands as can be.
    for (const entries of tail.read()) for (let at = 0; at < entries.length; at++) yield entries[at] as JournalEntry;
    tail.close();
  }
}
